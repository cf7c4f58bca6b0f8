// Waveforms of known edges: each transition an error function around its time.
#pragma once

#include <algorithm>
#include <cmath>
#include <random>
#include <vector>

namespace made {

struct Switching {
    std::vector<double> edges_s;  // ascending; the first rises
    double low = -0.4, high = 0.4;
    double rise_s = 0;  // 10 % to 90 %; 0 for steps
    double noise_rms = 0;
};

inline std::vector<double> volts(const Switching& s, double rate, std::size_t count) {
    // Steps as differences, summed up in the end; each edge's own shape on top.
    std::vector<double> out(count), step(count + 1);
    const double sigma = s.rise_s / 2.5631031, reach = 6 * sigma;
    for (std::size_t k = 0; k < s.edges_s.size(); ++k) {
        const double height = (k % 2 == 0 ? 1 : -1) * (s.high - s.low), at = s.edges_s[k];
        const auto from = static_cast<std::size_t>(std::max(0.0, std::ceil((at - reach) * rate)));
        const auto to = static_cast<std::size_t>(std::max(0.0, std::ceil((at + reach) * rate)));
        for (std::size_t i = from; i < std::min(to, count); ++i)
            out[i] +=
                height * 0.5 * (1 + std::erf((static_cast<double>(i) / rate - at) / sigma / std::sqrt(2.0)));
        if (to < count) step[to] += height;
    }
    std::mt19937_64 random(11);
    std::normal_distribution<double> normal(0, s.noise_rms > 0 ? s.noise_rms : 1);
    double level = s.low;
    for (std::size_t i = 0; i < count; ++i) {
        level += step[i];
        out[i] += level + (s.noise_rms > 0 ? normal(random) : 0);
    }
    return out;
}

// Times of the transitions of bits, the first of them rising: a bit begins at (its number + 1) intervals.
template <typename Shift>
std::vector<double> edges_of(const std::vector<bool>& bits, double interval_s, Shift shift) {
    std::vector<double> out;
    bool level = false;
    for (std::size_t i = 0; i < bits.size(); ++i) {
        if (bits[i] == level) continue;
        out.push_back(static_cast<double>(i + 1) * interval_s + shift(i));
        level = bits[i];
    }
    return out;
}

}  // namespace made
