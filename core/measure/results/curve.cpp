// A result over an axis as a curve that limit lines judge, with earlier curves beside it.
#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/results/rows.hpp"

namespace rt {
namespace {

constexpr std::size_t most_markers = 4;
constexpr std::array curve_parameters{
    result_parameter,
    over_parameter,
    ParameterInfo{"markers", ParameterKind::text, Unit::none, "",
                  "up to four values of the axis whose results are wanted, as 1 GHz, 2 GHz"},
    ParameterInfo{"log_axis", ParameterKind::choice, Unit::none, "no",
                  "whether the axis is drawn logarithmically", "no yes"},
};
constexpr std::array curve_traces{Product{"curve", Unit::none, "the result over the axis"}};
constexpr std::array curve_products{
    Product{"highest", Unit::none, "highest value"},
    Product{"highest_at", Unit::none, "where"},
    Product{"lowest", Unit::none, "lowest value"},
    Product{"lowest_at", Unit::none, "where"},
    Product{"marker_1", Unit::none, "at marker 1, by a straight line"},
    Product{"marker_2", Unit::none, "at marker 2"},
    Product{"marker_3", Unit::none, "at marker 3"},
    Product{"marker_4", Unit::none, "at marker 4"},
};
constexpr InputInfo earlier_input{"earlier", "a table of results kept earlier, drawn beside it", false,
                                  nullptr, true};
constexpr std::array curve_inputs{InputInfo{"points", "results of the points"}, earlier_input};

double between(const ResultCurve& c, double x) {
    const auto above = std::lower_bound(c.points.begin(), c.points.end(), x,
                                        [](const ResultPoint& p, double at) { return p.x < at; });
    if (above == c.points.end()) return std::nan("");
    if (above->x == x) return above->y;
    if (above == c.points.begin()) return std::nan("");
    const auto& low = *std::prev(above);
    return low.y + (x - low.x) / (above->x - low.x) * (above->y - low.y);
}

Outcome measure_curve(Inputs inputs, const Parameters& p) {
    const char* const who = "results.curve";
    const ResultCurve curve = curve_of(take<ResultTable>(*inputs.find("points"), who), p);
    Outcome outcome;
    const auto less = [](const ResultPoint& a, const ResultPoint& b) { return a.y < b.y; };
    const auto [low, high] = std::minmax_element(curve.points.begin(), curve.points.end(), less);
    outcome.add("highest", high->y, curve.y_unit), outcome.add("highest_at", high->x, curve.x_unit);
    outcome.add("lowest", low->y, curve.y_unit), outcome.add("lowest_at", low->x, curve.x_unit);
    static const char* const names[most_markers]{"marker_1", "marker_2", "marker_3", "marker_4"};
    const std::string all = p.text("markers");
    std::size_t marker = 0;
    for (const auto part : split(all, ',')) {
        if (trim(part).empty()) continue;
        if (marker == most_markers) fail_input("parameter markers: at most four are possible");
        const Quantity at = parse_quantity(std::string(trim(part)), curve.x_unit);
        const double y = between(curve, at.value);
        if (std::isnan(y)) fail_signal("marker " + format(at) + " lies outside the points");
        outcome.add(names[marker++], y, curve.y_unit);
    }
    Trace trace = trace_of(curve);
    trace.name = "curve";
    trace.log_x = p.text("log_axis") == "yes" && trace.x.front() > 0;
    for (const Input* earlier : inputs.all_of(earlier_input)) {
        const auto table = take<ResultTable>(earlier->capture, who);
        const ResultCurve other = curve_of(table, p, false);
        if (other.y_unit != curve.y_unit || other.x_unit != curve.x_unit)
            fail_input(earlier->name + " has other units than the points");
        Trace::Companion companion{earlier->name, {}};
        for (const double x : trace.x) companion.y.push_back(between(other, x));
        trace.companions.push_back(std::move(companion));
    }
    outcome.traces.push_back(std::move(trace));
    return outcome;
}

}  // namespace

Procedure results_curve() {
    return {"results.curve",
            "A result over an axis, as a curve",
            "The points in the order of their axis as one curve: limit lines judge it, markers are results, "
            "tables of "
            "earlier runs are drawn beside it.",
            curve_parameters,
            curve_traces,
            curve_products,
            results_setup,
            nullptr,
            preset_named,
            nullptr,
            false,
            curve_inputs,
            measure_curve};
}

}  // namespace rt
