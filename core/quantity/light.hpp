// Light is named by its wavelength in vacuum.
#pragma once

namespace rt {

inline constexpr double speed_of_light = 299'792'458;  // m/s, exact (SI)

inline double wavelength_of(double frequency_hz) {
    return speed_of_light / frequency_hz;
}
inline double frequency_of(double wavelength_m) {
    return speed_of_light / wavelength_m;
}

}  // namespace rt
