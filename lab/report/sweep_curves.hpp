// A result of a test over its sweep, as curves.
#pragma once

#include <optional>
#include <string>
#include <utility>
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
// `Swept::thresholds`: of what searches came to, in place of what was measured.
enum class Swept { measured, thresholds };
std::optional<SweptResult> sweep_result(const std::vector<const PointRecord*>& points,
                                        std::string result = "", Swept what = Swept::measured);

// The two axes of numbers that move together with a third one, place by place: a pattern in a plane. Nothing
// for other sweeps.
std::optional<std::pair<std::size_t, std::size_t>> plane_of(const std::vector<const PointRecord*>& points);

}  // namespace rt::lab
