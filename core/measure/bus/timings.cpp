#include "core/measure/bus/timings.hpp"

#include <algorithm>
#include <cmath>

namespace rt {
namespace {

std::string result_name(const Timing& timing, bool greatest) {
    return std::string(timing.name) + (greatest ? "_greatest" : "_least");
}

Trace view_of(const std::vector<NamedSignal>& lines, double at_s, double value_s, double reach_s,
              const std::string& result) {
    const Signal& first = lines.front().signal;
    const double middle = at_s / first.step_s, reach = reach_s / first.step_s;
    const auto size = static_cast<double>(first.size());
    const auto from = static_cast<std::uint64_t>(std::clamp(middle - reach / 2, 0.0, size));
    const auto to = static_cast<std::uint64_t>(std::clamp(middle + 2 * reach, 0.0, size));
    constexpr std::uint64_t most = 20000;
    Trace trace;
    trace.name = "view_" + result;
    trace.title = lines.front().title;
    trace.x_unit = Unit::second;
    trace.x_title = "Time";
    trace.y_unit = Unit::volt;
    trace.shows = result;
    std::vector<float> volts(static_cast<std::size_t>(std::min(to - from, most)));
    for (const NamedSignal& line : lines) {
        line.signal.samples->read(from, volts);
        std::vector<double> y(volts.begin(), volts.end());
        if (&line == &lines.front()) {
            trace.y = std::move(y);
        } else {
            trace.companions.push_back({line.title, std::move(y)});
        }
    }
    for (std::size_t i = 0; i < volts.size(); ++i)
        trace.x.push_back(static_cast<double>(from + i) * first.step_s + first.from_s);
    trace.interval = Trace::Interval{at_s + first.from_s, at_s + value_s + first.from_s};
    return trace;
}

}  // namespace

void add_timings(const std::vector<Timing>& timings, double origin_s, Outcome& outcome,
                 const std::vector<BusMark>& marks, const BusWords& words) {
    const auto give = [&](const Timing& timing, bool greatest) {
        const Spread& s = *timing.spread;
        const std::string name = result_name(timing, greatest);
        outcome.add(name.c_str(), greatest ? s.greatest : s.least, Unit::second);
        if (s.keep == 0) return;
        auto kept = greatest ? s.uppermost : s.lowest;
        std::sort(kept.begin(), kept.end(), [&](const Spread::One& a, const Spread::One& b) {
            if (a.value != b.value) return greatest ? a.value > b.value : a.value < b.value;
            return a.at < b.at;
        });
        Occurrences all{name, s.count, {}};
        for (const Spread::One& one : kept) {
            const std::string place = place_text(marks, one.at, words);
            all.worst.push_back({one.value, format({one.at + origin_s, Unit::second}, 7) +
                                                (place.empty() ? "" : " (" + place + ")")});
        }
        outcome.occurrences.push_back(std::move(all));
    };
    Table table{"timings",
                "Timings",
                {{"timing", Unit::none},
                 {"count", Unit::count},
                 {"least", Unit::second},
                 {"mean", Unit::second},
                 {"greatest", Unit::second},
                 {"least_at", Unit::second},
                 {"greatest_at", Unit::second}},
                {}};
    for (const Timing& timing : timings) {
        const Spread& s = *timing.spread;
        if (s.count == 0) continue;
        if (timing.least) give(timing, false);
        if (timing.greatest) give(timing, true);
        table.rows.push_back({std::string(timing.name), static_cast<double>(s.count), s.least, s.mean(),
                              s.greatest, s.at_least + origin_s, s.at_greatest + origin_s});
    }
    outcome.tables.push_back(std::move(table));
}

void add_views(const std::vector<Timing>& timings, const std::vector<NamedSignal>& lines, double reach_s,
               Outcome& outcome) {
    for (const Timing& timing : timings) {
        const Spread& s = *timing.spread;
        if (s.count == 0) continue;
        if (timing.least)
            outcome.traces.push_back(
                view_of(lines, s.at_least, s.least, reach_s, result_name(timing, false)));
        if (timing.greatest)
            outcome.traces.push_back(
                view_of(lines, s.at_greatest, s.greatest, reach_s, result_name(timing, true)));
    }
}

}  // namespace rt
