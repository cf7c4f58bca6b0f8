#include <csignal>
#include <nlohmann/json.hpp>
#include <thread>

#include "cli/command.hpp"
#include "core/base/text.hpp"
#include "lab/bench/address.hpp"
#include "lab/bench/scpi_session.hpp"
#include "lab/simulate/bench.hpp"

namespace rt {
namespace {

volatile std::sig_atomic_t ended = 0;

struct Answer {
    const Instrument* instrument;
    std::string address, identity, trouble;
};

Answer identify(const Instrument& instrument, SimulatedBench& simulated) {
    Answer answer{&instrument, instrument.address, "", ""};
    try {
        Endpoint endpoint;
        if (instrument.simulated()) {
            const InstrumentServer& server = simulated.serve(instrument);
            endpoint = {server.host(), server.port()};
        } else {
            endpoint = endpoint_of(instrument.address);
        }
        ScpiSession session(instrument, endpoint.host, endpoint.port);
        answer.identity = session.ask("identify");
        const auto errors = session.drain_errors();
        if (!errors.empty()) answer.trouble = "its error queue held " + errors.front();
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::bench) throw;
        answer.trouble = error.what();
    }
    return answer;
}

ExitCode identify_all(const Call& call, const Bench& bench) {
    SimulatedBench simulated(bench);
    nlohmann::ordered_json list = nlohmann::ordered_json::array();
    std::vector<std::vector<std::string>> rows;
    bool silent = false;
    for (const auto& instrument : bench.instruments) {
        const Answer a = identify(instrument, simulated);
        silent = silent || a.identity.empty();
        const std::string due = instrument.calibration_due.empty()
                                    ? "no calibration date"
                                    : "calibration due " + instrument.calibration_due;
        rows.push_back({instrument.role, a.address, due, a.identity.empty() ? "no answer" : a.identity});
        if (!a.trouble.empty()) rows.back().back() += ": " + a.trouble;
        list.push_back({{"role", instrument.role},
                        {"address", a.address},
                        {"identity", a.identity},
                        {"calibration_due", instrument.calibration_due},
                        {"trouble", a.trouble}});
    }
    if (call.flag("json")) {
        call.console.out(list.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace));
    } else {
        for (const auto& line : aligned(rows, "")) call.console.out(line);
    }
    return silent ? ExitCode::trouble : ExitCode::passed;
}

unsigned short first_port(const Call& call) {
    if (!call.flag("port")) return 0;
    const auto port = to_double(call.text("port"));
    if (!port || *port < 1 || *port > 65535 || *port != static_cast<unsigned short>(*port)) {
        fail_input("--port " + call.text("port") + ": write a whole number from 1 to 65535");
    }
    return static_cast<unsigned short>(*port);
}

ExitCode serve(const Call& call, const Bench& bench) {
    SimulatedBench simulated(bench);
    unsigned short port = first_port(call);
    std::size_t served = 0;
    for (const auto& instrument : bench.instruments) {
        if (!instrument.simulated()) continue;
        const InstrumentServer& server = simulated.serve(instrument, port);
        if (port != 0) ++port;
        ++served;
        call.console.out(instrument.role + "  tcp://" + server.host() + ":" + server.port());
    }
    if (served == 0)
        fail_input(bench.file.string(), "no instrument of this bench has the address \"simulated\"");
    std::fflush(stdout);
    call.console.progress("serving; Ctrl-C ends it");
    std::signal(SIGINT, [](int) { ended = 1; });
    std::signal(SIGTERM, [](int) { ended = 1; });
    while (!ended) std::this_thread::sleep_for(std::chrono::milliseconds(50));
    return ExitCode::passed;
}

ExitCode run(const Call& call) {
    const auto files = call.texts("bench");
    if (files.size() != 1) fail_input("bench needs one bench file: rare-tally bench BENCH");
    const Bench bench = read_bench(files.front(), DiskFiles(share_folder() / "dialects"));
    return call.flag("serve") ? serve(call, bench) : identify_all(call, bench);
}

}  // namespace

Command bench_command() {
    return {"bench",
            "BENCH [--serve]",
            "who answers on a bench; or serve its simulated instruments to others",
            "rare-tally bench bench.toml --serve --port 5025",
            {{"serve", "", "serve the simulated instruments on loopback ports until ended"},
             {"port", "N", "first port to serve on, the others follow; free ones without it"}},
            "bench",
            run};
}

}  // namespace rt
