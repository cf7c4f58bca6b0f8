// Blocks over each transport against a plain read of a socket, and a point of 1,001 levels.
#include <benchmark/benchmark.h>
#include <sys/socket.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

#include "lab/bench/instrument_role.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/formats/dialect_file.hpp"
#include "lab/session/connect.hpp"
#include "lab/simulate/instruments/analyser.hpp"
#include "lab/simulate/serve/server.hpp"

using namespace rt;
using namespace rt::lab;
using std::chrono::milliseconds;

namespace {

constexpr std::size_t block_size = std::size_t{8} << 20;
constexpr milliseconds patience(10000);

// Answers everything with a block of 8 MiB.
class Blocks : public SimulatedInstrument {
  public:
    Blocks() {
        const std::string length = std::to_string(block_size);
        text_ = "#" + std::to_string(length.size()) + length + std::string(block_size, 'x');
    }
    std::optional<std::string> handle(std::string_view message) override {
        return message == "*STB?" ? std::string("0") : text_;
    }
    void suffer(const PlannedFault&) override {}

  private:
    std::string text_;
};

// The baseline: the same server, read into the same memory by recv() alone.
void plain_socket(benchmark::State& state) {
    InstrumentServer server(std::make_shared<Blocks>(), 0, Transport::tcp);
    const OpenFile socket(connect_tcp("127.0.0.1", server.port(), patience, "server"));
    std::string bytes(block_size + 10, '\0');
    for (auto _ : state) {
        if (::send(socket.get(), "B?\n", 3, MSG_NOSIGNAL) != 3) state.SkipWithError("not sent");
        std::size_t have = 0;
        while (have < bytes.size()) {
            const auto count = ::recv(socket.get(), bytes.data() + have, bytes.size() - have, 0);
            if (count <= 0) return state.SkipWithError("closed");
            have += static_cast<std::size_t>(count);
        }
        benchmark::DoNotOptimize(bytes.data());
    }
    state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * block_size));
}
BENCHMARK(plain_socket)->UseRealTime()->Unit(benchmark::kMillisecond);

void block(benchmark::State& state, Transport transport) {
    InstrumentServer server(std::make_shared<Blocks>(), 0, transport);
    const auto session = open_session(server.place(), patience);
    for (auto _ : state) {
        session->write("B?\n");
        session->read_exactly(9, patience);
        benchmark::DoNotOptimize(session->read_exactly(block_size, patience).data());
        session->read_until('\n', patience);
    }
    state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * block_size));
}
BENCHMARK_CAPTURE(block, tcp, Transport::tcp)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(block, hislip, Transport::hislip)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(block, vxi11, Transport::vxi11)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(block, usb, Transport::usb)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(block, gpib, Transport::gpib)->UseRealTime()->Unit(benchmark::kMillisecond);

// Everything that a run says for a spectrum, at settings that change and at settings that stay.
void point(benchmark::State& state, Transport transport, bool changes) {
    const auto file =
        std::filesystem::temp_directory_path() / ("rare-tally-unit-" + std::to_string(::getpid()) + ".toml");
    std::ofstream(file) << "[unit]\nname = \"u\"\n[settings]\nstate = \"idle\"\n";
    const auto stage =
        std::make_shared<Stage>(std::make_shared<SimulatedUnit>(file), Stage::Options{1, true, false});
    std::filesystem::remove(file);
    InstrumentServer server(std::make_shared<SimulatedAnalyser>(stage, SimulatedAnalyser::Options{"p"}), 0,
                            transport);
    Instrument instrument;
    instrument.role = "analyser", instrument.impedance_ohm = 50, instrument.scan_bandwidth_hz = 1e9;
    instrument.dialect = read_dialect(std::filesystem::path(RT_SOURCE) / "dialects/scpi-analyser.toml");
    InstrumentRole role(ScpiSession(instrument, server.place()));
    SpectrumSetup setup{1e6, 2e6, 1001, 9e3, Detector::peak, 1e-3, Unit::dbuv, {}, {}};
    for (auto _ : state) {
        if (changes) setup.stop_hz = setup.stop_hz == 2e6 ? 2.1e6 : 2e6;
        benchmark::DoNotOptimize(sweep(role, setup).level.data());
    }
}
BENCHMARK_CAPTURE(point, tcp, Transport::tcp, true)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(point, tcp_again, Transport::tcp, false)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(point, hislip, Transport::hislip, true)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(point, hislip_again, Transport::hislip, false)
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(point, vxi11, Transport::vxi11, true)->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(point, vxi11_again, Transport::vxi11, false)->UseRealTime()->Unit(benchmark::kMillisecond);

}  // namespace
