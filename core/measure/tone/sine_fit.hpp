// A sine with its harmonics, fitted to samples.
#pragma once

#include <span>
#include <vector>

namespace rt {

struct SineFit {
    double frequency_hz = 0;
    double offset = 0;
    // Of the fundamental and its harmonics, peak values; time counts from the middle of the samples.
    std::vector<double> cosine, sine, amplitude;
    double residual_square = 0;  // mean square of what is left without offset, fundamental and harmonics
};

// The samples without offset, fundamental and harmonics up to `count` of them in all: with 1, harmonics and
// noise are left.
std::vector<double> without(std::span<const double> samples, double rate_hz, const SineFit& fit,
                            std::size_t count);

// Least squares over all samples: offset, fundamental and harmonics below half the sample rate (at most
// `harmonics` of them with the fundamental), the frequency refined from `near_hz` (IEEE Std 1057,
// four-parameter fit).
SineFit fit_sine(std::span<const double> samples, double rate_hz, double near_hz, std::size_t harmonics);

// The strongest line, to start from: Blackman-Harris window, parabola in dB. Nothing in silence.
double strongest_tone(std::span<const double> samples, double rate_hz);

}  // namespace rt
