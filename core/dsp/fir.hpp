// Finite impulse response filters.
#pragma once

#include <complex>
#include <span>
#include <vector>

namespace rt {

// A low-pass (windowed sinc, Kaiser, -80 dB) with half its voltage at `cutoff_hz` and a transition
// `transition_hz` wide; odd number of taps, sum 1.
std::vector<double> low_pass(double cutoff_hz, double transition_hz, double rate_hz);

// The signal through a symmetric filter, not delayed, of the same length; beyond its ends the signal is zero.
std::vector<std::complex<double>> filtered(std::span<const std::complex<double>> signal,
                                           std::span<const double> taps);
std::vector<double> filtered(std::span<const double> signal, std::span<const double> taps);

}  // namespace rt
