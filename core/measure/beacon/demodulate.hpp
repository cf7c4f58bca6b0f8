// One burst of a first-generation 406 MHz beacon: its times, carrier, modulation and bits.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/measure/beacon/find.hpp"

namespace rt::beacon {

struct Demodulated {
    std::string reason;  // why it is no burst of a beacon; "" when it is
    bool cut_start = false, cut_stop = false;

    // Seconds in the record. Where the power crosses 90 % of that of the carrier, and the half of the first
    // phase step.
    double start_s = 0, stop_s = 0, modulation_s = 0;
    double power = 0;  // mean |x|^2 between, without noise
    double noise = 0;  // mean |x|^2 beside it, in the bandwidth below
    double bandwidth_hz = 0;
    double snr_db = 100;                            // of the carrier over the noise of 20 kHz
    std::optional<double> rise_s, fall_s;           // 10 % to 90 % of the power
    bool rise_hidden = false, fall_hidden = false;  // as fast as the averaging: an upper bound

    // Offsets from the middle of the record over 100 ms: of the unmodulated carrier from 12 ms behind its
    // start (S1), from bit 23 on (S2), from 15 ms behind the end of that (S3).
    double s1_hz = 0;
    std::optional<double> s2_hz, s3_hz;

    double bit_rate = 0;             // bits a second
    std::vector<std::uint8_t> bits;  // from the first of bit synchronisation on
    std::vector<double>
        decisions;  // of each bit: radians of its first half over its second, positive for a 1
    // Radians from the unmodulated carrier.
    double positive_rad = 0, negative_rad = 0;
    double phase_rise_s = 0, phase_fall_s = 0;                  // 10 % to 90 %, mean of all transitions
    bool phase_rise_hidden = false, phase_fall_hidden = false;  // no slower than the filter in front
    double symmetry = 0;  // |T1 - T2| / (T1 + T2) at zero phase, over bit synchronisation

    // For figures: around the burst.
    std::vector<double> time_s, level, phase_rad;  // |x|^2
};

// Filters +-10 kHz around the carrier (less where the record holds less) and demodulates.
Demodulated demodulate(const IqRecord& record, const Candidate& candidate);

}  // namespace rt::beacon
