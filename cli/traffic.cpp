#include <fmt/core.h>

#include <csignal>
#include <nlohmann/json.hpp>
#include <thread>

#include "cli/command.hpp"
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/traffic_csv.hpp"
#include "lab/simulate/instruments/traffic.hpp"
#include "lab/simulate/serve/server.hpp"
#include "lab/traffic/engine.hpp"

namespace rt::cli {
namespace {

using namespace rt::lab;

volatile std::sig_atomic_t traffic_interrupted = 0;

void heed_interrupts() {
    std::signal(SIGINT, [](int) { traffic_interrupted = 1; });
    std::signal(SIGTERM, [](int) { traffic_interrupted = 1; });
}

ExitCode serve_traffic(const Call& call) {
    const std::size_t port = call.flag("port") ? whole_option(call, "port", 1, 65535) : 0;
    const std::string listen = call.flag("listen") ? call.text("listen") : "127.0.0.1";
    const InstrumentServer server(std::make_shared<TrafficAgent>(listen), static_cast<unsigned short>(port),
                                  Transport::tcp, {}, listen);
    call.console.out("traffic  " + server.address());
    std::fflush(stdout);
    call.console.progress("serving; Ctrl-C ends it");
    heed_interrupts();
    while (!traffic_interrupted) std::this_thread::sleep_for(std::chrono::milliseconds(50));
    return ExitCode::passed;
}

TrafficSetup setup_of(const Call& call) {
    TrafficSetup out;
    const auto number = [&](const char* option, Unit unit, double otherwise) {
        return call.flag(option) ? parse_quantity(call.text(option), unit).value : otherwise;
    };
    out.rate_bps = number("rate", Unit::bit_per_second, 10e6);
    out.seconds = number("time", Unit::second, 5);
    if (call.flag("length")) out.octets = whole_option(call, "length", 32, 65507);
    const std::string way = call.text("way");
    if (way == "backward") out.way = TrafficWay::backward;
    if (way == "both") out.way = TrafficWay::both;
    if (call.flag("way") && way != name(out.way))
        fail_input("--way " + way + ": write forward, backward or both");
    return out;
}

std::string bits(double bps) {
    return format({bps, Unit::bit_per_second}, 4);
}

void print(const Console& console, const Traffic& traffic) {
    std::vector<std::vector<std::string>> rows{{"", "sent", "received", "lost", "again", "late", "offered",
                                                "throughput", "latency 50 %", "99 %", "greatest", "jitter"}};
    const auto time = [](double s) { return format({s, Unit::second}, 3); };
    for (const auto& flow : traffic.flows) {
        const double lost = static_cast<double>(flow.sent - flow.received);
        auto& row = rows.emplace_back();
        row = {flow.way,
               std::to_string(flow.sent),
               std::to_string(flow.received),
               fmt::format("{:.4g} %", flow.sent ? 100 * lost / static_cast<double>(flow.sent) : 0),
               std::to_string(flow.duplicates),
               std::to_string(flow.reordered),
               bits(flow.sent_bps()),
               bits(flow.received_bps())};
        if (flow.latency)
            row.insert(row.end(), {time(flow.latency->half_s), time(flow.latency->most_99_s),
                                   time(flow.latency->greatest_s), time(flow.latency->jitter_s)});
        else
            row.insert(row.end(), 4, "");
    }
    for (const auto& line : aligned(rows, "")) console.out(line);
    if (traffic.distrust) console.out("not to be trusted: " + printable(*traffic.distrust));
}

std::string json_of(const Traffic& traffic) {
    nlohmann::ordered_json out;
    out["distrust"] = nullptr;
    if (traffic.distrust) out["distrust"] = *traffic.distrust;
    for (const auto& flow : traffic.flows) {
        nlohmann::ordered_json one{{"way", flow.way},
                                   {"octets", flow.octets},
                                   {"seconds", flow.seconds},
                                   {"sent", flow.sent},
                                   {"received", flow.received},
                                   {"duplicates", flow.duplicates},
                                   {"reordered", flow.reordered},
                                   {"damaged", flow.damaged},
                                   {"sent_bps", flow.sent_bps()},
                                   {"received_bps", flow.received_bps()},
                                   {"latency", nullptr}};
        if (flow.latency)
            one["latency"] = {
                {"least_s", flow.latency->least_s},       {"half_s", flow.latency->half_s},
                {"most_90_s", flow.latency->most_90_s},   {"most_99_s", flow.latency->most_99_s},
                {"most_999_s", flow.latency->most_999_s}, {"greatest_s", flow.latency->greatest_s},
                {"jitter_s", flow.latency->jitter_s},     {"within_s", flow.latency->uncertain_s}};
        out["flows"].push_back(std::move(one));
    }
    return out.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
}

ExitCode pass_traffic(const Call& call) {
    if (call.flag("serve")) return serve_traffic(call);
    const auto words = call.texts("ends");
    if (words.size() != 2)
        fail_input("traffic needs both ends, addresses or interfaces: rare-tally traffic eth1 192.0.2.7");
    const TrafficSetup setup = setup_of(call);
    heed_interrupts();
    TrafficWatch watch;
    watch.on_progress = [&](const std::string& way, const TrafficProgress& p) {
        if (traffic_interrupted) watch.stop = true;
        call.console.progress(fmt::format("{:4.0f} s  {}", p.seconds, text_of(way, p)));
    };
    const Traffic traffic = run_traffic({words[0], words[1]}, setup, &watch);
    if (call.flag("out")) write_file(call.text("out"), traffic_csv(traffic));
    if (!call.flag("json")) {
        print(call.console, traffic);
    } else {
        call.console.out(json_of(traffic));
    }
    return traffic.distrust ? ExitCode::no_verdict : ExitCode::passed;
}

}  // namespace

Command traffic_command() {
    return {
        "traffic",
        "FROM TO [--rate RATE]",
        "numbered frames of UDP between two addresses or interfaces (or agent:HOST:PORT), counted as they "
        "arrive; --serve is such an agent, and the role traffic of a bench",
        "rare-tally traffic 127.0.0.1 127.0.0.2 --rate \"100 Mbit/s\" --time \"10 s\" --way both",
        {{"rate", "RATE", "payload offered each way; 10 Mbit/s without it"},
         {"length", "OCTETS", "payload of a frame; 1400 without it"},
         {"time", "TIME", "how long; 5 s without it"},
         {"way", "WAY", "forward, backward or both"},
         {"out", "FILE", "write what was counted, for measure receiver.throughput"},
         {"serve", "", "be an instrument for the role traffic of a bench, until Ctrl-C"},
         {"port", "PORT", "of --serve; a free one without it"},
         {"listen", "ADDRESS", "of --serve; 127.0.0.1 without it"}},
        "ends",
        pass_traffic};
}

}  // namespace rt::cli
