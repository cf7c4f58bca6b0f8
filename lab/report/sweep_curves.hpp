// A result of a test over its sweep, as curves.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/quantity/quantity.hpp"
#include "core/stats/anomaly.hpp"
#include "lab/model/record.hpp"

namespace rt::lab {

struct SweptResult {
    std::string result, axis;
    Unit unit = Unit::none, x_unit = Unit::none;
    std::vector<SweepCurve> curves;  // one for each combination of the other axes, in their order
    std::vector<std::vector<const PointRecord*>> points;  // behind them, one for one
};

// `result` (the first one of the points when empty; "margin" for the least margin of their findings) against
// the last axis whose values are numbers. The interval of a value is its uncertainty, or NAME_low to
// NAME_high of a NAME_ratio. Nothing for points without such an axis or with fewer than two of its values.
std::optional<SweptResult> sweep_result(const std::vector<const PointRecord*>& points,
                                        std::string result = "");

}  // namespace rt::lab
