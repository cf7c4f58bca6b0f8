// Levels in simulated records.
#pragma once

#include <cmath>

namespace rt::lab {

// |x| of a level in samples whose full scale is |x| = 1.
inline double amplitude(double level_dbm, double full_scale_dbm) {
    return std::pow(10, (level_dbm - full_scale_dbm) / 20);
}

}  // namespace rt::lab
