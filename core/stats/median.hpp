// The value that half of others lie below.
#pragma once

#include <algorithm>
#include <vector>

namespace rt {

// Of an even number the upper one of both in the middle. There must be one value at least.
inline double median(std::vector<double> values) {
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

// The value that this part of them lies below, from 0 to 1. There must be one value at least.
inline double percentile(std::vector<double> values, double part) {
    const auto at =
        values.begin() + static_cast<std::ptrdiff_t>(part * static_cast<double>(values.size() - 1));
    std::nth_element(values.begin(), at, values.end());
    return *at;
}

}  // namespace rt
