// radio.occupancy: how a transmitter shares the spectrum.
#include "core/measure/procedure.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/trigger.hpp"

namespace rt {
namespace {

constexpr auto occupancy_parameters =
    joined(trigger_rows,
           std::array{
               ParameterInfo{"pause", ParameterKind::quantity, Unit::second, "0 s",
                             "bursts with a gap of at most this belong to one channel occupancy"},
               ParameterInfo{"interference_start", ParameterKind::quantity, Unit::second, "",
                             "time in the record at which interference begins"},
               ParameterInfo{"control_length", ParameterKind::quantity, Unit::second, "0 s",
                             "after the interference, bursts up to this length are short control signalling"},
               ParameterInfo{"control_window", ParameterKind::quantity, Unit::second, "50 ms",
                             "window in which time on is summed after the reaction"},
               iq_centre_parameter,
               iq_rate_parameter,
           },
           iq_part_rows);

constexpr std::array occupancy_traces{
    Product{"power", Unit::dbm, "highest power of each piece of time"},
    Product{"idle_histogram", Unit::count, "how often an idle time occurred"}};
constexpr std::array occupancy_products{
    Product{"occupancies", Unit::count, "channel occupancies that lie wholly in the record"},
    Product{"longest_occupancy", Unit::second, "longest channel occupancy time"},
    Product{"shortest_idle", Unit::second, "shortest idle time between two occupancies"},
    Product{"smallest_idle_share", Unit::percent, "smallest idle time relative to the occupancy before it"},
    Product{"duty_cycle", Unit::percent, "time on over the time observed"},
    Product{"interference_power", Unit::dbm,
            "by how much the mean power outside of bursts rises at interference_start"},
    Product{"reaction_time", Unit::second,
            "from the beginning of interference to the end of the last transmission"},
    Product{"control_share", Unit::percent,
            "largest share of time on in any control_window after the reaction"},
};

struct Occupancy {
    double start, stop;
    bool whole;
};

std::vector<Occupancy> joined(const std::vector<Burst>& bursts, double pause) {
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
    const double from = *low - step / 2;
    std::vector<double> counts(static_cast<std::size_t>((*high - from) / step) + 1);
    for (const double value : idle) counts[static_cast<std::size_t>((value - from) / step)] += 1;
    for (std::size_t i = 0; i < counts.size(); ++i) {
        trace.x.push_back(from + (static_cast<double>(i) + 0.5) * step);
        trace.y.push_back(counts[i]);
    }
    return trace;
}

// The largest time on within any window that begins after `from`.
double largest_share(const std::vector<Burst>& bursts, double from, double end, double window) {
    std::vector<Burst> after;
    for (const auto& burst : bursts) {
        if (burst.start_s >= from) after.push_back(burst);
    }
    double most = 0;
    std::size_t first = 0;
    double on = 0;
    // A window that holds most begins with a burst or ends with one.
    for (std::size_t last = 0; last < after.size(); ++last) {
        on += after[last].length_s();
        while (after[last].stop_s - after[first].stop_s > window) on -= after[first++].length_s();
        const double begin = after[last].stop_s - window;
        const double cut = std::max(0.0, begin - after[first].start_s);
        most = std::max(most, on - cut);
        double forward = 0;
        const double close = after[last].start_s + window;
        for (std::size_t k = last; k < after.size() && after[k].start_s < close; ++k) {
            forward += std::min(after[k].stop_s, close) - after[k].start_s;
        }
        most = std::max(most, forward);
    }
    return 100 * most / std::min(window, end - from);
}

// Mean |x|^2 of what lies outside of bursts within [from, to) by more than a margin; nothing where too little
// does.
std::optional<double> power_outside(const IqRecord& record, const std::vector<Burst>& bursts, double from,
                                    double to) {
    constexpr double margin_s = 10e-6;
    constexpr std::uint64_t piece = 1 << 16, fewest = 64;
    const double rate = record.sample_rate_hz;
    double sum = 0;
    std::uint64_t count = 0;
    const auto add = [&](double begin, double end) {
        const auto last = static_cast<std::uint64_t>(std::max(0.0, std::floor(end * rate)));
        auto at = static_cast<std::uint64_t>(std::ceil(std::max(0.0, begin * rate)));
        for (; at < last; at += piece) {
            for (const auto& x : record.read(at, static_cast<std::size_t>(std::min(piece, last - at))))
                sum += std::norm(std::complex<double>(x)), ++count;
        }
    };
    double free = from;
    for (const auto& burst : bursts) {
        if (burst.stop_s + margin_s <= free) continue;
        add(free, std::min(to, burst.start_s - margin_s));
        free = burst.stop_s + margin_s;
        if (free >= to) break;
    }
    add(free, to);
    if (count < fewest) return std::nullopt;
    return sum / static_cast<double>(count);
}

// What the interference adds where the unit is silent.
void add_interference(const IqRecord& record, const std::vector<Burst>& bursts, double start,
                      Outcome& outcome) {
    const auto before = power_outside(record, bursts, 0, start);
    const auto after = power_outside(record, bursts, start, record.seconds());
    constexpr double seen_db = 1;
    if (!before || !after || *after < *before * std::pow(10, seen_db / 10)) {
        outcome.notes.push_back(
            "no interference is seen in the record: outside of bursts its power does not rise by 1 dB at "
            "interference_start");
        return;
    }
    outcome.results.push_back({"interference_power", level_of(record, *after - *before), {}});
}

void react(const IqRecord& record, const std::vector<Burst>& bursts, const Parameters& p, Outcome& outcome) {
    auto start = p.number("interference_start");
    if (!start) return;
    *start -= record.from_s;
    if (*start < 0 || *start >= record.seconds()) {
        fail_input("parameter interference_start: what is measured lasts from " +
                   format({record.from_s, Unit::second}) + " to " +
                   format({record.from_s + record.seconds(), Unit::second}));
    }
    add_interference(record, bursts, *start, outcome);
    const double control = p.required("control_length");
    double last = *start;
    bool open = false;
    for (const auto& burst : bursts) {
        if (burst.stop_s <= *start) continue;
        if (burst.start_s > *start && burst.length_s() <= control) continue;
        last = burst.stop_s;
        open = !burst.whole && burst.stop_s >= record.seconds() - 1 / record.sample_rate_hz;
    }
    if (open) {
        outcome.notes.push_back("the transmitter is still on at the end of the record: no reaction was seen");
        outcome.add("reaction_time", last - *start, Unit::second, Known::at_least);
        return;
    }
    outcome.add("reaction_time", last - *start, Unit::second);
    const double window = p.required("control_window");
    if (!(window > 0)) fail_input("parameter control_window: must be above 0 s");
    if (record.seconds() - last < window) {
        outcome.notes.push_back("less than " + format({window, Unit::second}) +
                                " were recorded after the reaction");
    }
    outcome.add("control_share", largest_share(bursts, last, record.seconds(), window), Unit::percent);
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
    const auto all = joined(list.bursts, p.required("pause"));
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
    react(record, list.bursts, p, outcome);
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
            "interference begins.",
            occupancy_parameters,
            occupancy_traces,
            occupancy_products,
            iq_setup,
            measure_occupancy,
            preset_named};
}

}  // namespace rt
