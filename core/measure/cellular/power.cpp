// cellular.power: power of an uplink while it is on, while it is off, and from slot to slot.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/cellular/uplink.hpp"
#include "core/dsp/bursts.hpp"
#include "core/dsp/channel.hpp"
#include "core/measure/burst_samples.hpp"
#include "core/measure/cellular/uplink_outcome.hpp"

namespace rt {
namespace {

using cellular::Technology;

constexpr auto power_parameters = joined(
    std::array{
        ParameterInfo{"technology", ParameterKind::choice, Unit::none, "lte", "lte or nr", "lte nr"},
        ParameterInfo{"channel_bandwidth", ParameterKind::quantity, Unit::hertz, "20 MHz", "of the channel"},
        ParameterInfo{"subcarrier_spacing", ParameterKind::quantity, Unit::hertz, "15 kHz",
                      "of NR: it says how wide the channel's blocks are, and how long a slot is"},
        ParameterInfo{
            "transient", ParameterKind::quantity, Unit::second, "",
            "at each edge and between slots, where nothing is asked of the power; without it 20 us (LTE) "
            "and 10 us (NR)"},
        ParameterInfo{"step", ParameterKind::quantity, Unit::db, "",
                      "change of power from slot to slot that the unit was told"},
        cellular::band_parameter,
        iq_centre_parameter,
        ParameterInfo{"sample_rate", ParameterKind::quantity, Unit::hertz, "30.72 MHz",
                      "complex samples per second that the analyser records"},
        ParameterInfo{"duration", ParameterKind::quantity, Unit::second, "12 ms",
                      "how long the analyser records"},
        iq_reference_parameter,
    },
    part_rows);

constexpr std::array power_traces{
    Product{"power_curve", Unit::dbm, "power over time, in the channel's blocks"}};
constexpr std::array power_products{
    Product{"power", Unit::dbm, "mean power while the unit is on, without transients", Trend::rising},
    Product{"highest_power", Unit::dbm, "mean power of the strongest slot"},
    Product{"lowest_power", Unit::dbm, "mean power of the weakest slot while it is on"},
    Product{"off_power", Unit::dbm,
            "highest mean power of a time before or after it is on, without transients"},
    Product{"step_greatest", Unit::db, "greatest change from one slot to the next"},
    Product{"step_least", Unit::db, "least change from one slot to the next"},
    Product{"step_error", Unit::db, "farthest that a change lies from the parameter step"},
    Product{"on_time", Unit::second, "how long it is on, longest whole burst"},
};

struct PowerPlan {
    double blocks_hz = 0, slot_s = 0, transient_s = 0;
};

PowerPlan power_plan(const Parameters& p) {
    PowerPlan out;
    const bool nr = p.text("technology") == "nr";
    const double spacing = nr ? p.required("subcarrier_spacing") : 15e3;
    const auto blocks =
        blocks_of(nr ? Technology::nr : Technology::lte, p.required("channel_bandwidth"), spacing);
    if (!blocks)
        fail_input(nr ? "parameters channel_bandwidth and subcarrier_spacing: there is no such channel of NR"
                      : "parameter channel_bandwidth: LTE has channels of 1.4, 3, 5, 10, 15 and 20 MHz");
    require_channel(nr ? Technology::nr : Technology::lte, spacing, p.required("channel_bandwidth"), p);
    out.blocks_hz = 12 * static_cast<double>(*blocks) * spacing;
    // LTE steps from subframe to subframe, which has two slots.
    out.slot_s = nr ? 1e-3 * 15e3 / spacing : 1e-3;
    out.transient_s = p.number("transient").value_or(nr ? 10e-6 : 20e-6);
    if (!(out.transient_s >= 0 && out.transient_s < out.slot_s / 4))
        fail_input("parameter transient: 0 s to a quarter of a slot are possible");
    return out;
}

// Mean |x|^2 of a time; a running sum of pieces would round where one part is 90 dB below another.
double mean_power(const IqRecord& record, double from_s, double to_s) {
    const auto first = static_cast<std::uint64_t>(std::max(0.0, std::ceil(from_s * record.sample_rate_hz)));
    const auto last = std::min<std::uint64_t>(
        record.size(), static_cast<std::uint64_t>(std::max(0.0, std::floor(to_s * record.sample_rate_hz))));
    if (last <= first) return 0;
    double sum = 0;
    constexpr std::uint64_t piece = 1 << 16;
    std::vector<std::complex<float>> x;
    for (std::uint64_t at = first; at < last; at += piece) {
        x = record.read(at, static_cast<std::size_t>(std::min(piece, last - at)));
        for (const auto& value : x) sum += std::norm(std::complex<double>(value));
    }
    return sum / static_cast<double>(last - first);
}

struct SlotPower {
    double start_s, power;
    bool follows;  // the one before it without a gap
};

// Whole slots of a burst, counted from where it begins.
void add_slots(const IqRecord& record, const Burst& burst, const PowerPlan& plan,
               std::vector<SlotPower>& slots) {
    const double margin = plan.transient_s;
    bool follows = false;
    for (double at = burst.start_s; at + plan.slot_s <= burst.stop_s + margin; at += plan.slot_s) {
        slots.push_back({at, mean_power(record, at + margin, at + plan.slot_s - margin), follows});
        follows = true;
    }
}

void add_steps(const std::vector<SlotPower>& slots, const Parameters& p, Outcome& outcome) {
    std::vector<double> steps;
    for (std::size_t i = 1; i < slots.size(); ++i)
        if (slots[i].follows) steps.push_back(10 * std::log10(slots[i].power / slots[i - 1].power));
    if (steps.empty()) {
        for (const char* name : {"step_greatest", "step_least", "step_error"})
            outcome.lacking[name] = "no slot follows another one while the unit is on";
        return;
    }
    const auto [least, greatest] = std::minmax_element(steps.begin(), steps.end());
    outcome.add("step_greatest", *greatest, Unit::db);
    outcome.add("step_least", *least, Unit::db);
    if (const auto step = p.number("step")) {
        outcome.add("step_error", farther(*greatest - *step, *least - *step), Unit::db);
    } else {
        outcome.lacking["step_error"] = "state the parameter step: what the unit was told is not known";
    }
}

// The highest mean power of a time that it is off: before, between and after bursts, up to a slot each.
void add_off(const IqRecord& record, const std::vector<Burst>& bursts, const PowerPlan& plan,
             Outcome& outcome) {
    std::optional<double> highest;
    const auto take = [&](double from, double to) {
        // Next to the burst: a slot of it, or what there is.
        if (to - from < 10 * plan.transient_s + 10e-6) return;
        highest = std::max(highest.value_or(0), mean_power(record, from, to));
    };
    for (std::size_t i = 0; i < bursts.size(); ++i) {
        const double before = i == 0 ? 0 : bursts[i - 1].stop_s + plan.transient_s;
        const double begin = bursts[i].start_s - plan.transient_s;
        take(std::max(before, begin - plan.slot_s), begin);
        const double after =
            i + 1 < bursts.size() ? bursts[i + 1].start_s - plan.transient_s : record.seconds();
        const double end = bursts[i].stop_s + plan.transient_s;
        take(end, std::min(after, end + plan.slot_s));
    }
    if (highest) {
        outcome.results.push_back({"off_power", level_of(record, *highest), {}});
    } else {
        outcome.lacking["off_power"] = "nothing was recorded of a time that it is off, without transients";
    }
}

Trace curve_of(const IqRecord& record) {
    const PowerCurve curve = power_curve(record, 2000);
    Trace out;
    out.name = "power_curve", out.title = "Power over time", out.x_unit = Unit::second, out.x_title = "Time";
    out.y_unit = level_of(record, 1).unit;
    for (std::size_t i = 0; i < curve.time_s.size(); ++i) {
        out.x.push_back(curve.time_s[i] + record.from_s),
            out.y.push_back(level_of(record, curve.mean[i]).value);
    }
    return out;
}

Outcome measure_power(Capture any, const Parameters& p) {
    const PowerPlan plan = power_plan(p);
    const IqRecord wide = take_iq(std::move(any), "cellular.power", p);
    const double shift = p.number("centre").value_or(wide.centre_hz) - wide.centre_hz;
    require_inside(wide, shift);
    if (std::abs(shift) + plan.blocks_hz / 2 > wide.sample_rate_hz / 2)
        fail_input("the channel lies outside of the record's band");
    // Half of the voltage stands half a transition beyond the blocks: all of them pass.
    // Its slope is wide enough for the filter to be quiet again within the transients.
    const double transition = std::max(plan.blocks_hz / 10, 0.5e6);
    const IqRecord record = channel_of(wide, shift, {plan.blocks_hz / 2 + transition / 2, transition});
    Outcome outcome;
    TriggerSettings trigger;
    trigger.hold_off_s = 15e-6, trigger.shortest_s = 5e-6, trigger.smoothing_s = 2e-6;
    const BurstList list = find_bursts(record, trigger);
    std::vector<Burst> bursts = list.bursts;
    // What begins before the record and ends after it is no burst either.
    const bool throughout = bursts.size() == 1 && bursts[0].length_s() > record.seconds() - plan.transient_s;
    if (throughout) bursts.clear();
    if (bursts.empty()) {
        Burst whole;
        whole.start_s = 0, whole.stop_s = record.seconds(), whole.whole = false;
        bursts.push_back(whole);
        outcome.notes.emplace_back("it is on all the time: slots count from the begin of what is measured");
    }
    // What stands in the channel while it is on must stand out of what is beside it, where that was recorded.
    double within = 0, all = 0;
    for (const auto& burst : bursts) {
        within += mean_power(record, burst.start_s, burst.stop_s) * burst.length_s();
        all += mean_power(wide, burst.start_s, burst.stop_s) * burst.length_s();
    }
    const double beside = wide.sample_rate_hz - plan.blocks_hz;
    const bool told = beside > 0.1 * wide.sample_rate_hz;
    if (told ? within / plan.blocks_hz < 4 * std::max(0.0, all - within) / beside
             : list.bursts.empty() && !throughout) {
        outcome.invalid = "no uplink is seen: no more power in the channel than beside it";
        return outcome;
    }
    const bool always = list.bursts.empty() || throughout;
    std::vector<SlotPower> slots;
    double sum = 0, seconds = 0;
    std::optional<double> longest;
    for (const auto& burst : bursts) {
        const double from = burst.start_s + plan.transient_s, to = burst.stop_s - plan.transient_s;
        if (to > from) sum += mean_power(record, from, to) * (to - from), seconds += to - from;
        if (burst.whole) longest = std::max(longest.value_or(0), burst.length_s());
        // Of a burst that begins before the record nobody knows where its slots are.
        if (burst.whole || burst.start_s > 0 || always) add_slots(record, burst, plan, slots);
    }
    outcome.traces.push_back(curve_of(record));
    if (seconds == 0) {
        outcome.invalid = "bursts are shorter than their transients";
        return outcome;
    }
    note_reference(record, outcome);
    outcome.results.push_back({"power", level_of(record, sum / seconds), {}});
    if (slots.empty()) {
        for (const char* name :
             {"highest_power", "lowest_power", "step_greatest", "step_least", "step_error"})
            outcome.lacking[name] = "no whole slot of " + format({plan.slot_s, Unit::second}, 3) + " is on";
    } else {
        const auto [low, high] = std::minmax_element(
            slots.begin(), slots.end(), [](const auto& a, const auto& b) { return a.power < b.power; });
        outcome.results.push_back({"highest_power", level_of(record, high->power), {}});
        outcome.results.push_back({"lowest_power", level_of(record, low->power), {}});
        add_steps(slots, p, outcome);
    }
    add_off(record, bursts, plan, outcome);
    if (longest) {
        outcome.add("on_time", *longest, Unit::second);
    } else {
        outcome.lacking["on_time"] = "the record cuts off every burst";
    }
    outcome.observed_s = record.seconds();
    Table table{"slots", "Slots", {{"start", Unit::second}, {"power", level_of(record, 1).unit}}, {}};
    for (const auto& slot : slots)
        table.rows.push_back({slot.start_s + record.from_s, level_of(record, slot.power).value});
    outcome.tables.push_back(std::move(table));
    return outcome;
}

}  // namespace

// Maximum, minimum and off power, time mask, steps of power (TS 36.521-1 clauses 6.2.2, 6.3.2 to 6.3.5, TS
// 38.521-1 clauses 6.2.1 and 6.3), through a filter as wide as the channel's blocks. Complex samples.
Procedure cellular_power() {
    return {"cellular.power",
            "Power of an uplink: on, off, from slot to slot",
            "Finds when the unit is on, leaves the transients at both edges of each slot out, and takes mean "
            "powers "
            "in the channel's blocks: while it is on, of each slot, and of up to a slot before and after it "
            "is on.",
            power_parameters,
            power_traces,
            power_products,
            iq_setup,
            measure_power,
            preset_named};
}

}  // namespace rt
