// Numbers compared within a part of the number expected.
#pragma once

#include <doctest/doctest.h>

// Like doctest::Approx, whose tolerance is `epsilon` of (1 + value): for times of nanoseconds it holds
// whatever the value. Here it is `epsilon` of the value; of 0 it is `epsilon` itself, or what `scale` says.
inline doctest::Approx about(double expected) {
    return doctest::Approx(expected).scale(expected == 0 ? 1 : 0);
}

// Within `tolerance` of the number expected, whatever its size.
inline doctest::Approx within(double tolerance, double expected) {
    constexpr double large = 1e15;
    return doctest::Approx(expected).scale(large).epsilon(tolerance / large);
}
