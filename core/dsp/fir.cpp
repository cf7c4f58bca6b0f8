#include "core/dsp/fir.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numbers>

#include "core/base/simd.hpp"

namespace rt {
namespace {

// Four values side by side; loaded and stored as memory, so that they may stand anywhere.
typedef double Four __attribute__((vector_size(32)));
constexpr std::size_t at_once = 16;  // values

// `count` values, a multiple of `at_once`: each the sum of its taps in their order, `stride` values apart.
RT_SIMD void sums_of(const double* in, std::span<const double> taps, std::size_t stride, std::size_t count,
                     double* out) {
    for (std::size_t i = 0; i < count; i += at_once) {
        Four first{}, second{}, third{}, fourth{};
        const double* at = in + i;
        for (const double tap : taps) {
            Four a, b, c, d;
            std::memcpy(&a, at, sizeof a);
            std::memcpy(&b, at + 4, sizeof b);
            std::memcpy(&c, at + 8, sizeof c);
            std::memcpy(&d, at + 12, sizeof d);
            first += a * tap;
            second += b * tap;
            third += c * tap;
            fourth += d * tap;
            at += stride;
        }
        std::memcpy(out + i, &first, sizeof first);
        std::memcpy(out + i + 4, &second, sizeof second);
        std::memcpy(out + i + 8, &third, sizeof third);
        std::memcpy(out + i + 12, &fourth, sizeof fourth);
    }
}

template <typename Value>
std::vector<Value> convolve(std::span<const Value> signal, std::span<const double> taps) {
    constexpr std::size_t stride = sizeof(Value) / sizeof(double), values = at_once / stride;
    const std::size_t size = signal.size(), length = taps.size(), reach = length / 2;
    std::vector<Value> out(size);
    // Those that all taps reach, many at once; then the two ends, and what is left over.
    const std::size_t whole = size >= length ? (size - length + 1) / values * values : 0;
    sums_of(reinterpret_cast<const double*>(signal.data()), taps, stride, whole * stride,
            reinterpret_cast<double*>(out.data() + (whole > 0 ? reach : 0)));
    for (std::size_t i = 0; i < size; ++i) {
        if (whole > 0 && i == reach) i += whole;
        if (i >= size) break;
        Value sum{};
        const std::size_t low = reach > i ? reach - i : 0, high = std::min(length, size + reach - i);
        for (std::size_t k = low; k < high; ++k) sum += taps[k] * signal[i + k - reach];
        out[i] = sum;
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
