// ethernet.mlt3: levels, edges and jitter of a signal of three levels that take turns (100BASE-TX).
#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/serial/source.hpp"
#include "core/stats/spread.hpp"

namespace rt {
namespace {

constexpr auto mlt3_parameters = joined(
    std::array{
        ParameterInfo{"symbol_rate", ParameterKind::quantity, Unit::hertz, "125 MHz", "symbols a second"},
        ParameterInfo{"settled", ParameterKind::quantity, Unit::unit_interval, "8 UI",
                      "a level counts where it stands at least so long"},
    },
    signal_rows);

constexpr std::array mlt3_traces{Product{"tie", Unit::second, "edge minus clock, against time"}};
constexpr std::array mlt3_products{
    Product{"amplitude_positive", Unit::volt, "settled positive level over the middle one"},
    Product{"amplitude_negative", Unit::volt, "the same downwards, as a positive number"},
    Product{"amplitude_symmetry", Unit::none, "positive over negative amplitude"},
    Product{"middle_level", Unit::volt, "level of no signal"},
    Product{"overshoot", Unit::percent,
            "mean peak behind an edge over the settled level, of the worse polarity"},
    Product{"rise_positive", Unit::second, "mean 10 % to 90 % from the middle to the positive level"},
    Product{"fall_positive", Unit::second, "mean from there back"},
    Product{"rise_negative", Unit::second, "mean from the middle to the negative level"},
    Product{"fall_negative", Unit::second, "mean from there back"},
    Product{"edge_shortest", Unit::second, "the shortest of these four"},
    Product{"edge_longest", Unit::second, "the longest"},
    Product{"edge_difference", Unit::second, "their difference"},
    Product{
        "duty_cycle_distortion", Unit::second,
        "from the earliest to the latest of the four kinds of edges, each the mean of where it crosses half "
        "of its amplitude"},
    Product{"jitter_peak_to_peak", Unit::second, "span of all edges against the clock, of at least 1000"},
    Product{"measured_rate", Unit::hertz, "symbol rate, best fit over all edges"},
    Product{"rate_error", Unit::ppm, "its deviation from symbol_rate"},
    Product{"order_violations", Unit::count, "edges that are not the next of the turn: up, down, down, up"},
    Product{"edges", Unit::count, "edges compared with the clock"},
};

// The next one in MLT-3 is always the next in this list.
enum Kind : std::size_t { rise_positive, fall_positive, rise_negative, fall_negative };
constexpr std::array kind_names{"rise_positive", "fall_positive", "rise_negative", "fall_negative"};

struct Edge {
    double at_s;
    Kind kind;
};

struct ThreeLevels {
    double low, middle, high;
    double amplitude(bool positive) const { return positive ? high - middle : middle - low; }
    bool outer_is_high(Kind kind) const { return kind == rise_positive || kind == fall_positive; }
};

ThreeLevels levels_in(const Signal& signal) {
    const LevelHistogram histogram = level_histogram(*signal.samples);
    const auto three = clustered_levels(histogram, 3);
    const ThreeLevels out{three[0], three[1], three[2]};
    const double span = out.high - out.low;
    if (!(span > 0) || std::abs(out.middle - (out.high + out.low) / 2) > 0.15 * span ||
        !stand_apart(histogram, out.low, out.middle) || !stand_apart(histogram, out.middle, out.high))
        fail_signal(fmt::format("there are no three even levels: seen about {}, {} and {}",
                                format({out.low, Unit::volt}, 3), format({out.middle, Unit::volt}, 3),
                                format({out.high, Unit::volt}, 3)));
    return out;
}

std::vector<Edge> edges_in(const Signal& signal, const ThreeLevels& levels) {
    std::vector<Edge> out;
    for (const bool positive : {true, false}) {
        const double height = levels.amplitude(positive);
        const double threshold = positive ? levels.middle + height / 2 : levels.middle - height / 2;
        const Edges found = find_edges(*signal.samples, {threshold, 0.25 * height});
        for (std::size_t k = 0; k < found.size(); ++k) {
            const bool up = found.rises(k);
            out.push_back({found.at[k] * signal.step_s, positive ? (up ? rise_positive : fall_positive)
                                                                 : (up ? fall_negative : rise_negative)});
        }
    }
    std::sort(out.begin(), out.end(), [](const Edge& a, const Edge& b) { return a.at_s < b.at_s; });
    return out;
}

// Edges that are not the next of the turn, or that go through the middle level without a stop.
std::size_t violations_in(const std::vector<Edge>& edges, double interval_s) {
    std::size_t out = 0;
    for (std::size_t k = 1; k < edges.size(); ++k)
        out += edges[k].kind != (edges[k - 1].kind + 1) % 4 ||
               edges[k].at_s - edges[k - 1].at_s < interval_s / 2;
    return out;
}

// Means of what stands long enough, away from the edges around it.
class Settled {
  public:
    Settled(const Signal& signal, const std::vector<Edge>& edges, double least_s) : signal_(signal) {
        for (std::size_t k = 1; k < edges.size(); ++k) {
            const double from = edges[k - 1].at_s, length = edges[k].at_s - from;
            if (length < least_s) continue;
            Spread& level = edges[k - 1].kind == rise_positive   ? high
                            : edges[k - 1].kind == rise_negative ? low
                                                                 : middle;
            level.add(mean(from + 0.5 * length, from + 0.85 * length), from);
        }
    }
    Spread low, middle, high;

