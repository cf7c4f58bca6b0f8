// Between the samples of a turn that is played again and again: windowed sinc of 16 samples.
#pragma once

#include <cmath>
#include <cstdint>
#include <numbers>
#include <vector>

namespace rt::lab {

class Between {
  public:
    static constexpr int taps = 16, places = 1024;
    // The weights of the samples around a place, from 7 before the whole one on.
    static const double* weights(double part) {
        static const std::vector<double> table = make();
        return table.data() + static_cast<std::size_t>(part * places) * taps;
    }

  private:
    static std::vector<double> make() {
        std::vector<double> t(static_cast<std::size_t>((places + 1) * taps));
        for (int p = 0; p <= places; ++p) {
            double sum = 0;
            double* row = t.data() + p * taps;
            for (int k = 0; k < taps; ++k) {
                const double a = std::numbers::pi * (k - (taps / 2 - 1) - static_cast<double>(p) / places);
                const double window = 0.5 + 0.5 * std::cos(a / (taps / 2));
                sum += row[k] = (a == 0 ? 1 : std::sin(a) / a) * window;
            }
            for (int k = 0; k < taps; ++k) row[k] /= sum;
        }
        return t;
    }
};

// `Sum` is double, or complex of double.
template <typename Sum, typename Sample>
Sum between(const std::vector<Sample>& turn, double at) {
    const double whole = std::floor(at);
    const double* weights = Between::weights(at - whole);
    const auto size = static_cast<std::int64_t>(turn.size());
    std::int64_t k = (static_cast<std::int64_t>(whole) - (Between::taps / 2 - 1)) % size;
    if (k < 0) k += size;
    Sum out{};
    for (int tap = 0; tap < Between::taps; ++tap) {
        out += weights[tap] * static_cast<Sum>(turn[static_cast<std::size_t>(k)]);
        if (++k == size) k = 0;
    }
    return out;
}

}  // namespace rt::lab
