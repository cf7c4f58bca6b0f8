// How a frequency holds over time, as C/S T.007 defines it for bursts of a beacon.
#pragma once

#include <span>

namespace rt {

// Relative to the mean frequency: slope a minute of the line by least squares, root mean square distance from
// it. Mean and standard deviation of the times from one to the next. Times in seconds, ascending; three and
// more.
struct MediumTerm {
    double mean_slope = 0, residual = 0;
    double mean_period_s = 0, period_deviation_s = 0;
    double mean_hz = 0, offset_hz = 0;  // of the line at time 0, from the mean
};
MediumTerm medium_term(std::span<const double> time_s, std::span<const double> hz);

// Root mean square of the relative change from one window to the next, over the square root of 2.
double short_term(std::span<const double> second_hz, std::span<const double> third_hz);

}  // namespace rt
