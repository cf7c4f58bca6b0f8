// radio.occupancy: how a transmitter shares the spectrum.
#include "core/measure/procedure.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/measure/radio/occupancy/reaction.hpp"

namespace rt {
namespace {

constexpr auto occupancy_parameters =
    joined(trigger_rows,
           std::array{
               ParameterInfo{"pause", ParameterKind::quantity, Unit::second, "0 s",
                             "bursts with a gap of at most this belong to one channel occupancy"},
               iq_centre_parameter,
               iq_rate_parameter,
           },
           reaction_rows, iq_part_rows);

constexpr std::array occupancy_traces{
    Product{"power", Unit::dbm, "highest power of each piece of time"},
    Product{"idle_histogram", Unit::count, "how often an idle time occurred"}};
constexpr auto occupancy_products = joined(
    std::array{
        Product{"occupancies", Unit::count, "channel occupancies that lie wholly in the record"},
        Product{"longest_occupancy", Unit::second, "longest channel occupancy time"},
        Product{"shortest_idle", Unit::second, "shortest idle time between two occupancies"},
        Product{"smallest_idle_share", Unit::percent,
                "smallest idle time relative to the occupancy before it"},
        Product{"duty_cycle", Unit::percent, "time on over the time observed"},
    },
    reaction_products);

struct Occupancy {
    double start, stop;
    bool whole;
};

std::vector<Occupancy> occupancies_of(const std::vector<Burst>& bursts, double pause) {
    std::vector<Occupancy> out;
    for (const auto& burst : bursts) {
        if (!out.empty() && burst.start_s - out.back().stop <= pause) {
            out.back().stop = burst.stop_s;
            out.back().whole = out.back().whole && burst.whole;
        } else {
            out.push_back({burst.start_s, burst.stop_s, burst.whole});
        }
    }
    return out;
}

Trace histogram(const std::vector<double>& idle) {
    Trace trace;
    trace.name = "idle_histogram";
    trace.title = "Idle times";
    trace.x_unit = Unit::second;
    trace.x_title = "Idle time";
    trace.y_unit = Unit::count;
    trace.shape = Shape::bars;
    const auto [low, high] = std::minmax_element(idle.begin(), idle.end());
    constexpr std::size_t bars = 50;
    const double step = std::max((*high - *low) / bars, 1e-6);
    // An empty bar at either end: a single one has no width to draw.
    const double from = *low - 1.5 * step;
    std::vector<double> counts(static_cast<std::size_t>((*high - from) / step) + 2);
    for (const double value : idle) counts[static_cast<std::size_t>((value - from) / step)] += 1;
    for (std::size_t i = 0; i < counts.size(); ++i) {
        trace.x.push_back(from + (static_cast<double>(i) + 0.5) * step);
        trace.y.push_back(counts[i]);
    }
    return trace;
}

Outcome measure_occupancy(Capture any, const Parameters& p) {
    const IqRecord record = take_iq(std::move(any), "radio.occupancy", p);
    const BurstList list = bursts_of(record, p);
    Outcome outcome;
    outcome.traces.push_back(power_trace(record));
    if (list.bursts.empty()) {
        outcome.invalid = no_burst(record, list);
        return outcome;
    }
    const auto all = occupancies_of(list.bursts, p.required("pause"));
    // Of occupancies that the record cuts off what was seen is a least length, and makes a greatest share.
    double on = 0, longest = 0, cut = 0, share = 1e300, cut_share = 1e300, whole = 0;
    std::vector<double> idle;
    Table table{"occupancies",
                "Channel occupancies",
                {{"start", Unit::second},
                 {"length", Unit::second},
                 {"idle_after", Unit::second},
                 {"idle_share", Unit::percent},
                 {"remark"}},
                {}};
    for (const auto& burst : list.bursts) on += burst.length_s();
    for (std::size_t i = 0; i < all.size(); ++i) {
        const double length = all[i].stop - all[i].start;
        auto& row = table.rows.emplace_back();
        row = {all[i].start + record.from_s, length, std::string(), std::string(),
               std::string(all[i].whole ? "" : "cut off by the record")};
        if (all[i].whole) {
            whole += 1;
            longest = std::max(longest, length);
        } else {
            cut = std::max(cut, length);
        }
        if (i + 1 == all.size()) continue;
        idle.push_back(all[i + 1].start - all[i].stop);
        row[2] = idle.back();
        if (!all[i].whole) {
            cut_share = std::min(cut_share, 100 * idle.back() / length);
            continue;
        }
        row[3] = 100 * idle.back() / length;
        share = std::min(share, 100 * idle.back() / length);
    }
    outcome.add("occupancies", whole, Unit::count);
    outcome.add_greatest("longest_occupancy", longest, cut, Unit::second);
    outcome.add("duty_cycle", 100 * on / record.seconds(), Unit::percent);
    if (!idle.empty()) {
        outcome.add("shortest_idle", *std::min_element(idle.begin(), idle.end()), Unit::second);
        outcome.traces.push_back(histogram(idle));
    }
    if (std::min(share, cut_share) < 1e299) {
        outcome.add("smallest_idle_share", std::min(share, cut_share), Unit::percent,
                    cut_share < share ? Known::at_most : Known::exactly);
    }
    add_reaction(record, list, p, outcome);
    outcome.tables.push_back(std::move(table));
    note_reference(record, outcome);
    return outcome;
}

}  // namespace

// Channel occupancy times, the idle times after them, and the reaction to interference (EN 300 328
// clauses 4.3.1.7 and 4.3.2.6, EN 301 893 clause 4.2.7). Tables `occupancies`, traces `power` and
// `idle_histogram`.
Procedure occupancy() {
    return {"radio.occupancy",
            "Channel occupancy, idle times and reaction to interference",
            "Joins bursts into channel occupancies and measures the idle times between them (the idle time "
            "is to be "
            "at least 5 % of the occupancy before it: EN 300 328, EN 301 893), and how soon transmission "
            "stops after "
            "interference begins, given or found where the power between bursts rises.",
            occupancy_parameters,
            occupancy_traces,
            occupancy_products,
            iq_setup,
            measure_occupancy,
            preset_named};
}

}  // namespace rt
