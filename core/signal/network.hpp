// Network data: scattering parameters against frequency.
#pragma once

#include <complex>
#include <cstddef>
#include <optional>
#include <string>
#include <vector>

namespace rt {

// What a network analyser has to be asked for: all four parameters of two ports.
struct NetworkSetup {
    double start_hz = 0;
    double stop_hz = 0;
    std::size_t points = 0;  // evenly spaced, both ends included
    double bandwidth_hz = 0;
};

struct Network {
    using Setup = NetworkSetup;
    static constexpr const char* kind = "network";
    static constexpr const char* needed =
        "network data (Touchstone)";  // what a procedure says that takes nothing else

    std::size_t ports = 0;
    std::vector<double> frequency_hz;     // ascends strictly
    std::vector<std::complex<double>> s;  // for each frequency ports x ports values, row by row
    double reference_ohm = 50;
    std::optional<std::string> distrust{};  // why it cannot be trusted, if it cannot

    // Wave out of port `to` for a wave into port `from`; ports count from 1. S21 is (2, 1).
    std::complex<double> at(std::size_t index, std::size_t to, std::size_t from) const {
        return s[(index * ports + to - 1) * ports + from - 1];
    }
};

// Why it cannot have been measured: all parameters are 0, or one is above 10,000. Empty when it can.
std::string implausible(const Network& capture);

}  // namespace rt
