// The octets in an IEEE 802.11 OFDM frame (clause 17.3.5): constellation to bits, interleaving, puncturing,
// convolutional code, scrambler, and the frame check sequence over them (clause 9.2.4.8).
#pragma once

#include <complex>
#include <cstdint>
#include <span>
#include <vector>

#include "core/measure/radio/ofdm/frame.hpp"

namespace rt::ofdm {

struct Payload {
    std::vector<std::uint8_t> octets;  // of the PSDU, with its check
    bool service_right = false;        // the reserved bits of SERVICE are zero
    bool check_right = false;          // the last four octets are the check of those before
};

// `values` are the data carriers of all symbols, from carrier -26 up, symbol by symbol, with mean power 1;
// `weight` is the power of the channel at each of the 48.
Payload decode_payload(std::span<const std::complex<double>> values, std::span<const double> weight,
                       const Signal& signal);

// The frame check sequence of 32 bits: 0x04C11DB7, ones first, inverted (IEEE 802.3 and 802.11).
std::uint32_t frame_check(std::span<const std::uint8_t> octets);

}  // namespace rt::ofdm
