// Count, least, mean and greatest of many values, and where the extremes stand.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>

namespace rt {

struct Spread {
    std::size_t count = 0;
    double least = 1e300, greatest = -1e300;
    double at_least = 0, at_greatest = 0;  // places that were given with them
    double sum = 0, squares = 0;           // about the first value, so that small spreads are not lost
    double first = 0;

    void add(double value, double at) {
        if (count++ == 0) first = value;
        if (value < least) least = value, at_least = at;
        if (value > greatest) greatest = value, at_greatest = at;
        sum += value - first;
        squares += (value - first) * (value - first);
    }
    double mean() const { return count ? first + sum / static_cast<double>(count) : 0; }
    double deviation() const {
        const auto n = static_cast<double>(count);
        return count ? std::sqrt(std::max(0.0, squares / n - sum / n * (sum / n))) : 0;
    }
};

}  // namespace rt
