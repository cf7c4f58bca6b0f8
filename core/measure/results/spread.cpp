#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/results/rows.hpp"
#include "core/stats/repeatability.hpp"

namespace rt {
namespace {

constexpr std::array spread_parameters{result_parameter, over_parameter};
constexpr std::array spread_traces{Product{"values", Unit::none, "the result of each point"}};
constexpr std::array spread_products{
    Product{"mean", Unit::none, "arithmetic mean"},
    Product{"least", Unit::none, "least value"},
    Product{"greatest", Unit::none, "greatest value"},
    Product{"range", Unit::none, "greatest minus least"},
    Product{"standard_deviation", Unit::none, "of a sample, with n - 1"},
    Product{"repeatability_limit", Unit::none,
            "2.8 standard deviations: two single values differ by less in 95 % of cases"},
    Product{"count", Unit::count, "values"},
};

// Differences between levels are decibels.
Unit difference_unit(Unit unit) {
    return is_decibel(unit) ? Unit::db : unit;
}

Outcome measure_spread(Capture capture, const Parameters& p) {
    const ResultTable table = take<ResultTable>(std::move(capture), "results.spread");
    const ResultCurve curve = values_of(table, p);
    if (curve.points.size() < 2) fail_signal("one value has no spread: at least two are needed");
    std::vector<double> values;
    for (const auto& point : curve.points) values.push_back(point.y);
    const Repeatability seen = repeatability(values);
    const auto [low, high] = std::minmax_element(values.begin(), values.end());
    const Unit difference = difference_unit(curve.y_unit);
    Outcome outcome;
    outcome.traces.push_back(trace_of(curve));
    outcome.add("mean", seen.mean, curve.y_unit);
    outcome.add("least", *low, curve.y_unit);
    outcome.add("greatest", *high, curve.y_unit);
    outcome.add("range", seen.range, difference);
    outcome.add("standard_deviation", seen.deviation, difference);
    outcome.add("repeatability_limit", 2.8 * seen.deviation, difference);
    outcome.add("count", static_cast<double>(values.size()), Unit::count);
    return outcome;
}

constexpr std::array drift_traces{Product{"values", Unit::none, "the result over time"}};
constexpr std::array drift_products{
    Product{"drift", Unit::none, "from the first to the last point on the straight line through all"},
    Product{"greatest_change", Unit::none, "farthest that any value lies from the first one"},
    Product{"time", Unit::second, "from the first point to the last"},
    Product{"drift_per_hour", Unit::none, "slope of that line"},
};

Outcome measure_drift(Capture capture, const Parameters& p) {
    const ResultTable table = take<ResultTable>(std::move(capture), "results.drift");
    const ResultCurve curve = values_of(table, p);
    for (const auto& row : table.rows) {
        if (!row.at_s) fail_signal("the point " + row.point + " does not say when it was measured");
    }
    std::vector<ResultPoint> points = curve.points;
    std::stable_sort(points.begin(), points.end(),
                     [](const auto& a, const auto& b) { return a.at_s < b.at_s; });
    const double span = points.back().at_s - points.front().at_s;
    if (points.size() < 2 || !(span > 0)) fail_signal("a drift needs at least two points at different times");
    const auto n = static_cast<double>(points.size());
    double t = 0, y = 0, tt = 0, ty = 0, change = 0;
    for (const auto& point : points) t += point.at_s / n, y += point.y / n;
    for (const auto& point : points) {
        tt += (point.at_s - t) * (point.at_s - t);
        ty += (point.at_s - t) * (point.y - y);
        change = std::max(change, std::abs(point.y - points.front().y));
    }
    const double slope = ty / tt;
    const Unit difference = difference_unit(curve.y_unit);
    Outcome outcome;
    Trace trace = trace_of(curve);
    trace.x_title = "Time";
    trace.x_unit = Unit::second;
    trace.x.clear(), trace.y.clear();
    Trace::Companion line{"straight line through all", {}};
    for (const auto& point : points) {
        if (!trace.x.empty() && point.at_s <= trace.x.back()) continue;  // two points within one instant
        trace.x.push_back(point.at_s), trace.y.push_back(point.y);
        line.y.push_back(y + slope * (point.at_s - t));
    }
    trace.companions.push_back(std::move(line));
    outcome.traces.push_back(std::move(trace));
    outcome.add("drift", slope * span, difference);
    outcome.add("greatest_change", change, difference);
    outcome.add("time", span, Unit::second);
    outcome.add("drift_per_hour", slope * 3600, difference);
    outcome.observed_s = span;
    return outcome;
}

}  // namespace

// Mean, extremes, sample standard deviation and the repeatability limit r = 2.8 s (ISO 5725-6:1994, 4.1: 1.96
// times the square root of 2).
Procedure results_spread() {
    return {"results.spread",
            "How far the values of a result lie apart",
            "All points count alike: repeats, or the same over an axis. The repeatability limit is 2.8 times "
            "the standard deviation "
            "(ISO 5725-6). No verdict when a point is not valid or only a bound of its value is known.",
            spread_parameters,
            spread_traces,
            spread_products,
            results_setup,
            measure_spread,
            preset_named};
}

// Least-squares line of the result over the time at which each point was measured.
Procedure results_drift() {
    return {"results.drift",
            "How a result changes with time",
            "A straight line is fitted to the values over the times at which the points began (least "
            "squares). Gives its change over the "
            "whole time and per hour, and the farthest that any value lies from the first.",
            spread_parameters,
            drift_traces,
            drift_products,
            results_setup,
            measure_drift,
            preset_named};
}

}  // namespace rt
