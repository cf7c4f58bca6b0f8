#include <csignal>
#include <nlohmann/json.hpp>
#include <thread>

#include "cli/command.hpp"
#include "cli/try_bench.hpp"
#include "core/base/text.hpp"
#include "lab/bench/scpi_session.hpp"
#include "lab/formats/bench_file.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/report/connection_diagram.hpp"
#include "lab/simulate/instruments/bench.hpp"

namespace rt::cli {
namespace {

volatile std::sig_atomic_t ended = 0;

struct Answer {
    const Instrument* instrument;
    std::string address, identity, trouble;
};

Answer identify(const Instrument& instrument, SimulatedBench& simulated) {
    Answer answer{&instrument, instrument.address, "", ""};
    try {
        if (!instrument.place.speaks()) {
            answer.identity = "takes no messages";
            return answer;
        }
        ScpiSession session(instrument, simulated.place_of(instrument));
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
        call.console.out(instrument.role + "  " + server.address());
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

ExitCode draw_diagram(const Call& call, const Bench& bench) {
    const auto list = connections(bench, {});
    for (const auto& line : diagram_text(list)) call.console.out(printable(line));
    const std::filesystem::path file = call.text("diagram");
    if (file.extension() != ".svg") fail_input("--diagram " + file.string() + ": the name must end in .svg");
    write_file(file, diagram_svg(list, "unit under test", bench.name));
    call.console.out("wrote " + file.string());
    return ExitCode::passed;
}

ExitCode perform_bench(const Call& call) {
    const auto files = call.texts("bench");
    if (files.size() != 1) fail_input("bench needs one bench file: rare-tally bench BENCH");
    const Bench bench = read_bench(files.front(), DiskFiles(share_folder() / "dialects"));
    if (call.flag("serve")) return serve(call, bench);
    if (call.flag("diagram")) return draw_diagram(call, bench);
    if (call.flag("try")) {
        SimulatedBench simulated(bench);
        return try_bench(call, bench, simulated);
    }
    return identify_all(call, bench);
}

}  // namespace

Command bench_command() {
    return {"bench",
            "BENCH [--try | --serve | --diagram FILE]",
            "who answers on a bench; try its dialects, draw it, or serve its simulated instruments",
            "rare-tally bench bench.toml --serve --port 5025",
            {{"serve", "", "serve the simulated instruments on loopback ports until ended"},
             {"try", "",
              "prove the dialects: every command sent, settings read back, captures of known length, times"},
             {"role", "ROLE", "with --try, only this instrument; may be given more than once"},
             {"allow", "WHAT",
              "with --try, also what may harm: outputs, movement, zero; may be given more than once"},
             {"most-level", "LEVEL", "with --try, highest level that sources are set to; -30 dBm without it"},
             {"papers", "FILE", "with --try, a page to keep, as .html, and the same as .json beside it"},
             {"diagram", "FILE", "draw what is connected where, as .svg"},
             {"port", "N", "first port to serve on, the others follow; free ones without it"}},
            "bench",
            perform_bench};
}

}  // namespace rt::cli
