// receiver.error-rate: packets lost and bits wrong, counted over a link, no longer than it takes to decide.
#include <fmt/core.h>

#include <array>
#include <cmath>
#include <limits>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/receiver/received_level.hpp"
#include "core/outcome/rows.hpp"
#include "core/stats/counting.hpp"
#include "core/stats/proportion.hpp"

namespace rt {
namespace {

constexpr std::array error_rate_own_parameters{
    ParameterInfo{"packets", ParameterKind::whole_number, Unit::none, "1000",
                  "packets sent for one point; at most, where counting may end early"},
    ParameterInfo{"packet_time", ParameterKind::quantity, Unit::second, "1 ms",
                  "time a packet needs; for estimates of time, and of the time saved where it is stated or "
                  "nothing measured it"},
    ParameterInfo{"confidence", ParameterKind::quantity, Unit::percent, "95 %",
                  "of the stated interval of the error ratio"},
    ParameterInfo{
        "stop", ParameterKind::choice, Unit::none, "count",
        "when counting ends: count (all packets), sequential (Wald's test decides), bounds (an exact "
        "bound is clear of the limit), time (when it is over)",
        "count sequential bounds time"},
    ParameterInfo{"decides", ParameterKind::choice, Unit::none, "packets",
                  "whose errors end it early: packets or bits", "packets bits"},
    ParameterInfo{"limit", ParameterKind::quantity, Unit::percent, "",
                  "error ratio that still passes; that of the rule without it"},
    ParameterInfo{"good", ParameterKind::quantity, Unit::percent, "",
                  "error ratio of a good unit, for sequential; half the limit without it"},
    ParameterInfo{"risk_pass", ParameterKind::quantity, Unit::percent, "5 %",
                  "chance that a unit at the limit ends it early by a pass"},
    ParameterInfo{"risk_fail", ParameterKind::quantity, Unit::percent, "5 %",
                  "chance that a good unit ends it early by a failure"},
    ParameterInfo{"at_once", ParameterKind::whole_number, Unit::none, "",
                  "packets between two decisions; a fiftieth of all without it"},
    ParameterInfo{"time", ParameterKind::quantity, Unit::second, "", "how long to count, for stop = time"},
};
constexpr auto error_rate_parameters = joined(error_rate_own_parameters, received_level_parameters);
constexpr std::array error_rate_own_products{
    Product{"packet_error_ratio", Unit::percent, "packets lost or damaged, of those sent", Trend::falling},
    Product{"packet_error_low", Unit::percent, "lower end of its interval"},
    Product{"packet_error_high", Unit::percent, "upper end of its interval"},
    Product{"packet_error_at_most", Unit::percent, "one-sided upper bound at the same confidence"},
    Product{"bit_error_ratio", Unit::none, "wrong bits, of those compared; only when bits were compared"},
    Product{"bit_error_low", Unit::none, "lower end of its interval"},
    Product{"bit_error_high", Unit::none, "upper end of its interval"},
    Product{"bit_error_at_most", Unit::none, "one-sided upper bound at the same confidence"},
    Product{"packets_sent", Unit::count, "packets sent"},
    Product{"packets_received", Unit::count, "packets received intact"},
    Product{"bits", Unit::count, "bits compared"},
    Product{"bit_errors", Unit::count, "bits that were wrong"},
    Product{"confidence_reached", Unit::percent,
            "how sure it is that the true ratio lies below the limit; only where that is known"},
    Product{"trials_needed", Unit::count,
            "packets (or bits) that would show it at the confidence asked for, with as many errors"},
    Product{"counting_time", Unit::second, "how long it was counted; only where that is known"},
    Product{"decided_limit", Unit::percent, "error ratio that ended it early, on either side"},
    Product{"packets_saved", Unit::count, "not sent, since it was decided before"},
    Product{"time_saved", Unit::second, "the time that these would have taken"},
};
constexpr auto error_rate_products = joined(error_rate_own_products, received_level_products);

void require_confidence(double percent) {
    if (!(percent > 0 && percent < 100))
        fail_input("parameter confidence: must be above 0 % and below 100 %");
}

// The ratio with its interval and the one-sided bound.
void add_ratio(Outcome& outcome, const std::string& name, std::uint64_t events, std::uint64_t trials,
               double confidence, double scale, Unit unit, std::optional<double> decided_at) {
    const auto add = [&](const char* ending, double value) {
        outcome.results.push_back({name + ending, {scale * value, unit}, {}, Known::exactly, decided_at});
    };
    const Interval both = proportion_interval(events, trials, confidence);
    add("_ratio", static_cast<double>(events) / static_cast<double>(trials));
    add("_low", both.low);
    add("_high", both.high);
    add("_at_most", proportion_upper_bound(events, trials, confidence));
}

Stopping stopping_of(const Parameters& p) {
    Stopping out;
    for (const auto kind : {Stopping::Kind::sequential, Stopping::Kind::bounds, Stopping::Kind::time}) {
        if (p.text("stop") == name(kind)) out.kind = kind;
    }
    out.limit = p.number("limit").value_or(0) / 100;
    out.good = p.number("good") ? *p.number("good") / 100 : out.limit / 2;
    out.risk_pass = p.required("risk_pass") / 100, out.risk_fail = p.required("risk_fail") / 100;
    out.by_bits = p.text("decides") == "bits";
    require_valid(out);
    return out;
}

CaptureSetup error_rate_setup(const Parameters& p) {
    const double packets = p.required("packets"), time = p.required("packet_time");
    const double confidence = p.required("confidence");
    if (packets < 1 || packets > 1e9) fail_input("parameter packets: must be 1 to 1000000000");
    if (!(time >= 0)) fail_input("parameter packet_time: cannot be negative");
    require_confidence(confidence);
    CountSetup out{static_cast<std::uint64_t>(packets), time, stopping_of(p)};
    if (out.stopping.kind == Stopping::Kind::count) return out;
    const double at_once = p.number("at_once").value_or(std::ceil(packets / 50));
    if (at_once < 1 || at_once > packets) fail_input("parameter at_once: must be 1 to as many as packets");
    out.at_once = static_cast<std::uint64_t>(at_once);
    out.stopping.looks = (out.packets + out.at_once - 1) / out.at_once;
    if (out.stopping.kind == Stopping::Kind::time) {
        if (!p.number("time")) fail_input("stop = time needs the parameter time: how long to count");
        out.seconds = p.required("time");
        if (!(out.seconds > 0 && out.seconds <= 1e7)) fail_input("parameter time: must be above 0 s");
    }
    return out;
}

// What the rule of an error ratio limits is what decides.
void preset_error_rate(const Rule& rule, Parameters& p) {
    preset_named(rule, p);
    const bool bits = rule.applies_to == "bit_error_ratio" || rule.applies_to == "bit_error_at_most";
    const bool packets = rule.applies_to == "packet_error_ratio" || rule.applies_to == "packet_error_at_most";
    if (!rule.bound() || !rule.bound()->max || p.has("limit") || !(bits || packets)) return;
    if (bits && !p.has("decides")) p.set("decides", "bits");
    if (bits != (p.text("decides") == "bits")) return;
    p.set_quantity("limit", {*rule.bound()->max * (rule.unit == Unit::percent ? 1 : 100), Unit::percent});
}

std::string percent(double ratio) {
    return format({100 * ratio, Unit::percent}, 4);
}

// What ended the counting, and what that spared. Throws Error(signal) where it ended before anything was
// decided.
void add_course(Outcome& outcome, const Counts& c, const Parameters& p) {
    const std::uint64_t lost = c.packets_sent - c.packets_received;
    const bool by_bits = c.stopping.by_bits || p.text("decides") == "bits" || c.packets_sent == 0;
    const auto counted_of = [&](bool bits) {
        return bits ? std::pair{c.bit_errors, c.bits} : std::pair{lost, c.packets_sent};
    };
    const auto [events, trials] = counted_of(by_bits);
    const auto counted = [&](const char* name, double n) { outcome.add(name, n, Unit::count); };
    if (c.seconds) outcome.add("counting_time", *c.seconds, Unit::second);
    outcome.observed_s = c.seconds;
    const std::optional<double> stated = p.number("limit")      ? std::optional(*p.number("limit") / 100)
                                         : c.stopping.limit > 0 ? std::optional(c.stopping.limit)
                                                                : std::nullopt;
    if (stated && trials > 0) {
        outcome.add("confidence_reached", 100 * confidence_below(events, trials, *stated), Unit::percent);
        if (const auto needed = trials_needed(*stated, p.required("confidence") / 100, events))
            counted("trials_needed", static_cast<double>(*needed));
    }
    if (c.planned <= c.counted()) {
        if (c.stopping.kind == Stopping::Kind::sequential || c.stopping.kind == Stopping::Kind::bounds)
            outcome.notes.push_back(fmt::format("all {} packets were counted: {} ended nothing early",
                                                c.packets_sent, text_of(c.stopping)));
        return;
    }
    const auto [wrong, all] = counted_of(c.stopping.by_bits);
    const Course course = course_of(c.stopping, wrong, all);
    if (course == Course::undecided)
        fail_signal(fmt::format("counting ended after {} of {} packets, when nothing was decided ({})",
                                c.counted(), c.planned, text_of(c.stopping)));
    const std::uint64_t saved = c.planned - c.counted();
    // Somebody who states what a packet takes knows better than the clock of a rehearsal.
    const double each = c.seconds && *c.seconds > 0 && !p.stated("packet_time")
                            ? *c.seconds / static_cast<double>(c.packets_sent)
                            : p.required("packet_time");
    outcome.add("decided_limit", 100 * c.stopping.limit, Unit::percent);
    counted("packets_saved", static_cast<double>(saved));
    outcome.add("time_saved", each * static_cast<double>(saved), Unit::second);
    outcome.notes.push_back(
        fmt::format("{} than {} after {} of {} packets ({}); intervals are those of a count fixed before",
                    course == Course::better ? "better" : "worse", percent(c.stopping.limit), c.packets_sent,
                    c.planned, text_of(c.stopping)));
}

Outcome measure_error_rate(Capture capture, const Parameters& p) {
    const Counts counts = take<Counts>(std::move(capture), "receiver.error-rate");
    require_valid(counts, "");
    Outcome outcome;
    if (counts.packets_sent == 0 && counts.bits == 0) {
        outcome.invalid = "nothing was counted: no packets were sent and no bits compared";
        return outcome;
    }
    const double confidence = p.required("confidence");
    require_confidence(confidence);
    const bool early = counts.planned > counts.counted();
    const auto decided = [&](bool bits, double scale) {
        if (!early) return std::optional<double>();
        // What ended it says nothing of the other ratio.
        return std::optional(counts.stopping.by_bits == bits ? scale * counts.stopping.limit
                                                             : std::numeric_limits<double>::quiet_NaN());
    };
    if (counts.packets_sent > 0) {
        const std::uint64_t lost = counts.packets_sent - counts.packets_received;
        add_ratio(outcome, "packet_error", lost, counts.packets_sent, confidence / 100, 100, Unit::percent,
                  decided(false, 100));
    }
    if (counts.bits > 0)
        add_ratio(outcome, "bit_error", counts.bit_errors, counts.bits, confidence / 100, 1, Unit::none,
                  decided(true, 1));
    const auto counted = [&](const char* name, std::uint64_t n) {
        outcome.add(name, static_cast<double>(n), Unit::count);
    };
    if (counts.packets_sent > 0) {
        counted("packets_sent", counts.packets_sent);
        counted("packets_received", counts.packets_received);
    }
    if (counts.bits > 0) {
        counted("bits", counts.bits);
        counted("bit_errors", counts.bit_errors);
    }
    if (!counts.method.empty()) outcome.notes.push_back("counted by: " + counts.method);
    add_course(outcome, counts, p);
    add_received_level(outcome, p);
    return outcome;
}

}  // namespace

Procedure error_rate() {
    return {
        "receiver.error-rate",
        "Packet and bit errors",
        "Counts packets that were sent and did not arrive intact. The interval of the ratio is that of "
        "Clopper and Pearson. Judged is the ratio itself, as standards state their limits; a rule may "
        "judge the one-sided bound instead. With stop = sequential or bounds counting ends as soon as the "
        "limit is decided; what ends so is judged by no stricter limit.",
        error_rate_parameters,
        {},
        error_rate_products,
        error_rate_setup,
        measure_error_rate,
        preset_error_rate};
}

}  // namespace rt
