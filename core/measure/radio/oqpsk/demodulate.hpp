// One O-QPSK burst: synchronised, decoded and compared with the ideal signal of its own chips.
#pragma once

#include <complex>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include <cstdint>

namespace rt::oqpsk {

struct Demodulated {
    double start_s = 0;              // beginning of the preamble within the samples given
    double frequency_offset_hz = 0;  // carrier minus the middle of the record
    double chip_clock_ppm = 0;       // chip rate over 2 Mchip/s, minus 1
    std::complex<double> offset;     // of the origin, relative to the amplitude of the signal
    double gain_imbalance_db = 0;    // I over Q
    double quadrature_error_deg = 0;
    double imbalance = 0, skew = 0;  // the same as they enter the signal: I is 1 + imbalance long, Q is 1 -
                                     // imbalance along its axis and -skew along I
    double amplitude = 0;            // of the signal, in the unit of the samples
    double preamble_match = 0;       // 1 for an ideal preamble
    std::vector<std::uint8_t> symbols;
    std::vector<std::uint8_t> psdu;
    bool check_ok = false;
    // At each chip's own instant, turned and scaled so that ideal chips are +-1 (even) and +-j (odd), offset
    // kept.
    std::vector<std::complex<double>> at_chip;
    std::vector<std::int8_t> chips;  // as sent
    bool behind_filter = false;      // only found in the filtered samples
};

struct Attempt {
    std::optional<Demodulated> burst;
    std::string reason;  // why there is none
};

// `samples` hold one burst with a little room on both sides. The carrier is looked for within `search_hz` of
// the middle. Needs at least 4 million samples a second.
//
// Carrier: lines of the squared signal at twice the carrier plus and minus half the chip rate; the candidate
// whose derotated signal matches the preamble best counts. Timing: the match with preamble and start-of-frame
// delimiter. Then amplitude, phase, frequency, timing, chip clock, offset and imbalance are fitted by least
// squares (Gauss-Newton, until the instants stay) to the complex samples at the chip instants known so far;
// with that clock twice as many symbols are decoded, until all are. A fit that does not settle is no burst.
//
// Where that gives no frame that checks, the same samples behind a channel filter, if there are any, are
// synchronised and decoded; what the frame is compared with its ideal in stays `samples`.
Attempt demodulate(std::span<const std::complex<float>> samples, double sample_rate_hz, double search_hz,
                   std::span<const std::complex<float>> behind_filter = {});

}  // namespace rt::oqpsk
