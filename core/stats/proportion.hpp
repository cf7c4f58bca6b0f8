// How sure a counted proportion is.
#pragma once

#include <cstdint>

namespace rt {

struct Interval {
    double low = 0;
    double high = 1;
};

// Two-sided interval of a proportion of `events` in `trials` with at least this confidence (Clopper and
// Pearson, Biometrika 26, 1934). No trials give 0 to 1. Throws Error(input) for more events than trials or a
// confidence that is not between 0 and 1.
Interval proportion_interval(std::uint64_t events, std::uint64_t trials, double confidence);

// One-sided upper bound of the same: the proportion that shows no more than `events` with a chance of 1 minus
// this confidence. No trials give 1. Throws as proportion_interval().
double proportion_upper_bound(std::uint64_t events, std::uint64_t trials, double confidence);

// The same from below: 0 without events.
double proportion_lower_bound(std::uint64_t events, std::uint64_t trials, double confidence);

}  // namespace rt
