// What a channel does to a signal, at any frequency.
#pragma once

#include <complex>
#include <optional>
#include <vector>

#include "core/signal/network.hpp"

namespace rt {

class Through {
  public:
    // A cable with its loss at a frequency (0 dB for none) and the parameter S21 of two-port data. Throws
    // Error(input) for data of one port, or that end below three quarters of the symbol rate.
    Through(double loss_db, double at_hz, const std::optional<Network>& network, double symbol_rate_hz);

    // Loss and phase of skin effect: exp(-(1 + j) a sqrt(f)); of data, magnitude and unwrapped phase on
    // straight lines, the first magnitude and no phase at 0 Hz, nothing above the last.
    std::complex<double> at(double hz) const;

  private:
    double nepers_, at_hz_;
    std::vector<double> hz_, magnitude_, phase_;
};

}  // namespace rt
