// receiver.throughput: what of an offered traffic arrives, how late, and for how long nothing does.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/receiver/phy_rate.hpp"
#include "core/measure/receiver/received_level.hpp"
#include "core/outcome/rows.hpp"

namespace rt {
namespace {

constexpr std::array throughput_own_parameters{
    ParameterInfo{"rate", ParameterKind::quantity, Unit::bit_per_second, "",
                  "offered each way, bits of the payload of UDP; load in place of it"},
    ParameterInfo{"load", ParameterKind::quantity, Unit::percent, "",
                  "the same as a share of the theoretical rate of the mode"},
    ParameterInfo{"octets", ParameterKind::whole_number, Unit::none, "1400",
                  "payload of a frame, 32 to 65507"},
    ParameterInfo{"time", ParameterKind::quantity, Unit::second, "2 s", "how long it is sent"},
    ParameterInfo{"way", ParameterKind::choice, Unit::none, "forward",
                  "from the first end to the second, back, or both at once", "forward backward both"},
    ParameterInfo{"generation", ParameterKind::choice, Unit::none, "",
                  "of IEEE 802.11, for the theoretical rate", "a b g n ac ax"},
    ParameterInfo{"mcs", ParameterKind::quantity, Unit::none, "", "modulation and coding: n, ac, ax"},
    ParameterInfo{"phy_rate", ParameterKind::quantity, Unit::bit_per_second, "", "of a, b and g: 54 Mb/s"},
    ParameterInfo{"streams", ParameterKind::whole_number, Unit::none, "1", "spatial streams: ac, ax"},
    ParameterInfo{"width", ParameterKind::quantity, Unit::hertz, "20 MHz", "of the channel"},
    ParameterInfo{"guard", ParameterKind::quantity, Unit::second, "800 ns", "guard interval: n, ac, ax"},
};
constexpr auto throughput_parameters = joined(throughput_own_parameters, received_level_parameters);
constexpr std::array throughput_traces{
    Product{"throughput_over_time", Unit::bit_per_second, "received, step by step"},
    Product{"loss_over_time", Unit::percent, "not received of those sent, step by step"},
};
constexpr std::array throughput_own_results{
    Product{"throughput", Unit::bit_per_second, "payload received, each frame once; of both ways the lower",
            Trend::rising},
    Product{"throughput_forward", Unit::bit_per_second, "from the first end to the second"},
    Product{"throughput_backward", Unit::bit_per_second, "from the second end to the first"},
    Product{"least_throughput", Unit::bit_per_second, "in the worst step of time"},
    Product{"frame_loss", Unit::percent, "frames not received, of those sent; of both ways the greater",
            Trend::falling},
    Product{"offered_rate", Unit::bit_per_second, "payload really sent; of both ways the lower"},
    Product{"theoretical_rate", Unit::bit_per_second, "of the mode, by IEEE 802.11"},
    Product{"share_of_theoretical", Unit::percent, "throughput over the theoretical rate", Trend::rising},
    Product{"longest_gap", Unit::second, "longest time in which nothing arrived, in whole steps"},
    Product{"frames_sent", Unit::count, "of both ways together"},
    Product{"frames_received", Unit::count, "each once"},
    Product{"duplicates", Unit::count, "frames that came again"},
    Product{"reordered", Unit::count, "frames that came behind one sent later"},
    Product{"damaged", Unit::count, "frames that came with another length or content"},
    Product{"latency_least", Unit::second, "from sending to receiving, where both ends have one clock"},
    Product{"latency_half", Unit::second, "half of the frames took no longer"},
    Product{"latency_90", Unit::second, "90 % took no longer"},
    Product{"latency_99", Unit::second, "99 % took no longer"},
    Product{"latency_999", Unit::second, "99.9 % took no longer"},
    Product{"latency_greatest", Unit::second, "of the slowest frame"},
    Product{"jitter", Unit::second, "mean difference of neighbours (RFC 3550, 6.4.1)"},
};
constexpr auto throughput_results = joined(throughput_own_results, received_level_products);

std::optional<WlanMode> mode_of(const Parameters& p) {
    if (p.text("generation").empty()) {
        for (const char* other : {"mcs", "phy_rate", "load"}) {
            if (p.number(other))
                fail_input(std::string("parameter ") + other +
                           " needs the parameter generation: a, b, g, n, ac or ax");
        }
        return std::nullopt;
    }
    WlanMode out;
    out.generation = p.text("generation");
    out.streams = static_cast<int>(p.required("streams"));
    out.width_mhz = static_cast<int>(std::lround(p.required("width") / 1e6));
    out.guard_s = p.required("guard");
    const bool old = out.generation == "a" || out.generation == "b" || out.generation == "g";
    if (old)
        out.rate_bps = p.required("phy_rate");
    else
        out.mcs = static_cast<int>(std::lround(p.required("mcs")));
    return out;
}

CaptureSetup throughput_setup(const Parameters& p) {
    const auto mode = mode_of(p);
    const double theoretical = mode ? phy_rate(*mode) : 0;
    TrafficSetup out;
    if (p.number("rate").has_value() == p.number("load").has_value())
        fail_input("how much is offered? Give either rate (100 Mb/s) or load (60 %, with generation)");
    out.rate_bps = p.number("rate") ? *p.number("rate") : theoretical * *p.number("load") / 100;
    if (!(out.rate_bps > 0)) fail_input("parameter rate: must be above 0 bit/s");
    if (out.rate_bps > 1e11) fail_input("parameter rate: more than 100 Gb/s");
    const double octets = p.required("octets");
    if (octets < 32 || octets > 65507) fail_input("parameter octets: must be 32 to 65507");
    out.octets = static_cast<std::uint64_t>(octets);
    out.seconds = p.required("time");
    if (!(out.seconds > 0 && out.seconds <= 1e6)) fail_input("parameter time: must be above 0 s");
    out.way = p.text("way") == "backward" ? TrafficWay::backward
              : p.text("way") == "both"   ? TrafficWay::both
                                          : TrafficWay::forward;
    return out;
}

Trace over_time(const TrafficFlow& flow, bool loss, bool several) {
    Trace out;
    const Product& product = throughput_traces[loss ? 1 : 0];
    out.name = std::string(product.name) + (several && flow.way == "backward" ? "_backward" : "");
    out.title = (loss ? "Loss" : "Throughput") + std::string(several ? ", " + flow.way : "");
    out.x_title = "Time", out.x_unit = Unit::second, out.y_unit = product.unit;
    const double step = flow.step_s();
    for (std::size_t i = 0; i < flow.steps.size(); ++i) {
        const auto& one = flow.steps[i];
        if (loss && one.sent == 0) continue;
        // The last step may be short.
        const double length = std::min(step, flow.seconds - one.at_s);
        if (!(length > 0)) continue;
        const double sent = static_cast<double>(one.sent), came = static_cast<double>(one.received);
        out.x.push_back(one.at_s + length / 2);
        out.y.push_back(loss ? 100 * std::max(0.0, 1 - came / sent)
                             : 8 * static_cast<double>(flow.octets) * came / length);
    }
    return out;
}

Outcome measure_throughput(Capture capture, const Parameters& p) {
    const Traffic traffic = take<Traffic>(std::move(capture), "receiver.throughput");
    require_valid(traffic, "");
    if (traffic.flows.empty()) fail_signal("no traffic was counted");
    Outcome out;
    const bool several = traffic.flows.size() > 1;
    double throughput = 1e300, offered = 1e300, loss = 0, gap = 0, least = 1e300;
    std::uint64_t sent = 0, received = 0, duplicates = 0, reordered = 0, damaged = 0;
    std::optional<TrafficFlow::Latency> latency;
    for (const auto& flow : traffic.flows) {
        if (flow.sent == 0) fail_signal("no frame was sent " + flow.way);
        // What the tool cannot send the unit cannot lose.
        constexpr double enough = 0.95;
        if (flow.sent_bps() < enough * flow.offered_bps)
            fail_signal(
                fmt::format("only {} of the {} asked for were sent {}: the sending end cannot keep up",
                            format({flow.sent_bps(), Unit::bit_per_second}, 4),
                            format({flow.offered_bps, Unit::bit_per_second}, 4), flow.way));
        throughput = std::min(throughput, flow.received_bps()), offered = std::min(offered, flow.sent_bps());
        loss =
            std::max(loss, 100 * (1 - static_cast<double>(flow.received) / static_cast<double>(flow.sent)));
        gap = std::max(gap, flow.longest_gap_s());
        sent += flow.sent, received += flow.received, duplicates += flow.duplicates;
        reordered += flow.reordered, damaged += flow.damaged;
        // The worse of both ways.
        if (flow.latency && (!latency || flow.latency->most_99_s > latency->most_99_s))
            latency = flow.latency;
        out.traces.push_back(over_time(flow, false, several));
        out.traces.push_back(over_time(flow, true, several));
        const Trace& curve = out.traces[out.traces.size() - 2];
        for (std::size_t i = 0; i + 1 < curve.y.size(); ++i) least = std::min(least, curve.y[i]);
        if (curve.y.size() == 1) least = std::min(least, curve.y[0]);
        out.observed_s = std::min(out.observed_s.value_or(flow.seconds), flow.seconds);
    }
    out.add("throughput", throughput, Unit::bit_per_second);
    for (const auto& flow : traffic.flows)
        out.add(flow.way == "forward" ? "throughput_forward" : "throughput_backward", flow.received_bps(),
                Unit::bit_per_second);
    if (least < 1e300) out.add("least_throughput", least, Unit::bit_per_second);
    out.add("frame_loss", loss, Unit::percent);
    out.add("offered_rate", offered, Unit::bit_per_second);
    if (const auto mode = mode_of(p)) {
        const double theoretical = phy_rate(*mode);
        out.add("theoretical_rate", theoretical, Unit::bit_per_second);
        out.add("share_of_theoretical", 100 * throughput / theoretical, Unit::percent);
        out.notes.push_back("theoretical rate of " + text_of(*mode));
    }
    out.add("longest_gap", gap, Unit::second);
    const auto counted = [&](const char* name, std::uint64_t n) {
        out.add(name, static_cast<double>(n), Unit::count);
    };
    counted("frames_sent", sent), counted("frames_received", received), counted("duplicates", duplicates);
    counted("reordered", reordered), counted("damaged", damaged);
    if (latency) {
        const double within = latency->uncertain_s;
        for (const auto& [name, value] : {std::pair{"latency_least", latency->least_s},
                                          {"latency_half", latency->half_s},
                                          {"latency_90", latency->most_90_s},
                                          {"latency_99", latency->most_99_s},
                                          {"latency_999", latency->most_999_s},
                                          {"latency_greatest", latency->greatest_s}})
            out.results.push_back(
                {name, {value, Unit::second}, within > 0 ? std::optional(within) : std::nullopt});
        if (within > 0)
            out.notes.push_back("latencies: the clocks of both ends agree within " +
                                format({within, Unit::second}, 2));
        out.add("jitter", latency->jitter_s, Unit::second);
    } else if (received > 0) {
        out.notes.emplace_back("no latency: the clocks of both ends do not agree");
    }
    add_received_level(out, p);
    if (gap >= 1)
        out.notes.push_back("nothing arrived for " + format({gap, Unit::second}, 3) +
                            ": was the association lost?");
    return out;
}

}  // namespace

Procedure receiver_throughput() {
    return {
        "receiver.throughput",
        "Throughput, loss and latency of traffic",
        "Numbered frames of UDP are sent at a steady rate; counted is what arrives, each frame once. Bits "
        "are those of the frames' payload. The theoretical rate is that of IEEE 802.11 for the mode "
        "stated. "
        "Nothing is judged where the sending end does not reach the rate asked for, or the receiving end "
        "lost frames itself.",
        throughput_parameters,
        throughput_traces,
        throughput_results,
        throughput_setup,
        measure_throughput,
        preset_named};
}

}  // namespace rt
