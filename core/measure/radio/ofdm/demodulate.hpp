// One IEEE 802.11 OFDM frame, measured as clause 17.3.9.8 (transmit modulation accuracy test) says.
#pragma once

#include <complex>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/measure/radio/ofdm/frame.hpp"
#include "core/measure/radio/ofdm/payload.hpp"

namespace rt::ofdm {

struct Demodulated {
    double start_s = 0;
    double frequency_offset_hz = 0;
    double clock_ppm = 0;
    Signal signal{};
    // Relative constellation error over data and pilots, as an amplitude: with the channel from the long
    // training sequence, and with the channel from the whole frame.
    double error_training = 0, error_whole = 0;
    std::vector<double> error_of_symbol;              // the first kind, of each data symbol
    std::vector<std::complex<double>> constellation;  // data carriers, first kind
    std::vector<double> channel_power;                // of carriers -26 to 26; the centre is 0
    double leakage = 0;                               // power at the centre over all power in the training
    Payload payload = {};
};

struct Attempt {
    std::optional<Demodulated> frame;
    std::string reason;
};

// `samples` hold one burst with room on both sides, at least 20 million a second.
Attempt demodulate(std::span<const std::complex<float>> samples, double sample_rate_hz);

}  // namespace rt::ofdm
