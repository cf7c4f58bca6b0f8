// What procedures on tables of results share: which result, over which axis, and the curve that these make.
#pragma once

#include <string>
#include <vector>

#include "core/measure/procedure.hpp"
#include "core/outcome/rows.hpp"

namespace rt {

inline constexpr ParameterInfo result_parameter{"result", ParameterKind::text, Unit::none, "",
                                                "name of the result; needed where the points have several"};
inline constexpr ParameterInfo over_parameter{
    "over", ParameterKind::text, Unit::none, "",
    "axis that the conclusion runs over; needed where the points have several axes"};

// One point of the curve.
struct ResultPoint {
    double x = 0, y = 0;
    bool at_least = false, at_most = false;  // y is a bound of the true value only
    std::string place;                       // label of the point
    double at_s = 0;                         // when it was measured, since the first
};

struct ResultCurve {
    std::string result, over;
    Unit x_unit = Unit::none, y_unit = Unit::none;
    std::vector<ResultPoint> points;  // in the order of the table
};

// Throws Error(signal) for a table without a valid point.
void require_valid_rows(const ResultTable& table);

// The result that the parameters name. Throws Error(input) for one that the table does not have, and
// Error(signal) when a point is not valid or has no such result: what is concluded from some of the points is
// no conclusion about all. `exact`: bounds are refused too.
ResultCurve values_of(const ResultTable& table, const Parameters& parameters, bool exact = true);

// The same over an axis of quantities, or over the result that the
// parameter `by` names in place of it, by ascending x. Throws Error(input) for an axis of words, and
// Error(signal) for two points at one value.
ResultCurve curve_of(const ResultTable& table, const Parameters& parameters, bool exact = true);

// Throws Error(signal) for an error ratio that was counted only until it was clear of another value than this
// level (in its unit): it says on which side of that value it lies, and nothing of others.
void require_decided(const ResultTable& table, const ResultCurve& curve, double level);

// The curve as a trace called "values", to look at. Over words or without an axis the points are counted.
Trace trace_of(const ResultCurve& curve);

// A row of a table as a device takes it: `row` with its {holes} filled. Throws Error(input) for braces that
// are none of them.
std::string table_row(std::string row, const std::vector<std::pair<const char*, std::string>>& holes);

// What is asked for: the result that the parameters name.
CaptureSetup results_setup(const Parameters& parameters);

// Nothing of a rule says how a conclusion is drawn but its named presets.
inline constexpr auto preset_results = preset_named;

}  // namespace rt
