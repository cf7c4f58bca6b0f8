// Values of a sampled signal between its samples.
#pragma once

#include <complex>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace rt {

// Band-limited interpolation with a windowed sinc (Kaiser, 32 samples long): flat within 0.01 dB up to 0.42
// of the sample rate. `at` counts samples; outside the signal it is zero.
std::complex<double> value_between(std::span<const std::complex<double>> signal, double at);

// The weights of that interpolation for the place `fraction` (0 to 1) behind a sample: the first belongs to
// the sample interpolation_reach - 1 before it, in all there are 2 interpolation_reach.
inline constexpr std::ptrdiff_t interpolation_reach = 16;
std::vector<double> weights_between(double fraction);
// The same of 2 interpolation_reach real samples, between the two in the middle; the slope is per sample.
struct ValueAndSlope {
    double value = 0, slope = 0;
};
ValueAndSlope real_value_between(const float* samples, double fraction);
// Of many places: each in the middle of the samples that begin at its `first`.
void real_values_between(const float* samples, std::span<const std::uint32_t> first,
                         std::span<const double> fraction, std::span<ValueAndSlope> out);

}  // namespace rt
