#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/results/rows.hpp"

namespace rt {
namespace {

constexpr std::array slope_parameters{result_parameter, over_parameter};
constexpr std::array slope_traces{Product{"values", Unit::none, "the result over the axis, with the line"}};
constexpr std::array slope_products{
    Product{"slope", Unit::none, "change of the result for one unit of the axis"},
    Product{"offset", Unit::none, "the line where the axis is 0"},
    Product{"linearity_error", Unit::none, "farthest that any value lies from the line"},
    Product{"linearity_share", Unit::percent, "the same relative to what the line runs through"},
};

Outcome measure_slope(Capture capture, const Parameters& p) {
    const ResultTable table = take<ResultTable>(std::move(capture), "results.slope");
    const ResultCurve curve = curve_of(table, p);
    if (curve.points.size() < 3) fail_signal("a line and what lies off it need at least three points");
    const auto n = static_cast<double>(curve.points.size());
    double x = 0, y = 0, xx = 0, xy = 0;
    for (const auto& point : curve.points) x += point.x / n, y += point.y / n;
    for (const auto& point : curve.points) {
        xx += (point.x - x) * (point.x - x);
        xy += (point.x - x) * (point.y - y);
    }
    const double slope = xy / xx;
    double off = 0;
    Trace trace = trace_of(curve);
    Trace::Companion line{"straight line through all", {}};
    for (const auto& point : curve.points) {
        line.y.push_back(y + slope * (point.x - x));
        off = std::max(off, std::abs(point.y - line.y.back()));
    }
    const double range = std::abs(slope) * (curve.points.back().x - curve.points.front().x);
    trace.companions.push_back(std::move(line));
    Outcome outcome;
    outcome.traces.push_back(std::move(trace));
    // Of decibels over decibels the slope is a plain number; other units stand by side in the result's note.
    const Unit difference = is_decibel(curve.y_unit) ? Unit::db : curve.y_unit;
    outcome.add("slope", slope,
                is_decibel(curve.y_unit) && is_decibel(curve.x_unit) ? Unit::none : difference);
    outcome.add("offset", y - slope * x, curve.y_unit);
    outcome.add("linearity_error", off, difference);
    if (range > 0) outcome.add("linearity_share", 100 * off / range, Unit::percent);
    if (curve.x_unit != Unit::none && !is_decibel(curve.x_unit))
        outcome.notes.push_back(std::string("slope: for each ") + pretty(curve.x_unit) + " of " + curve.over);
    return outcome;
}

constexpr std::array compression_parameters{
    result_parameter,
    over_parameter,
    ParameterInfo{"compression", ParameterKind::quantity, Unit::db, "1 dB",
                  "how far below the small-signal gain"},
    ParameterInfo{"small_signal_points", ParameterKind::whole_number, Unit::none, "3",
                  "points with the lowest levels whose mean gain is the small-signal gain"},
    ParameterInfo{"agree_within", ParameterKind::quantity, Unit::db, "0.3 dB",
                  "how far their gains may lie apart; more, and there is no small-signal gain"},
};
constexpr std::array compression_traces{
    Product{"values", Unit::none, "the output level over the input level"},
    Product{"gain", Unit::db, "the gain over the input level"}};
constexpr std::array compression_products{
    Product{"small_signal_gain", Unit::db, "mean gain of the lowest levels"},
    Product{"input_compression_point", Unit::dbm,
            "input level at which the gain has fallen by the compression"},
    Product{"output_compression_point", Unit::dbm, "output level there"},
};

Outcome measure_compression(Capture capture, const Parameters& p) {
    const ResultTable table = take<ResultTable>(std::move(capture), "results.compression");
    const ResultCurve curve = curve_of(table, p);
    if (curve.x_unit != Unit::dbm || curve.y_unit != Unit::dbm)
        fail_input(
            "results.compression needs an axis and a result in dBm: the levels at the input and at the "
            "output");
    const double drop = p.required("compression");
    if (!(drop > 0)) fail_input("parameter compression: must be above 0 dB");
    const auto few = static_cast<std::size_t>(p.required("small_signal_points"));
    if (curve.points.size() <= few) fail_signal("there are no points above those of the small-signal gain");
    std::vector<double> gain;
    for (const auto& point : curve.points) gain.push_back(point.y - point.x);
    double mean = 0;
    for (std::size_t i = 0; i < few; ++i) mean += gain[i] / static_cast<double>(few);
    const auto [low, high] =
        std::minmax_element(gain.begin(), gain.begin() + static_cast<std::ptrdiff_t>(few));
    Outcome outcome;
    outcome.traces.push_back(trace_of(curve));
    Trace gains = outcome.traces.front();
    gains.name = "gain", gains.title = "Gain", gains.y = gain, gains.y_unit = Unit::db;
    gains.companions = {{"gain where it is compressed", std::vector<double>(gain.size(), mean - drop)}};
    outcome.traces.push_back(std::move(gains));
    if (*high - *low > p.required("agree_within")) {
        outcome.invalid = "the gains at the lowest " + std::to_string(few) + " levels lie " +
                          format({*high - *low, Unit::db}) +
                          " apart: there is no small-signal gain; begin at lower levels";
        return outcome;
    }
    outcome.add("small_signal_gain", mean, Unit::db);
    for (std::size_t i = few; i < gain.size(); ++i) {
        if (gain[i] > mean - drop) continue;
        const double share = (gain[i - 1] - (mean - drop)) / (gain[i - 1] - gain[i]);
        const double in = curve.points[i - 1].x + share * (curve.points[i].x - curve.points[i - 1].x);
        outcome.add("input_compression_point", in, Unit::dbm);
        outcome.add("output_compression_point", in + mean - drop, Unit::dbm);
        return outcome;
    }
    // Not reached: the true points lie above what was measured.
    outcome.add("input_compression_point", curve.points.back().x, Unit::dbm, Known::at_least);
    outcome.add("output_compression_point", curve.points.back().x + mean - drop, Unit::dbm, Known::at_least);
    outcome.notes.push_back("the gain does not fall by " + format({drop, Unit::db}) +
                            " up to the highest level measured");
    return outcome;
}

}  // namespace

// Straight line by least squares; linearity is the greatest distance from it (independent linearity, IEC
// 61298-2).
Procedure results_slope() {
    return {"results.slope",
            "Slope and linearity of a result over an axis",
            "A straight line is fitted by least squares. The linearity error is the greatest distance of a "
            "value from it (independent "
            "linearity), also relative to what the line runs through.",
            slope_parameters,
            slope_traces,
            slope_products,
            results_setup,
            measure_slope,
            preset_named};
}

// Input and output level where the gain lies a given amount (1 dB by custom) below that of small signals;
// straight lines between neighbouring points in dB.
Procedure results_compression() {
    return {"results.compression",
            "Compression point",
            "Axis and result are input and output level in dBm. The gain at the lowest levels is the "
            "small-signal gain; where it has fallen "
            "by the compression (between points on straight lines) is the compression point. A level that is "
            "not reached gives bounds.",
            compression_parameters,
            compression_traces,
            compression_products,
            results_setup,
            measure_compression,
            preset_named};
}

}  // namespace rt
