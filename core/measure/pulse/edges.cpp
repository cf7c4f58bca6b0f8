#include "core/measure/procedure.hpp"

#include "core/base/error.hpp"
#include "core/measure/serial/source.hpp"
#include "core/stats/spread.hpp"

namespace rt {
namespace {

constexpr auto edges_parameters = joined(
    std::array{
        ParameterInfo{"edge_span", ParameterKind::choice, Unit::none, "10-90",
                      "part of the amplitude over which rise and fall are timed, in %", "10-90 20-80 30-70"},
        ParameterInfo{"reversal", ParameterKind::quantity, Unit::percent, "5 %",
                      "of the amplitude: an edge that goes back by more within edge_span is not monotonic"},
    },
    edge_rows, signal_rows);

constexpr std::array<Product, 0> edges_traces{};
constexpr std::array edges_products{
    Product{"low", Unit::volt, "low level: mode of the lower half of the histogram (IEEE 181)"},
    Product{"high", Unit::volt, "high level: mode of the upper half"},
    Product{"amplitude", Unit::volt, "high minus low"},
    Product{"peak_to_peak", Unit::volt, "highest minus lowest sample"},
    Product{"highest", Unit::volt, "highest sample"},
    Product{"lowest", Unit::volt, "lowest sample"},
    Product{"overshoot_high", Unit::percent, "highest sample above the high level, of the amplitude"},
    Product{"overshoot_low", Unit::percent, "lowest sample below the low level, of the amplitude"},
    Product{"rise_time", Unit::second, "mean time of rising edges over edge_span"},
    Product{"fall_time", Unit::second, "mean time of falling edges over edge_span"},
    Product{"longest_rise", Unit::second, "longest of these"},
    Product{"longest_fall", Unit::second, "longest of these"},
    Product{"shortest_rise", Unit::second, "shortest of these"},
    Product{"shortest_fall", Unit::second, "shortest of these"},
    Product{"steepest_rise", Unit::volt_per_second, "edge_span over the shortest rise time"},
    Product{"steepest_fall", Unit::volt_per_second, "edge_span over the shortest fall time"},
    Product{"shortest_high", Unit::second, "shortest time above the threshold"},
    Product{"shortest_low", Unit::second, "shortest time below the threshold"},
    Product{"period", Unit::second, "mean time from a rising edge to the next"},
    Product{"frequency", Unit::hertz, "its reciprocal"},
    Product{"duty_cycle", Unit::percent, "mean share of time above the threshold"},
    Product{"droop_high", Unit::percent,
            "fall of the longest high state along its way, by a straight line, of the amplitude"},
    Product{"droop_low", Unit::percent, "rise of the longest low state along its way"},
    Product{"edges", Unit::count, "crossings of the threshold"},
    Product{"not_monotonic", Unit::count, "edges that go back on their way by more than reversal"},
};

// Percent of the amplitude where an edge begins and ends.
std::pair<double, double> span_of(const Parameters& p) {
    const std::string text = p.text("edge_span");
    return text == "20-80"   ? std::pair{20.0, 80.0}
           : text == "30-70" ? std::pair{30.0, 70.0}
                             : std::pair{10.0, 90.0};
}

// Crossings of a level in one direction that belong to each edge: the last before it, or the first after it,
// and not beyond the neighbouring edges. NaN where there is none.
std::vector<double> beside(const SerialSource& source, double level, bool before_edge_when_rising) {
    EdgeSettings settings;
    settings.threshold = level;
    settings.hysteresis = std::min(source.hysteresis, 0.05 * source.levels.amplitude());
    const Edges other = find_edges(*source.signal.samples, settings);
    std::vector<double> out(source.edges.size(), std::nan(""));
    std::size_t next = 0;
    for (std::size_t k = 0; k < out.size(); ++k) {
        const bool rises = source.edges.rises(k), before = rises == before_edge_when_rising;
        const double at = source.edges.at[k];
        const double low = k > 0 ? source.edges.at[k - 1] : -1e300;
        const double high = k + 1 < out.size() ? source.edges.at[k + 1] : 1e300;
        while (next < other.size() && other.at[next] <= low) ++next;
        for (std::size_t i = next; i < other.size() && other.at[i] < high; ++i) {
            if (other.rises(i) != rises || (other.at[i] <= at) != before) continue;
            out[k] = other.at[i];
            if (!before) break;
        }
    }
    return out;
}

// How far an edge goes back between two places, in volts.
double reversal(const WaveSamples& samples, double from, double to, bool rises) {
    const auto first = static_cast<std::uint64_t>(std::ceil(from));
    const auto last = static_cast<std::uint64_t>(std::floor(to));
    if (last <= first || last >= samples.size()) return 0;
    thread_local std::vector<float> values;
    values.resize(static_cast<std::size_t>(last - first + 1));
    samples.read(first, values);
    float worst = 0, best = values.front();
    for (const float v : values) {
        if (rises ? v > best : v < best) best = v;
        worst = std::max(worst, rises ? best - v : v - best);
    }
    return static_cast<double>(worst);
}

// The tilt of a state over its whole length, in volts: a straight line through its samples without the outer
// tenths, where the edges ring.
std::optional<double> tilt(const WaveSamples& samples, double from, double to) {
    const double tenth = (to - from) / 10;
    const auto first = static_cast<std::uint64_t>(std::ceil(from + tenth));
    const auto last = static_cast<std::uint64_t>(std::floor(to - tenth));
    constexpr std::uint64_t fewest = 8, most = 1 << 24;
    if (last < first + fewest || last - first > most || last >= samples.size()) return std::nullopt;
    std::vector<float> values(static_cast<std::size_t>(last - first + 1));
    samples.read(first, values);
    const double middle = static_cast<double>(values.size() - 1) / 2;
    double up = 0, down = 0;
    for (std::size_t i = 0; i < values.size(); ++i) {
        const double x = static_cast<double>(i) - middle;
        up += x * static_cast<double>(values[i]);
        down += x * x;
    }
    return up / down * (to - from);
}

struct Row {
    const char* name;
    const Spread* spread;
};

Table table_of(const std::vector<Row>& rows) {
    Table table{"times",
                "Times",
                {{"time", Unit::none},
                 {"count", Unit::count},
                 {"least", Unit::second},
                 {"mean", Unit::second},
                 {"greatest", Unit::second},
                 {"deviation", Unit::second},
                 {"least_at", Unit::second},
                 {"greatest_at", Unit::second}},
                {}};
    for (const Row& row : rows) {
        const Spread& s = *row.spread;
        if (s.count == 0) continue;
        table.rows.push_back({std::string(row.name), static_cast<double>(s.count), s.least, s.mean(),
                              s.greatest, s.deviation(), s.at_least, s.at_greatest});
    }
    return table;
}

// Times of all edges and between them.
struct EdgeTimes {
    Spread rise, fall, high, low, period;
    std::size_t not_monotonic = 0;
};

EdgeTimes times_of(const SerialSource& source, double from, double to, double allowed) {
    const Levels& levels = source.levels;
    const double step = source.signal.step_s, origin = source.signal.from_s;
    const auto lower = beside(source, levels.at_percent(from), true);
    const auto upper = beside(source, levels.at_percent(to), false);
    EdgeTimes out;
    for (std::size_t k = 0; k < source.edges.size(); ++k) {
        const bool rises = source.edges.rises(k);
        const double at = source.edges_s[k] + origin;
        const double begin = rises ? lower[k] : upper[k], end = rises ? upper[k] : lower[k];
        if (std::isfinite(begin) && std::isfinite(end)) {
            (rises ? out.rise : out.fall).add((end - begin) * step, at);
            out.not_monotonic += reversal(*source.signal.samples, begin, end, rises) > allowed;
        }
        if (k + 1 < source.edges.size())
            (rises ? out.high : out.low).add(source.edges_s[k + 1] - source.edges_s[k], at);
        if (rises && k + 2 < source.edges.size())
            out.period.add(source.edges_s[k + 2] - source.edges_s[k], at);
    }
    return out;
}

void add_levels(const Levels& levels, Outcome& outcome) {
    const double amplitude = levels.amplitude();
    outcome.add("low", levels.low, Unit::volt);
    outcome.add("high", levels.high, Unit::volt);
    outcome.add("amplitude", amplitude, Unit::volt);
    outcome.add("peak_to_peak", levels.highest - levels.lowest, Unit::volt);
    outcome.add("highest", levels.highest, Unit::volt);
    outcome.add("lowest", levels.lowest, Unit::volt);
    outcome.add("overshoot_high", 100 * (levels.highest - levels.high) / amplitude, Unit::percent);
    outcome.add("overshoot_low", 100 * (levels.low - levels.lowest) / amplitude, Unit::percent);
}

// `swing` is the voltage that an edge is timed over.
void add_times(const EdgeTimes& seen, double swing, Outcome& outcome) {
    const auto times = [&](const Spread& s, const char* mean, const char* longest, const char* shortest,
                           const char* steepest) {
        if (s.count == 0) return;
        outcome.add(mean, s.mean(), Unit::second);
        outcome.add(longest, s.greatest, Unit::second);
        outcome.add(shortest, s.least, Unit::second);
        outcome.add(steepest, swing / s.least, Unit::volt_per_second);
    };
    times(seen.rise, "rise_time", "longest_rise", "shortest_rise", "steepest_rise");
    times(seen.fall, "fall_time", "longest_fall", "shortest_fall", "steepest_fall");
    const Spread &high = seen.high, &low = seen.low, &period = seen.period;
    if (high.count > 0) outcome.add("shortest_high", high.least, Unit::second);
    if (low.count > 0) outcome.add("shortest_low", low.least, Unit::second);
    if (period.count > 0) {
        outcome.add("period", period.mean(), Unit::second);
        outcome.add("frequency", 1 / period.mean(), Unit::hertz);
    }
    if (high.count > 0 && low.count > 0)
        outcome.add("duty_cycle", 100 * high.mean() / (high.mean() + low.mean()), Unit::percent);
}

// The tilt of the longest pulse of either polarity.
void add_droop(const SerialSource& source, const EdgeTimes& seen, Outcome& outcome) {
    const double step = source.signal.step_s, origin = source.signal.from_s;
    const auto droop = [&](const Spread& widths, const char* name, double sign) {
        if (widths.count == 0) return;
        const double begin = (widths.at_greatest - origin) / step;
        if (const auto volts = tilt(*source.signal.samples, begin, begin + widths.greatest / step))
            outcome.add(name, sign * 100 * *volts / source.levels.amplitude(), Unit::percent);
    };
    droop(seen.high, "droop_high", -1);
    droop(seen.low, "droop_low", 1);
}

Outcome measure_edges(Capture any, const Parameters& p) {
    const SerialSource source = serial_source(std::move(any), "pulse.edges", p, 2);
    const Levels& levels = source.levels;
    if (!stand_apart(source.histogram, levels)) {
        fail_signal("no two levels stand apart between " + format({levels.lowest, Unit::volt}) + " and " +
                    format({levels.highest, Unit::volt}) + ": noise, or a signal that does not switch");
    }
    const auto [from, to] = span_of(p);
    const EdgeTimes seen = times_of(source, from, to, p.required("reversal") / 100 * levels.amplitude());
    Outcome outcome;
    add_levels(levels, outcome);
    add_times(seen, levels.amplitude() * (to - from) / 100, outcome);
    add_droop(source, seen, outcome);
    outcome.add("edges", static_cast<double>(source.edges.size()), Unit::count);
    outcome.add("not_monotonic", static_cast<double>(seen.not_monotonic), Unit::count);
    outcome.tables.push_back(table_of({{"rise_time", &seen.rise},
                                       {"fall_time", &seen.fall},
                                       {"high_width", &seen.high},
                                       {"low_width", &seen.low},
                                       {"period", &seen.period}}));
    const double shortest =
        std::min(seen.rise.count ? seen.rise.least : 1e300, seen.fall.count ? seen.fall.least : 1e300);
    const double step = source.signal.step_s;
    if (shortest < 3 * step) {
        outcome.notes.push_back(
            "edges take less than three samples: their times are limited by the step of " +
            format({step, Unit::second}));
    }
    return outcome;
}

}  // namespace

Procedure pulse_edges() {
    return {
        "pulse.edges",
        "Levels, edges and widths of a switching signal",
        "Levels are modes of the histogram, edges are timed between samples on the band-limited signal (IEEE "
        "181). Every time is told with its least, mean and greatest value and where these stand.",
        edges_parameters,
        edges_traces,
        edges_products,
        waveform_setup,
        measure_edges,
        preset_named};
}

}  // namespace rt
