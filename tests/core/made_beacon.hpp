// A burst of a 406 MHz beacon as C/S T.001 defines it: its phase written down over time, sample by sample.
#pragma once

#include <string>

#include "tests/core/made_signals.hpp"

namespace made {

struct BeaconBurst {
    // Bits from 25 on, in hexadecimal digits.
    std::string message = "8E3E0425A52B002E364FF709674EB7";
    double rate = 100e3;
    double at = 0.5, seconds = 1.5;  // of 90 % of the power; of the record
    double offset_hz = 1234.5;       // of the carrier from the middle
    double drift_hz_s = 0;
    double amplitude = 0.5;
    double carrier_s = 160e-3, bit_rate = 400;
    double positive = 1.1, negative = 1.1;  // radians
    double phase_rise_s = 150e-6;           // 10 % to 90 % of a straight ramp
    double lean_s = 0;                      // changes in the middle of bits come so much later
    double ramp_s = 0.2e-3;                 // of the amplitude, both ends, straight
    double ends_early_s = 0;
    bool self_test = false;
    int wrong_bit = -1;  // counted from 1 in the message
    std::vector<int> wrong_bits;

    std::vector<int> bits() const {
        std::vector<int> out(15, 1);
        for (const char c : std::string(self_test ? "011010000" : "000101111")) out.push_back(c - '0');
        for (const char c : message) {
            const int digit = c <= '9' ? c - '0' : c - 'A' + 10;
            for (int k = 3; k >= 0; --k) out.push_back(digit >> k & 1);
        }
        for (const int n : wrong_bits) out[static_cast<std::size_t>(n - 1)] ^= 1;
        return out;
    }
    double total_s() const {
        return carrier_s + static_cast<double>(bits().size()) / bit_rate - ends_early_s;
    }

    Samples make() const {
        const auto all = bits();
        // Times at which the phase begins to change, and to what.
        struct Change {
            double at, to;
        };
        std::vector<Change> changes;
        double now = 0;
        const auto go = [&](double t, double to) {
            if (to != now) changes.push_back({t, to});
            now = to;
        };
        const double full = phase_rise_s / 0.8;
        for (std::size_t k = 0; k < all.size(); ++k) {
            const double begin = at + carrier_s + static_cast<double>(k) / bit_rate;
            go(begin, all[k] ? positive : -negative);
            go(begin + 0.5 / bit_rate + lean_s, all[k] ? -negative : positive);
        }
        Samples out(static_cast<std::size_t>(seconds * rate));
        std::size_t next = 0;
        double from = 0, to = 0, when = -1;
        const double end = at + total_s();
        for (std::size_t n = 0; n < out.size(); ++n) {
            const double t = static_cast<double>(n) / rate;
            while (next < changes.size() && t >= changes[next].at - full / 2) {
                from = to, to = changes[next].to, when = changes[next].at;
                ++next;
            }
            const double share = when < 0 ? 0 : std::clamp((t - when) / full + 0.5, 0.0, 1.0);
            const double phase = from + (to - from) * share;
            // Straight ramps of amplitude; 90 % of the power is at 0.9487 of it.
            const double high = std::sqrt(0.9) * ramp_s;
            const double up = ramp_s > 0 ? (t - at + high) / ramp_s : (t >= at ? 1 : 0);
            const double down = ramp_s > 0 ? (end + high - t) / ramp_s : (t < end ? 1 : 0);
            const double level = amplitude * std::clamp(std::min(up, down), 0.0, 1.0);
            const double since = t - at;
            const double cycles = offset_hz * since + drift_hz_s * since * since / 2;
            out[n] = std::polar(level, 2 * pi * cycles + phase + 0.7);
        }
        return out;
    }
};

}  // namespace made
