#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/results/rows.hpp"

namespace rt {
namespace {

constexpr std::array crossing_parameters{
    result_parameter,
    over_parameter,
    ParameterInfo{"level", ParameterKind::text, Unit::none, "",
                  "value of the result that is crossed, with its unit"},
    ParameterInfo{"direction", ParameterKind::choice, Unit::none, "either",
                  "which crossings count as the axis grows: rising, falling or either",
                  "rising falling either"},
    ParameterInfo{"scale", ParameterKind::choice, Unit::none, "linear",
                  "how the axis runs between two points: linear or logarithmic", "linear logarithmic"},
};
constexpr std::array crossing_traces{Product{"values", Unit::none, "the result over the axis"}};
constexpr std::array crossing_products{
    Product{"crossing", Unit::none, "value of the axis at the first crossing, by ascending values"},
    Product{"last_crossing", Unit::none, "at the last one"},
    Product{"crossings", Unit::count, "how many there are"},
};

double between(const ResultPoint& a, const ResultPoint& b, double level, bool logarithmic) {
    const double share = (level - a.y) / (b.y - a.y);
    if (logarithmic) return a.x * std::pow(b.x / a.x, share);
    return a.x + (b.x - a.x) * share;
}

Outcome measure_crossing(Capture capture, const Parameters& p) {
    const ResultTable table = take<ResultTable>(std::move(capture), "results.crossing");
    const ResultCurve curve = curve_of(table, p, false);
    const std::string text = p.text("level");
    if (text.empty()) fail_input("results.crossing needs the parameter level: a value of " + curve.result);
    const double level = parse_quantity(text, curve.y_unit).value;
    require_decided(table, curve, level);
    const bool logarithmic = p.text("scale") == "logarithmic";
    if (logarithmic && !(curve.points.front().x > 0))
        fail_input("parameter scale: a logarithmic axis must be above 0");
    const std::string direction = p.text("direction");
    std::vector<double> found;
    for (std::size_t i = 1; i < curve.points.size(); ++i) {
        const ResultPoint &a = curve.points[i - 1], &b = curve.points[i];
        // A point exactly on the level belongs to the step that leads to it; the next one leaves it.
        const bool rises = a.y < level && b.y >= level, falls = a.y > level && b.y <= level;
        const bool from_level = i == 1 && a.y == level && b.y != level;
        const bool up = rises || (from_level && b.y > level), down = falls || (from_level && b.y < level);
        if (!(up && direction != "falling") && !(down && direction != "rising")) continue;
        for (const ResultPoint* point : {&a, &b}) {
            if (!point->at_least && !point->at_most) continue;
            fail_signal("the crossing lies beside " + point->place + ", where only a bound of " +
                        curve.result + " is known");
        }
        found.push_back(from_level ? a.x : between(a, b, level, logarithmic));
    }
    // A bound on the side of the level may hide a crossing.
    for (const auto& point : curve.points) {
        if ((point.at_least && point.y < level) || (point.at_most && point.y > level))
            fail_signal("at " + point.place + " only a bound of " + curve.result +
                        " is known, which may lie beyond the level");
    }
    Outcome outcome;
    Trace trace = trace_of(curve);
    trace.companions.push_back({"level that is crossed", std::vector<double>(trace.x.size(), level)});
    outcome.traces.push_back(std::move(trace));
    if (found.empty()) {
        const auto [low, high] = std::minmax_element(curve.points.begin(), curve.points.end(),
                                                     [](const auto& a, const auto& b) { return a.y < b.y; });
        outcome.invalid = curve.result + " does not cross " + format({level, curve.y_unit}) +
                          (direction == "either" ? "" : " " + direction) + ": it runs from " +
                          format({low->y, curve.y_unit}) + " to " + format({high->y, curve.y_unit});
        return outcome;
    }
    outcome.add("crossing", found.front(), curve.x_unit);
    outcome.add("last_crossing", found.back(), curve.x_unit);
    outcome.add("crossings", static_cast<double>(found.size()), Unit::count);
    return outcome;
}

}  // namespace

// Where a result crosses a level, on straight lines between neighbouring points: the sensitivity of a
// receiver, a bandwidth, a trip point.
Procedure results_crossing() {
    return {"results.crossing",
            "Where a result crosses a level",
            "The result is taken over one axis; between neighbouring points it runs straight (in the unit of "
            "the result). "
            "Gives the value of the axis where it crosses the level. No verdict when it does not cross, when "
            "a point is not valid, "
            "or when beside the crossing only a bound of the result is known.",
            crossing_parameters,
            crossing_traces,
            crossing_products,
            results_setup,
            measure_crossing,
            preset_named};
}

}  // namespace rt
