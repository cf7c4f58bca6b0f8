// Curves over a sweep: a result against an axis, one curve for each combination of the other axes.
#pragma once

#include <functional>

#include <optional>
#include <vector>

#include "lab/formats/rule_library.hpp"
#include "lab/model/record.hpp"
#include "lab/report/figure.hpp"
#include "lab/report/sweep_curves.hpp"

namespace rt::lab {

// A rule by its full id, wherever the points come from: runs that are joined have rulebooks of their own.
using FindRule = std::function<RuleRef(const std::string&)>;

// `result` of the points (the first one without it) against the last axis whose values are quantities or
// channels, with at most six curves, those nearest to their limits; others are grey. Bounds of that result
// among `rules` are drawn over the points that they judge; limits that differ from point to point (tables) as
// a line through those of the findings. Frequencies over a decade and more stand on a logarithmic axis.
// Nothing for points without such an axis or with fewer than two of its values.
std::optional<Figure> sweep_figure(const std::vector<const PointRecord*>& points, const std::string& title,
                                   const FindRule& rules = {}, const std::string& result = "",
                                   Swept what = Swept::measured);

// Points whose places are a pattern in a plane of two axes: the way through it, and where a finding is FAIL
// or NONE. Nothing for other sweeps.
std::optional<Figure> pattern_figure(const std::vector<const PointRecord*>& points, const std::string& title);

// Readings of watches against minutes since the first, each with its own curve; at most one unit.
std::vector<Figure> watch_figures(const std::vector<SampleRecord>& samples);

}  // namespace rt::lab
