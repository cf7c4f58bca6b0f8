// Noise of a matched input at room temperature.
#pragma once

#include <cmath>

namespace rt::lab {

inline constexpr double thermal_dbm_hz = -173.975;  // k 290 K

inline double milliwatt(double dbm) {
    return std::pow(10, dbm / 10);
}

}  // namespace rt::lab
