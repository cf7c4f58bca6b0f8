// How a maximum was found: levels over the turntable's angle in polar form, and over other axes.
#pragma once

#include <vector>

#include "lab/model/record.hpp"
#include "lab/report/figure.hpp"

namespace rt::lab {

// The first result of the trials that led to `point`, over each axis that they have gone along: an angle in
// polar form, with a curve for each of at most six combinations of the other axes; other axes where all else
// was best. Nothing for points without trials. `points` are those of the run, in its order.
std::vector<Figure> maximum_figures(const std::vector<PointRecord>& points, const PointRecord& point);

}  // namespace rt::lab