  private:
    double mean(double from_s, double to_s) const {
        const auto from = static_cast<std::uint64_t>(from_s / signal_.step_s);
        const auto to = std::max(from + 1, static_cast<std::uint64_t>(to_s / signal_.step_s));
        std::vector<float> values(static_cast<std::size_t>(std::min(to, signal_.size()) - from));
        signal_.samples->read(from, values);
        double sum = 0;
        for (const float v : values) sum += static_cast<double>(v);
        return sum / static_cast<double>(values.size());
    }
    const Signal& signal_;
};

// Where the values first reach a level, in samples from their begin; straight between them.
std::optional<double> reached(const std::vector<double>& rising, double level) {
    for (std::size_t i = 1; i < rising.size(); ++i) {
        if (rising[i - 1] < level && rising[i] >= level)
            return static_cast<double>(i - 1) + (level - rising[i - 1]) / (rising[i] - rising[i - 1]);
    }
    return std::nullopt;
}

struct Shapes {
    std::array<Spread, 4> time;       // 10 % to 90 %, by kind
    std::array<Spread, 2> overshoot;  // share of the amplitude: negative, positive
};

// Every edge with room to both sides, brought into one form: from 0 to 1 going up.
Shapes shapes_of(const Signal& signal, const std::vector<Edge>& edges, const ThreeLevels& levels,
                 double interval_s) {
    Shapes out;
    constexpr std::size_t most = 20000;
    const std::size_t each = std::max<std::size_t>(1, edges.size() / most);
    const double step = signal.step_s;
    for (std::size_t k = 1; k + 1 < edges.size(); k += each) {
        const Edge& edge = edges[k];
        const double before = edge.at_s - edges[k - 1].at_s, after = edges[k + 1].at_s - edge.at_s;
        if (before < 1.5 * interval_s || after < 1.5 * interval_s) continue;
        const auto from = static_cast<std::uint64_t>(std::max(0.0, (edge.at_s - interval_s) / step));
        const auto to =
            std::min(signal.size(), static_cast<std::uint64_t>((edge.at_s + interval_s) / step) + 2);
        std::vector<float> values(static_cast<std::size_t>(to - from));
        signal.samples->read(from, values);
        const bool positive = levels.outer_is_high(edge.kind);
        const bool away = edge.kind == rise_positive || edge.kind == rise_negative;
        std::vector<double> rising;
        for (const float v : values) {
            const double part =
                (static_cast<double>(v) - levels.middle) / levels.amplitude(positive) * (positive ? 1 : -1);
            rising.push_back(away ? part : 1 - part);
        }
        const auto low = reached(rising, 0.1), high = reached(rising, 0.9);
        if (low && high && *high > *low) out.time[edge.kind].add((*high - *low) * step, edge.at_s);
        if (!away || after < 3 * interval_s) continue;
        out.overshoot[positive].add(*std::max_element(rising.begin(), rising.end()) - 1, edge.at_s);
    }
    return out;
}

void add_levels(const Settled& settled, Outcome& outcome) {
    const auto lack = [&](const char* name) {
        outcome.lacking[name] = "no level stands long enough: see the parameter settled";
    };
    if (settled.middle.count > 0) {
        outcome.add("middle_level", settled.middle.mean(), Unit::volt);
    } else {
        lack("middle_level");
    }
    const bool positive = settled.high.count > 0 && settled.middle.count > 0;
    const bool negative = settled.low.count > 0 && settled.middle.count > 0;
    const double up = settled.high.mean() - settled.middle.mean(),
                 down = settled.middle.mean() - settled.low.mean();
    if (positive)
        outcome.add("amplitude_positive", up, Unit::volt);
    else
        lack("amplitude_positive");
    if (negative)
        outcome.add("amplitude_negative", down, Unit::volt);
    else
        lack("amplitude_negative");
    if (positive && negative)
        outcome.add("amplitude_symmetry", up / down, Unit::none);
    else
        lack("amplitude_symmetry");
}

void add_shapes(const Shapes& shapes, double step_s, Outcome& outcome) {
    constexpr double longest_step_s = 1e-9;
    double shortest = 1e300, longest = 0;
    bool all = step_s <= longest_step_s;
    const std::string why =
        all ? "no edges of each kind stand apart from others" : "edges of 3 ns need samples of 1 ns or less";
    for (const auto& time : shapes.time) all = all && time.count > 0;
    for (std::size_t k = 0; k < 4; ++k) {
        if (!all) {
            outcome.lacking[kind_names[k]] = why;
            continue;
        }
        const double mean = shapes.time[k].mean();
        outcome.add(kind_names[k], mean, Unit::second);
        shortest = std::min(shortest, mean), longest = std::max(longest, mean);
    }
    if (all) {
        outcome.add("edge_shortest", shortest, Unit::second);
        outcome.add("edge_longest", longest, Unit::second);
        outcome.add("edge_difference", longest - shortest, Unit::second);
    } else {
        for (const char* name : {"edge_shortest", "edge_longest", "edge_difference"})
            outcome.lacking[name] = why;
    }
    if (all && shapes.overshoot[0].count > 0 && shapes.overshoot[1].count > 0) {
        outcome.add("overshoot",
                    100 * std::max({0.0, shapes.overshoot[0].mean(), shapes.overshoot[1].mean()}),
                    Unit::percent);
    } else {
        outcome.lacking["overshoot"] = "no level stands for three symbols behind an edge";
    }
}

Outcome measure_mlt3(Capture any, const Parameters& p) {
    const Signal signal = signal_of(take_waveform(std::move(any), "ethernet.mlt3"), p);
    const double rate = p.required("symbol_rate");
    if (!(rate > 0)) fail_input("parameter symbol_rate: must be above 0 Hz");
    ThreeLevels levels = levels_in(signal);
    auto edges = edges_in(signal, levels);
    constexpr std::size_t fewest = 100;
    if (edges.size() < fewest) fail_signal(fmt::format("{} edges, {} are needed", edges.size(), fewest));
    const std::size_t violations = violations_in(edges, 1 / rate);
    if (static_cast<double>(violations) > 0.02 * static_cast<double>(edges.size()))
        fail_signal(
            fmt::format("the levels do not take turns as those of MLT-3 do: {} of {} edges are not the "
                        "next one",
                        violations, edges.size()));
    const Settled settled(signal, edges, p.required("settled") / rate);
    const bool all_settled = settled.high.count > 0 && settled.low.count > 0 && settled.middle.count > 0;
    if (all_settled) {
        // Means of a third of all samples have the edges in them: what settles is what edges go to.
        levels = {settled.low.mean(), settled.middle.mean(), settled.high.mean()};
        edges = edges_in(signal, levels);
    }
    std::vector<double> times;
    for (const auto& edge : edges) times.push_back(edge.at_s);
    ClockSettings settings;
    settings.recovery = Recovery::constant;
    settings.rate_hz = rate;
    const Clock clock = recover_clock(times, settings);
    Outcome outcome;
    add_levels(settled, outcome);
    add_shapes(all_settled ? shapes_of(signal, edges, levels, 1 / rate) : Shapes{}, signal.step_s, outcome);
    std::array<Spread, 4> kinds;
    Spread all;
    for (std::size_t k = 0; k < edges.size(); ++k) {
        kinds[edges[k].kind].add(clock.tie_s[k], times[k]);
        all.add(clock.tie_s[k], times[k]);
    }
    double earliest = 1e300, latest = -1e300;
    for (const auto& kind : kinds) {
        if (kind.count == 0) continue;
        earliest = std::min(earliest, kind.mean()), latest = std::max(latest, kind.mean());
    }
    constexpr std::size_t enough = 1000;
    const std::string unknown = "no level stands long enough: half of its amplitude is not known";
    if (all_settled) {
        outcome.add("duty_cycle_distortion", latest - earliest, Unit::second);
    } else {
        outcome.lacking["duty_cycle_distortion"] = unknown;
    }
    if (all_settled && edges.size() >= enough) {
        outcome.add("jitter_peak_to_peak", all.greatest - all.least, Unit::second);
    } else {
        outcome.lacking["jitter_peak_to_peak"] =
            all_settled ? fmt::format("{} edges say little of a span, {} are needed", edges.size(), enough)
                        : unknown;
    }
    outcome.add("measured_rate", clock.rate_hz, Unit::hertz);
    outcome.add("rate_error", (clock.rate_hz / rate - 1) * 1e6, Unit::ppm);
    outcome.add("order_violations", static_cast<double>(violations), Unit::count);
    outcome.add("edges", static_cast<double>(edges.size()), Unit::count);
    for (double& t : times) t += signal.from_s;
    outcome.traces.push_back(trace_over_time("tie", "Edge minus clock", Unit::second, times, clock.tie_s));
    return outcome;
}

}  // namespace

Procedure ethernet_mlt3() {
    return {
        "ethernet.mlt3",
        "Levels, edges and jitter of three levels that take turns",
        "100BASE-TX (IEEE 802.3 clause 25, TP-PMD): the unit sends scrambled idle or data into 100 ohm. "
        "Levels "
        "are those that stand for several symbols; edges are timed at half of their amplitude against one "
        "clock for the whole record, rise and fall from 10 % to 90 % between the middle and an outer level. "
        "Refuses what has not three even levels or in which they do not take turns.",
        mlt3_parameters,
        mlt3_traces,
        mlt3_products,
        waveform_setup,
        measure_mlt3,
        preset_named};
}

}  // namespace rt
