#include "core/dsp/fir.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace rt {
namespace {

template <typename Value>
std::vector<Value> convolve(std::span<const Value> signal, std::span<const double> taps) {
    const auto size = static_cast<std::ptrdiff_t>(signal.size()),
               length = static_cast<std::ptrdiff_t>(taps.size());
    const std::ptrdiff_t reach = length / 2;
    std::vector<Value> out(signal.size());
    for (std::ptrdiff_t i = 0; i < size; ++i) {
        Value sum{};
        const std::ptrdiff_t low = std::max<std::ptrdiff_t>(0, reach - i);
        const std::ptrdiff_t high = std::min(length, size + reach - i);
        for (std::ptrdiff_t k = low; k < high; ++k) {
            sum += taps[static_cast<std::size_t>(k)] * signal[static_cast<std::size_t>(i + k - reach)];
        }
        out[static_cast<std::size_t>(i)] = sum;
    }
    return out;
}

}  // namespace

std::vector<double> low_pass(double cutoff_hz, double transition_hz, double rate_hz) {
    constexpr double beta = 7.86;  // -80 dB (Kaiser)
    const double needed = 5.02 * rate_hz / transition_hz;
    const auto reach = static_cast<std::ptrdiff_t>(std::ceil(needed / 2));
    std::vector<double> taps;
    double sum = 0;
    for (std::ptrdiff_t k = -reach; k <= reach; ++k) {
        const double x = 2 * cutoff_hz / rate_hz * static_cast<double>(k);
        const double sinc = k == 0 ? 1 : std::sin(std::numbers::pi * x) / (std::numbers::pi * x);
        const double edge = static_cast<double>(k) / static_cast<double>(reach + 1);
        taps.push_back(sinc * std::cyl_bessel_i(0.0, beta * std::sqrt(1 - edge * edge)));
        sum += taps.back();
    }
    for (double& tap : taps) tap /= sum;
    return taps;
}

std::vector<std::complex<double>> filtered(std::span<const std::complex<double>> signal,
                                           std::span<const double> taps) {
    return convolve(signal, taps);
}

std::vector<double> filtered(std::span<const double> signal, std::span<const double> taps) {
    return convolve(signal, taps);
}

}  // namespace rt
