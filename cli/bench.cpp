#include <csignal>
#include <nlohmann/json.hpp>
#include <optional>
#include <thread>

#include "cli/bench_look.hpp"
#include "cli/bench_map.hpp"
#include "cli/command.hpp"
#include "cli/shipped.hpp"
#include "cli/try_bench.hpp"
#include "core/base/text.hpp"
#include "lab/bench/scpi_session.hpp"
#include "lab/formats/bench_file.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/proof/propose.hpp"
#include "lab/report/connection_diagram.hpp"
#include "lab/simulate/instruments/bench.hpp"
#include "lab/simulate/serve/port_mapper.hpp"

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
    const std::string listen = call.flag("listen") ? call.text("listen") : "127.0.0.1";
    unsigned short vxi11 = 0;
    std::size_t served = 0;
    for (const auto& instrument : bench.instruments) {
        if (!instrument.simulated()) continue;
        const InstrumentServer& server = simulated.serve(instrument, port, listen);
        if (instrument.place.name == "vxi11" && vxi11 == 0)
            vxi11 = static_cast<unsigned short>(std::stoi(server.port()));
        if (port != 0) ++port;
        ++served;
        call.console.out(instrument.role + "  " + server.address());
    }
    if (served == 0)
        fail_input(bench.file.string(), "no instrument of this bench has the address \"simulated\"");
    std::optional<PortMapper> mapper;
    if (call.flag("port-mapper")) {
        if (vxi11 == 0) fail_input(bench.file.string(), "no instrument has the address \"simulated:vxi11\"");
        mapper.emplace(listen, vxi11);
    }
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

ExitCode discover(const Call& call) {
    const std::filesystem::path file = call.text("out");
    if (call.flag("out") && file.extension() != ".toml")
        fail_input("--out " + file.string() + ": the name must end in .toml");
    if (!file.empty() && std::filesystem::exists(file))
        fail_input(file.string(), "is there already: give another name");
    double seconds = 3;
    if (call.flag("time")) seconds = parse_quantity(call.text("time"), Unit::second).value;
    if (!(seconds >= 0.1 && seconds <= 600)) fail_input("--time " + call.text("time") + ": 100 ms to 10 min");
    const auto time = to_milliseconds(seconds);
    Blind blind;
    std::vector<Sighting> seen = look_by_name(time, blind);
    const auto add = [&](const std::vector<Sighting>& more) {
        seen.insert(seen.end(), more.begin(), more.end());
    };
    for (const auto& interface : call.texts("interface")) add(look_by_broadcast(interface, time, blind));
    add(look_at_usb(blind));
    add(look_at_serial_lines());
    constexpr std::chrono::milliseconds patience(1000);
    const auto found = ask_found(seen, shipped_dialects(), patience);
    nlohmann::ordered_json list = nlohmann::ordered_json::array();
    std::vector<std::vector<std::string>> rows;
    for (const auto& one : found) {
        const std::string like = one.dialect.empty()
                                     ? one.trouble
                                     : "like " + one.dialect + ": " + std::to_string(one.answered) + " of " +
                                           std::to_string(one.asked) + " questions";
        rows.push_back({one.seen.address, one.seen.by,
                        printable(one.identity.empty() ? one.seen.called : one.identity), printable(like)});
        list.push_back({{"address", one.seen.address},
                        {"by", one.seen.by},
                        {"called", one.seen.called},
                        {"identity", one.identity},
                        {"kind", one.kind},
                        {"dialect", one.dialect},
                        {"trouble", one.trouble}});
    }
    if (call.flag("json")) {
        call.console.out(list.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace));
    } else {
        for (const auto& line : aligned(rows, "")) call.console.out(line);
        if (found.empty()) call.console.out("nobody was found");
    }
    for (const auto& why : blind) call.console.progress("not looked at " + why);
    if (!call.flag("interface"))
        call.console.progress("no broadcast was sent: --interface NAME asks for VXI-11 there");
    if (!file.empty()) {
        write_file(file, begun_bench(found));
        call.console.progress("wrote " + file.string() + ": a bench begun from it");
    }
    return ExitCode::passed;
}

ExitCode perform_bench(const Call& call) {
    if (call.flag("discover")) {
        if (!call.texts("bench").empty())
            fail_input("--discover looks for instruments of no bench: leave the file out");
        return discover(call);
    }
    const auto files = call.texts("bench");
    if (files.size() != 1) fail_input("bench needs one bench file: rare-tally bench BENCH");
    const Bench bench = read_bench(files.front(), DiskFiles(share_folder() / "dialects"));
    if (call.flag("serve")) return serve(call, bench);
    if (call.flag("diagram")) return draw_diagram(call, bench);
    if (call.flag("look")) {
        SimulatedBench simulated(bench);
        return look_at_role(call, bench, simulated);
    }
    if (call.flag("map")) {
        SimulatedBench simulated(bench);
        return write_map(call, bench, simulated);
    }
    if (call.flag("try")) {
        SimulatedBench simulated(bench);
        return try_bench(call, bench, simulated);
    }
    return identify_all(call, bench);
}

}  // namespace

Command bench_command() {
    return {
        "bench",
        "BENCH [--look ROLE | --try | --serve | --diagram FILE], or --discover",
        "who answers on a bench; look what comes in, try its dialects, draw it, or serve its simulated "
        "instruments",
        "rare-tally bench bench.toml --serve --port 5025",
        {{"serve", "", "serve the simulated instruments on loopback ports until ended"},
         {"listen", "ADDRESS", "with --serve, where it listens; 127.0.0.1 without it"},
         {"port-mapper", "", "with --serve, also a port mapper on port 111 for the first VXI-11 instrument"},
         {"try", "",
          "prove the dialects: every command sent, settings read back, captures of known length, times"},
         {"role", "ROLE", "with --try, only this instrument; may be given more than once"},
         {"allow", "WHAT",
          "with --try, also what may harm: outputs, movement, zero; may be given more than once"},
         {"most-level", "LEVEL", "with --try, highest level that sources are set to; -30 dBm without it"},
         {"papers", "FILE", "with --try, a page to keep, as .html, and the same as .json beside it"},
         {"discover", "", "look for instruments: by name in the network, on USB, on serial lines"},
         {"interface", "NAME", "with --discover, also by a broadcast of VXI-11 on this network interface"},
         {"time", "TIME", "with --discover, how long is listened; 3 s without it"},
         {"out", "FILE", "with --discover, a bench begun from who answered, .toml"},
         {"look", "ROLE",
          "show what comes in at an instrument, again and again until Enter; nothing is kept"},
         {"procedure", "NAME",
          "with --look, what is looked at; the usual one of the instrument's kind without it"},
         {"set", "NAME=VALUE", "with --look, parameter of the procedure; may be given more than once"},
         {"map", "FILE", "a wafer map, .toml, from what the stage of the bench says of its dies and devices"},
         {"teach", "", "with --map, pitches and places of devices are shown by moving the stage there"},
         {"reference", "DIE", "with --map, the reference die, COLUMN,ROW; as the stage says without it"},
         {"diagram", "FILE", "draw what is connected where, as .svg"},
         {"port", "N", "first port to serve on, the others follow; free ones without it"}},
        "bench",
        perform_bench};
}

}  // namespace rt::cli
