// The parts of one point of a run: a sweep over a socket, the kept capture, the durable commit.
#include <benchmark/benchmark.h>
#include <stdlib.h>

#include <filesystem>

#include "lab/captures/acquire.hpp"
#include "lab/formats/dialect_file.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/spectrum_csv.hpp"
#include "lab/simulate/instruments/analyser.hpp"
#include "lab/simulate/serve/server.hpp"
#include "lab/tally/tally.hpp"

namespace {

struct Folder {
    std::filesystem::path path;
    Folder() {
        std::string name = "benchmark-XXXXXX";  // here, on the disk that runs are kept on
        path = ::mkdtemp(name.data());
    }
    ~Folder() { std::filesystem::remove_all(path); }
};

rt::SpectrumSetup setup() {
    rt::SpectrumSetup s;
    s.start_hz = 1e6, s.stop_hz = 2e6, s.points = 101, s.resolution_bandwidth_hz = 30e3, s.dwell_s = 1e-4;
    s.reference_level = rt::Quantity{-20, rt::Unit::dbm};
    return s;
}

void sweep_over_socket(benchmark::State& state) {
    Folder folder;
    rt::lab::write_file(folder.path / "unit.toml", "[unit]\nname = \"u\"\n[settings]\nstate = \"idle\"\n");
    auto unit = std::make_shared<rt::lab::SimulatedUnit>(folder.path / "unit.toml");
    auto stage = std::make_shared<rt::lab::Stage>(unit, rt::lab::Stage::Options{1, true, false});
    rt::lab::InstrumentServer server(
        std::make_shared<rt::lab::SimulatedAnalyser>(stage, rt::lab::SimulatedAnalyser::Options{"p"}));
    rt::lab::Instrument instrument;
    instrument.dialect =
        rt::lab::read_dialect(std::filesystem::path(RT_SOURCE) / "dialects/scpi-analyser.toml");
    rt::lab::InstrumentRole role(rt::lab::ScpiSession(instrument, server.place()));
    for (auto _ : state) benchmark::DoNotOptimize(rt::lab::sweep(role, setup()));
}

void keep_capture(benchmark::State& state) {
    Folder folder;
    rt::Spectrum s;
    for (int i = 0; i < 101; ++i) {
        s.frequency_hz.push_back(1e6 + 1e4 * i);
        s.level.push_back(-90 + 0.1 * i);
    }
    int number = 0;
    for (auto _ : state) {
        const std::string text = rt::lab::spectrum_csv(s);
        rt::lab::write_file(folder.path / (std::to_string(number++) + ".csv"), text);
        benchmark::DoNotOptimize(rt::lab::sha256(text));
    }
}

void commit_point(benchmark::State& state) {
    Folder folder;
    rt::lab::RunRecord head;
    head.tests.push_back({"t", "t", "p", "i", "", 1});
    rt::lab::Tally tally = rt::lab::Tally::create(folder.path / "run", [&] { return head; });
    rt::lab::PointRecord point;
    point.test = "t";
    point.axes = {{"channel", "11"}, {"level", "8 dBm"}};
    point.parameters = {{"bandwidth", "9 kHz"}, {"detector", "peak"}, {"dwell", "1 ms"}};
    point.results.push_back({"highest_level", {1, rt::Unit::dbuv}, {}});
    point.findings.emplace_back();
    for (auto _ : state) {
        point.id = std::to_string(++point.position);
        tally.add(point);
    }
}

}  // namespace

BENCHMARK(sweep_over_socket)->Unit(benchmark::kMicrosecond);
BENCHMARK(keep_capture)->Unit(benchmark::kMicrosecond);
BENCHMARK(commit_point)->Unit(benchmark::kMicrosecond);
