// radio.bursts: bursts of a transmitter and their times.
#include "core/measure/procedure.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/measure/spectrum_setup.hpp"
#include "core/measure/trigger.hpp"

namespace rt {
namespace {

constexpr auto bursts_parameters = joined(trigger_rows,
                                          std::array{
                                              gain_parameter,
                                              iq_centre_parameter,
                                              iq_rate_parameter,
                                          },
                                          iq_part_rows);

constexpr std::array bursts_traces{Product{"power", Unit::dbm, "highest power of each piece of time"}};
constexpr std::array bursts_products{
    Product{"bursts", Unit::count, "bursts that lie wholly in the record"},
    Product{"duty_cycle", Unit::percent, "time on over the time observed"},
    Product{"burst_power", Unit::dbm, "highest mean power of a burst"},
    Product{"burst_power_eirp", Unit::dbm, "the same with the gain: the e.i.r.p."},
    Product{"peak_power", Unit::dbm, "highest power"},
    Product{"longest_burst", Unit::second, "longest transmit sequence"},
    Product{"shortest_burst", Unit::second, "shortest transmit sequence"},
    Product{"mean_burst", Unit::second, "mean length"},
    Product{"shortest_gap", Unit::second, "shortest time between two bursts"},
    Product{"longest_gap", Unit::second, "longest time between two bursts"},
    Product{"gap_surplus", Unit::second, "smallest gap minus the burst before it"},
    Product{"mean_period", Unit::second, "mean distance between beginnings"},
    Product{"medium_utilisation", Unit::percent, "e.i.r.p. over 100 mW times the duty cycle (EN 300 328)"},
    Product{"rise_time", Unit::second, "slowest rise, 10 % to 90 % of the mean power"},
    Product{"fall_time", Unit::second, "slowest fall"},
};

// The slowest of the edges that can be timed: those that cannot may be slower.
void add_slowest(const char* name, const std::vector<Burst>& whole, std::optional<double> Burst::*time,
                 Outcome& outcome) {
    double slowest = 0;
    std::size_t timed = 0;
    for (const auto& burst : whole) {
        timed += (burst.*time).has_value();
        slowest = std::max(slowest, (burst.*time).value_or(0));
    }
    if (timed > 0)
        outcome.add(name, slowest, Unit::second, timed < whole.size() ? Known::at_least : Known::exactly);
    if (timed == whole.size()) return;
    outcome.notes.push_back(
        fmt::format("{}: {} of {} bursts do not go from 10 % to 90 % of their mean power beside their edge",
                    name, whole.size() - timed, whole.size()));
}

// `cut` is the length seen of the longest burst that the record cuts off: it was at least so long.
void add_lengths(const std::vector<Burst>& whole, double cut, Outcome& outcome) {
    if (whole.empty()) {
        outcome.add_greatest("longest_burst", 0, cut, Unit::second);
        return;
    }
    double longest = 0, shortest = whole.front().length_s(), sum = 0;
    for (const auto& burst : whole) {
        longest = std::max(longest, burst.length_s());
        shortest = std::min(shortest, burst.length_s());
        sum += burst.length_s();
    }
    outcome.add_greatest("longest_burst", longest, cut, Unit::second);
    outcome.add("shortest_burst", shortest, Unit::second);
    outcome.add("mean_burst", sum / static_cast<double>(whole.size()), Unit::second);
    add_slowest("rise_time", whole, &Burst::rise_s, outcome);
    add_slowest("fall_time", whole, &Burst::fall_s, outcome);
}

void add_gaps(const std::vector<Burst>& all, Outcome& outcome) {
    if (all.size() < 2) return;
    double shortest = 1e300, longest = 0, surplus = 1e300;
    for (std::size_t i = 0; i + 1 < all.size(); ++i) {
        const double gap = all[i + 1].start_s - all[i].stop_s;
        shortest = std::min(shortest, gap);
        longest = std::max(longest, gap);
        if (all[i].whole) surplus = std::min(surplus, gap - all[i].length_s());
    }
    outcome.add("shortest_gap", shortest, Unit::second);
    outcome.add("longest_gap", longest, Unit::second);
    if (surplus < 1e299) outcome.add("gap_surplus", surplus, Unit::second);
    outcome.add("mean_period",
                (all.back().start_s - all.front().start_s) / static_cast<double>(all.size() - 1),
                Unit::second);
}

Table::Cell cell_of(std::optional<double> value) {
    return value ? Table::Cell(*value) : Table::Cell(std::string());
}

Outcome measure_bursts(Capture any, const Parameters& p) {
    const IqRecord record = take_iq(std::move(any), "radio.bursts", p);
    const BurstList list = bursts_of(record, p);
    Outcome outcome;
    Trace trace = power_trace(record);
    std::vector<Burst> whole;
    double on = 0, highest = 0, peak = 0, cut = 0;
    const Unit unit = level_of(record, 1).unit;
    Table table{"bursts",
                "Bursts",
                {{"start", Unit::second},
                 {"length", Unit::second},
                 {"power", unit},
                 {"peak", unit},
                 {"rise", Unit::second},
                 {"fall", Unit::second},
                 {"remark"}},
                {}};
    for (const auto& burst : list.bursts) {
        on += burst.length_s();
        peak = std::max(peak, burst.peak);
        highest = std::max(highest, burst.power);
        if (burst.whole) whole.push_back(burst);
        if (!burst.whole) cut = std::max(cut, burst.length_s());
        table.rows.push_back({burst.start_s + record.from_s, burst.length_s(),
                              level_of(record, burst.power).value, level_of(record, burst.peak).value,
                              cell_of(burst.rise_s), cell_of(burst.fall_s),
                              std::string(burst.whole ? "" : "cut off by the record")});
    }
    outcome.traces.push_back(std::move(trace));
    if (list.bursts.empty()) {
        outcome.invalid = no_burst(record, list);
        return outcome;
    }
    const double duty = 100 * on / record.seconds();
    outcome.add("bursts", static_cast<double>(whole.size()), Unit::count);
    outcome.add("duty_cycle", duty, Unit::percent);
    const Quantity power = level_of(record, highest);
    outcome.results.push_back({"burst_power", power, {}});
    outcome.results.push_back({"peak_power", level_of(record, peak), {}});
    if (record.reference_level_dbm) {
        const double eirp = power.value + p.required("gain");
        outcome.add("burst_power_eirp", eirp, Unit::dbm);
        outcome.add("medium_utilisation", std::pow(10, eirp / 10) / 100 * duty, Unit::percent);
    }
    add_lengths(whole, cut, outcome);
    add_gaps(list.bursts, outcome);
    if (whole.size() != list.bursts.size()) {
        outcome.notes.push_back(
            "bursts cut off by the ends of the record count for the duty cycle, and for the longest burst by "
            "what "
            "was seen of them");
    }
    outcome.notes.push_back("trigger level " + format(level_of(record, std::pow(10, list.level_db / 10)), 4));
    outcome.tables.push_back(std::move(table));
    note_reference(record, outcome);
    return outcome;
}

}  // namespace

// Duty cycle, transmit sequences and gaps, medium utilisation, power of each burst (EN 300 328 clause 5.4.2).
// Table `bursts`, trace `power`.
Procedure bursts() {
    return {
        "radio.bursts",
        "Bursts, duty cycle, sequences and gaps",
        "Finds bursts with a trigger (level, hysteresis, hold-off) in the squared magnitude of complex "
        "samples. "
        "EN 300 328 clause 5.4.2 takes the trigger 30 dB below the highest power. Edges are where the power, "
        "averaged over 0.2 us (three samples at least), crosses the trigger.",
        bursts_parameters,
        bursts_traces,
        bursts_products,
        iq_setup,
        measure_bursts,
        preset_named};
}

}  // namespace rt
