// Network data: scattering parameters against frequency.
#pragma once

#include <complex>
#include <cstddef>
#include <optional>
#include <string>
#include <vector>

namespace rt {

struct Network {
    std::size_t ports = 0;
    std::vector<double> frequency_hz;     // ascends strictly
    std::vector<std::complex<double>> s;  // for each frequency ports x ports values, row by row
    double reference_ohm = 50;
    std::optional<std::string> trouble;  // why it cannot be trusted, if it cannot

    // Wave out of port `to` for a wave into port `from`; ports count from 1. S21 is (2, 1).
    std::complex<double> at(std::size_t index, std::size_t to, std::size_t from) const {
        return s[(index * ports + to - 1) * ports + from - 1];
    }
};

}  // namespace rt
