// Deviations of the bits of an alternating payload, so that noise does not add to them.
#pragma once

#include <array>
#include <vector>

#include "core/measure/radio/gfsk/demodulate.hpp"

namespace rt::gfsk {

// Delta f2 (RF-PHY test suite): the largest deviation in each bit of payloads 10101010 or 01010101. The
// greatest of a bit's own values would count noise in: here it is the half wave of 500 kHz in the bit, as
// much larger or smaller as the top of all bits' mean is than its half wave.
class Alternation {
  public:
    void add(const Packet& packet);
    bool empty() const { return amplitude_.empty(); }

    // Of each bit, in Hz, from the mean of its octet; without the first and last octet of each packet.
    std::vector<double> deviations() const;
    // The standard deviation that noise gives to each of them, in Hz.
    double noise() const;

  private:
    using Values = std::array<double, per_bit>;

    double shape() const;

    std::vector<double> amplitude_;  // of the half wave in each bit
    Values sum_{};                   // of the bits' frequencies, each to the side of its bit
    double squares_ = 0;             // of what the half waves leave
};

}  // namespace rt::gfsk
