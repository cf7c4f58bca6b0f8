// Between the samples of a turn that is played again and again: band-limited, as core/signal/interpolate.hpp
// has it.
#pragma once

#include <array>
#include <cmath>
#include <complex>
#include <cstdint>
#include <vector>

#include "core/signal/interpolate.hpp"

namespace rt::lab {

// `at` counts samples, and may lie in any turn. `value` takes the number out of a sample.
template <typename Sample, typename Value>
double between(const std::vector<Sample>& turn, double at, Value value) {
    const double whole = std::floor(at);
    const auto size = static_cast<std::int64_t>(turn.size());
    std::int64_t k = (static_cast<std::int64_t>(whole) - (interpolation_reach - 1)) % size;
    if (k < 0) k += size;
    std::array<float, 2 * interpolation_reach> around;
    for (float& sample : around) {
        sample = value(turn[static_cast<std::size_t>(k)]);
        if (++k == size) k = 0;
    }
    return real_value_between(around.data(), at - whole).value;
}

inline double between(const std::vector<float>& turn, double at) {
    return between(turn, at, [](float x) { return x; });
}

inline std::complex<double> between(const std::vector<std::complex<float>>& turn, double at) {
    return {between(turn, at, [](std::complex<float> x) { return x.real(); }),
            between(turn, at, [](std::complex<float> x) { return x.imag(); })};
}

}  // namespace rt::lab
