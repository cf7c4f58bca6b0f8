// What a port or a pair of ports reflects.
#pragma once

#include <complex>
#include <cstddef>
#include <vector>

#include "core/signal/network.hpp"

namespace rt {

// Which reflection is meant: that of one port, or the differential one of two ports that carry a pair.
struct ReflectionPorts {
    std::size_t a = 1, b = 0;  // from 1; b is 0 for a single port
    double reference_ohm = 0;  // that the result counts from; 0 for that of the data (twice it for a pair)
};

struct Reflections {
    std::vector<std::complex<double>> reflection;       // S11, or Sdd11 = (S11 - S12 - S21 + S22) / 2
    std::vector<std::complex<double>> mode_conversion;  // Scd11 = (S11 - S12 + S21 - S22) / 2 of a pair
    double reference_ohm = 0;
};

// Mixed-mode parameters after Bockelman and Eisenstadt, IEEE Trans. MTT 43 (1995). Another reference
// resistance is reached through the impedance. Throws Error(input) for a port that is not there.
Reflections reflections(const Network& network, const ReflectionPorts& ports);

}  // namespace rt
