// The samples around a burst of a beacon, and its carrier.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>
#include <vector>

#include "core/measure/beacon/find.hpp"

namespace rt::beacon {

inline constexpr double pi = std::numbers::pi;

// Samples around a burst, mixed to 0 Hz, filtered and thinned.
struct Baseband {
    std::vector<std::complex<double>> z;
    double rate = 0, first_s = 0;  // time of the first in the record
    double cutoff_hz = 0;
    double rise_s = 0;  // 10 % to 90 % of a step behind the filter

    double time(std::size_t n) const { return first_s + static_cast<double>(n) / rate; }
    double place(double t) const { return (t - first_s) * rate; }
};

// 10 kHz to either side of the carrier, less where the record holds less.
Baseband baseband(const IqRecord& record, const Candidate& candidate);

// Sums from the beginning on: means over any stretch of time, with parts of samples at its ends.
class Cumulated {
  public:
    Cumulated(const std::vector<double>& values, const Baseband& base)
        : base_(base), sums_(values.size() + 1) {
        for (std::size_t i = 0; i < values.size(); ++i) sums_[i + 1] = sums_[i] + values[i];
    }
    // Each sample stands for the time from half a sample before it to half a sample behind.
    double mean(double from_s, double to_s) const {
        return (at(to_s) - at(from_s)) / ((to_s - from_s) * base_.rate);
    }

  private:
    double at(double t) const {
        const double x = std::clamp(base_.place(t) + 0.5, 0.0, static_cast<double>(sums_.size() - 1));
        const auto i = std::min(static_cast<std::size_t>(x), sums_.size() - 2);
        return sums_[i] + (x - static_cast<double>(i)) * (sums_[i + 1] - sums_[i]);
    }
    const Baseband& base_;
    std::vector<double> sums_;
};

// Between -pi and pi.
inline double wrapped(double phase) {
    return phase - 2 * std::numbers::pi * std::round(phase / (2 * std::numbers::pi));
}

// Frequency and phase of the carrier over a stretch without modulation: phases of means of 1 ms on a line.
struct Carrier {
    double hz = 0, phase = 0, at_s = 0;  // phase at that instant
    double phase_at(double t) const { return phase + 2 * std::numbers::pi * hz * (t - at_s); }
};
Carrier carrier_of(const Baseband& base, double from_s, double to_s);

// How the carrier goes on below the modulation, in radians against a reference, from an instant on: its level
// stays at cos 1.1 of it. Means over 10 ms, which hold as much positive as negative phase but for a half of a
// bit; the constant is left out, it belongs to the modulation.
class Drift {
  public:
    Drift(const Baseband& base, const Carrier& reference, double from_s, double to_s);
    double at(double t) const {
        const double x = std::max(0.0, t - from_s_);
        return x * (powers_[0] + x * (powers_[1] + x * powers_[2]));
    }

  private:
    double from_s_;
    std::array<double, 3> powers_{};
};

}  // namespace rt::beacon
