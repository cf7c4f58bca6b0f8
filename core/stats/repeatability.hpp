// How far repeated values lie apart.
#pragma once

#include <algorithm>
#include <cmath>
#include <vector>

namespace rt {

struct Repeatability {
    double mean = 0, range = 0;
    double deviation = 0;  // sample standard deviation (n - 1), 0 for a single value
};

inline Repeatability repeatability(const std::vector<double>& values) {
    Repeatability out;
    if (values.empty()) return out;
    const auto n = static_cast<double>(values.size());
    for (const double v : values) out.mean += v / n;
    double squares = 0;
    for (const double v : values) squares += (v - out.mean) * (v - out.mean);
    if (values.size() > 1) out.deviation = std::sqrt(squares / (n - 1));
    const auto [low, high] = std::minmax_element(values.begin(), values.end());
    out.range = *high - *low;
    return out;
}

}  // namespace rt
