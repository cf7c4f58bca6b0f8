// Peaks of a trace.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace rt {

struct TracePeak {
    std::size_t at = 0;
    double level = 0;
    // How far one must come down from it, on the shallower side, before the trace rises above it (or ends).
    double prominence = 0;
};

// What an end of the trace means for the peaks beside it.
enum class Ends {
    walls,  // the trace rises there, so that nothing at an end or on a slope that is cut off stands out
    falls,  // beyond it the level falls away: a maximum there counts by its inner side
};

// All local maxima (of a flat top the middle) with at least this prominence, from the highest down. Takes
// time in proportion to the length.
std::vector<TracePeak> find_peaks(std::span<const double> level, double least_prominence,
                                  Ends ends = Ends::walls);

// The highest of those closer than `distance` to each other along x stays.
std::vector<TracePeak> merged(std::vector<TracePeak> highest_first, std::span<const double> x,
                              double distance);

// Sub-sample place of a maximum: a parabola through the logarithmic levels of three neighbouring points.
double refined_x(std::span<const double> x, std::span<const double> level_db, std::size_t at);
// The same of three levels, in any logarithm: how far from the middle one, -0.5 to 0.5; 0 where they do not
// bend down.
double vertex(double before, double at, double after);
double refined_level(std::span<const double> level_db, std::size_t at);

}  // namespace rt
