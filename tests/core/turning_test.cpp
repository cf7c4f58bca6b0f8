#include "core/dsp/turning.hpp"

#include <doctest/doctest.h>

#include <cmath>
#include <vector>

using namespace rt;

TEST_CASE_TEMPLATE("each value is turned by its own angle, however many there are", Real, float, double) {
    const double angle = 0.37, begin = -1.2, size = 0.5;
    // Rounding of 64 steps: one part in 2^23 (float) or 2^52 each.
    const double allowed = std::is_same_v<Real, float> ? 2e-5 : 1e-13;
    for (const std::size_t count : {0u, 1u, 7u, 8u, 9u, 16u, 63u, 64u}) {
        std::vector<std::complex<Real>> values;
        for (std::size_t k = 0; k < count; ++k)
            values.emplace_back(static_cast<Real>(std::cos(3.0 * static_cast<double>(k))),
                                static_cast<Real>(k) - 4);
        const auto before = values;
        turn_on(std::span(values), std::complex<Real>(std::polar(size, begin)),
                std::complex<Real>(std::polar(1.0, angle)));
        for (std::size_t k = 0; k < count; ++k) {
            const auto wanted =
                std::complex<double>(before[k]) * std::polar(size, begin + angle * static_cast<double>(k));
            CHECK(std::abs(std::complex<double>(values[k]) - wanted) <= allowed * (1 + std::abs(wanted)));
        }
    }
}
