// What the standards of a calibration kit reflect and let through.
#pragma once

#include <complex>
#include <vector>

#include "core/network/two.hpp"
#include "core/signal/calibration_kit.hpp"

namespace rt {

// An offset line with skin-effect loss: a = loss delay / (2 Z0) sqrt(f / 1 GHz),
// gamma l = a + j (2 pi f delay + a), Zc = Z0 + (1 - j) loss / (4 pi f) sqrt(f / 1 GHz).
struct OffsetLine {
    std::complex<double> gamma_l, impedance_ohm;
};
OffsetLine offset_line(const Standard& standard, double hz);

// Reflection of a one-port standard on a reference. Throws Error(input) outside the frequencies that it holds
// for, and for one that reflects more than comes in.
std::complex<double> reflection_of(const Standard& standard, double hz, double reference_ohm);

// Parameters of a thru or a line on a reference. Errors as above.
Two transmission_of(const Standard& standard, double hz, double reference_ohm);

// Phase of what goes through once, in radians and without turns left out: tells one root from another.
double expected_phase(const Standard& standard, double hz);

// Network data at a frequency between its own: real and imaginary parts of magnitude and phase by straight
// lines. Throws Error(input) outside.
std::vector<std::complex<double>> interpolated(const Network& network, double hz, const std::string& name);

}  // namespace rt
