// results.bathtub: the opening of a receiver at an error ratio, out of errors counted over phase or
// threshold.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/dsp/least_squares.hpp"
#include "core/measure/results/rows.hpp"
#include "core/serial/jitter.hpp"

namespace rt {
namespace {

constexpr std::array bathtub_parameters{
    result_parameter,
    over_parameter,
    ParameterInfo{"ratio", ParameterKind::quantity, Unit::none, "1e-12",
                  "error ratio at which the opening is wanted"},
    ParameterInfo{"transitions", ParameterKind::quantity, Unit::none, "0.5",
                  "share of intervals with an edge, which alone can be wrong; 1 for a threshold"},
};
constexpr std::array bathtub_traces{
    Product{"values", Unit::none, "log10 of the ratio over the axis, where there were errors"}};
constexpr std::array bathtub_products{
    Product{"opening", Unit::none, "between both sides at the ratio, by straight lines on the scale of Q"},
    Product{"left", Unit::none, "where the left side has the ratio"},
    Product{"right", Unit::none, "where the right side has it"},
    Product{"centre", Unit::none, "in the middle of both"},
    Product{"spread_left", Unit::none, "standard deviation that the slope of the left side stands for"},
    Product{"spread_right", Unit::none, "the same of the right side"},
    Product{"error_free", Unit::none,
            "between the innermost points of both sides at which there were errors"},
    Product{"least_ratio", Unit::none, "smallest ratio above 0 that a line rests on, of the worse side"},
};

// One side: points that are neither without errors nor so full of them that the slope says nothing.
struct Side {
    std::vector<double> x, q;
    double least = 1;
    bool straight = true;
};

Side side_of(const ResultCurve& curve, std::size_t from, std::size_t to, double transitions) {
    constexpr double most = 0.1;  // of the intervals that can be wrong
    Side out;
    for (std::size_t i = from; i < to; ++i) {
        const ResultPoint& point = curve.points[i];
        const double share = point.y / transitions;
        if (!(share > 0) || share > most) continue;
        if (point.at_least || point.at_most)
            fail_signal("at " + point.place + " only a bound of " + curve.result + " is known");
        out.x.push_back(point.x), out.q.push_back(q_of(share));
        out.least = std::min(out.least, point.y);
    }
    return out;
}

// Points with errors on a logarithmic scale, beside the lines of both sides down to the ratio wanted.
Trace drawn(const ResultCurve& curve, const StraightLine& up, const StraightLine& down, double ratio,
            double transitions) {
    Trace out = trace_of(curve);
    out.x.clear(), out.y.clear();
    std::vector<double> fitted;
    const double least = std::log10(ratio);
    for (const auto& point : curve.points) {
        if (!(point.y > 0)) continue;
        out.x.push_back(point.x), out.y.push_back(std::log10(point.y));
        const double q = std::min(up.value + up.slope * point.x, down.value + down.slope * point.x);
        fitted.push_back(std::max(least, std::log10(transitions * 0.5 * std::erfc(q / std::sqrt(2.0)))));
    }
    out.title = "log10 of the " + out.title;
    out.companions.push_back({"straight sides on the scale of Q", std::move(fitted)});
    out.companions.push_back({"ratio wanted", std::vector<double>(out.x.size(), least)});
    return out;
}

Outcome measure_bathtub(Capture capture, const Parameters& p) {
    const ResultTable table = take<ResultTable>(std::move(capture), "results.bathtub");
    const ResultCurve curve = curve_of(table, p, false);
    const double ratio = p.required("ratio"), transitions = p.required("transitions");
    if (!(ratio > 0 && ratio < 0.05)) fail_input("parameter ratio: must be above 0, below 0.05");
    if (!(transitions > 0 && transitions <= 1))
        fail_input("parameter transitions: must be above 0, at most 1");
    if (curve.y_unit != Unit::none)
        fail_input(curve.result + " is no ratio: give result = \"bit_error_ratio\"");
    require_decided(table, curve, ratio);
    const auto& points = curve.points;
    // The middle of the lowest stretch.
    const auto lowest = std::min_element(points.begin(), points.end(),
                                         [](const auto& a, const auto& b) { return a.y < b.y; });
    std::size_t first = static_cast<std::size_t>(lowest - points.begin()), last = first;
    while (last + 1 < points.size() && points[last + 1].y == lowest->y) ++last;
    Side left = side_of(curve, 0, first + (lowest->y > 0), transitions),
         right = side_of(curve, last + (lowest->y == 0), points.size(), transitions);
    Outcome out;
    constexpr std::size_t fewest = 3;
    const auto lacks = [&](const Side& side, const char* name) {
        if (side.x.size() >= fewest) return false;
        out.invalid =
            fmt::format("{} points on the {} side have errors, but not too many (0 to {:.3g}); {} are needed",
                        side.x.size(), name, 0.1 * transitions, fewest);
        return true;
    };
    if (lacks(left, "left") || lacks(right, "right")) return out;
    const StraightLine up = line_through(left.x, left.q), down = line_through(right.x, right.q);
    out.traces.push_back(drawn(curve, up, down, ratio, transitions));
    if (!(up.slope > 0 && down.slope < 0)) {
        out.invalid = "the error ratio does not fall towards the middle from both sides";
        return out;
    }
    // A side that bends is no Gaussian tail: a line through it would promise an opening that is not there.
    const auto bends = [&](const Side& side, const StraightLine& line) {
        double worst = 0;
        for (std::size_t i = 0; i < side.x.size(); ++i)
            worst = std::max(worst, std::abs(side.q[i] - line.value - line.slope * side.x[i]));
        return worst;
    };
    constexpr double most_bent = 0.5;
    const double bent = std::max(bends(left, up), bends(right, down));
    const double q = q_of(ratio / transitions);
    // A tail that grows wider deeper down shows in the deeper half first: the less favourable line counts.
    const auto reached = [&](const Side& side, const StraightLine& line, bool rising) {
        const double whole = (q - line.value) / line.slope;
        const std::size_t half = side.x.size() / 2;
        if (half < fewest) return whole;
        std::vector<std::pair<double, double>> deepest;
        for (std::size_t i = 0; i < side.x.size(); ++i) deepest.emplace_back(side.q[i], side.x[i]);
        std::sort(deepest.rbegin(), deepest.rend());
        std::vector<double> x, y;
        for (std::size_t i = 0; i < half; ++i) y.push_back(deepest[i].first), x.push_back(deepest[i].second);
        const StraightLine deep = line_through(x, y);
        if (rising ? !(deep.slope > 0) : !(deep.slope < 0)) return rising ? 1e300 : -1e300;
        const double there = (q - deep.value) / deep.slope;
        return rising ? std::max(whole, there) : std::min(whole, there);
    };
    const double at_left = reached(left, up, true), at_right = reached(right, down, false);
    if (std::abs(at_left) >= 1e300 || std::abs(at_right) >= 1e300) {
        out.invalid = "the error ratio falls no further deeper down: there is a floor";
        return out;
    }
    if (bent > most_bent) {
        out.invalid = fmt::format(
            "a side is no straight line on the scale of Q: {:.2g} off, {:.2g} is allowed", bent, most_bent);
        return out;
    }
    out.add("opening", std::max(0.0, at_right - at_left), curve.x_unit);
    out.add("left", at_left, curve.x_unit), out.add("right", at_right, curve.x_unit);
    out.add("centre", (at_left + at_right) / 2, curve.x_unit);
    out.add("spread_left", 1 / up.slope, curve.x_unit),
        out.add("spread_right", -1 / down.slope, curve.x_unit);
    if (lowest->y == 0 && first > 0 && last + 1 < points.size())
        out.add("error_free", points[last + 1].x - points[first - 1].x, curve.x_unit);
    else
        out.lacking["error_free"] = "there were errors at every point";
    const double least = std::max(left.least, right.least);
    out.add("least_ratio", least, Unit::none);
    if (ratio < least)
        out.notes.push_back(
            fmt::format("extrapolated from a ratio of {:.2g} to {:.2g} along lines through {} and {} points",
                        least, ratio, left.x.size(), right.x.size()));
    return out;
}

}  // namespace

// A bathtub by Q as of receivers with Gaussian tails: the dual-Dirac way.
Procedure results_bathtub() {
    return {"results.bathtub",
            "Opening of a receiver over phase or threshold",
            "Error ratios over the receiver's sampling phase, or its threshold. On the scale of Q (ratio = "
            "transitions/2 "
            "erfc(Q / sqrt 2)) a Gaussian tail is a straight line: one for each side, and the opening lies "
            "between them at the ratio "
            "wanted. Three points a side with errors and fewer than a tenth wrong are needed; a side that is "
            "no straight line "
            "gives no verdict.",
            bathtub_parameters,
            bathtub_traces,
            bathtub_products,
            results_setup,
            measure_bathtub,
            preset_named};
}

}  // namespace rt
