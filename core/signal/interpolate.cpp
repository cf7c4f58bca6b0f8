#include "core/signal/interpolate.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numbers>
#include <vector>

#include "core/base/simd.hpp"

namespace rt {
namespace {

constexpr std::ptrdiff_t half = interpolation_reach;
constexpr std::size_t interpolation_phases = 512;

// Row p holds the weights for a place p / phases behind a sample.
std::vector<double> make_weights() {
    constexpr double beta = 9;
    std::vector<double> out((interpolation_phases + 1) * 2 * half);
    // A place and the one as far from the next sample have the same weights the other way round.
    for (std::size_t p = 0; p <= interpolation_phases / 2; ++p) {
        const double fraction = static_cast<double>(p) / interpolation_phases;
        double sum = 0;
        double* row = out.data() + p * 2 * half;
        for (std::ptrdiff_t k = 0; k < 2 * half; ++k) {
            const double x = static_cast<double>(k - half + 1) - fraction;
            const double sinc =
                std::abs(x) < 1e-12 ? 1 : std::sin(std::numbers::pi * x) / (std::numbers::pi * x);
            const double edge = x / half;
            row[k] =
                std::abs(edge) < 1 ? sinc * std::cyl_bessel_i(0.0, beta * std::sqrt(1 - edge * edge)) : 0;
            sum += row[k];
        }
        for (std::ptrdiff_t k = 0; k < 2 * half; ++k) row[k] /= sum;
        std::reverse_copy(row, row + 2 * half, out.data() + (interpolation_phases - p) * 2 * half);
    }
    return out;
}

const std::vector<double>& weights() {
    static const std::vector<double> made = make_weights();
    return made;
}

// Where a place behind a sample stands in the table.
template <typename Number>
struct Row {
    const Number* before;  // and the next row behind it
    Number share;
};
template <typename Number>
Row<Number> row_of(const std::vector<Number>& weights, double fraction) {
    const double place = fraction * interpolation_phases;
    const auto row = std::min(static_cast<std::size_t>(place), interpolation_phases - 1);
    return {weights.data() + row * 2 * half, static_cast<Number>(place - static_cast<double>(row))};
}

// The same weights for real samples, whose own numbers hold no more digits.
const std::vector<float>& real_weights() {
    static const std::vector<float> made(weights().begin(), weights().end());
    return made;
}

// Both neighbouring rows at once, in lanes side by side.
inline ValueAndSlope weighed(const float* samples, const float* weights, float share) {
    constexpr std::size_t lanes = 8;
    using Lanes = float __attribute__((vector_size(lanes * sizeof(float))));
    Lanes before{}, behind{};
    for (std::size_t k = 0; k < 2 * half; k += lanes) {
        Lanes v, w, next;
        std::memcpy(&v, samples + k, sizeof v);
        std::memcpy(&w, weights + k, sizeof w);
        std::memcpy(&next, weights + 2 * half + k, sizeof next);
        before += w * v;
        behind += next * v;
    }
    // Both sums at once: lanes are added pairwise until one is left of each.
    const Lanes rises = behind - before;
    using Half = float __attribute__((vector_size(lanes * sizeof(float) / 2)));
    const auto folded = [](const Lanes& of, Half& out) {
        Half low, high;
        std::memcpy(&low, &of, sizeof low);
        std::memcpy(&high, reinterpret_cast<const char*>(&of) + sizeof low, sizeof high);
        out = low + high;
    };
    Half values, slopes;
    folded(before, values), folded(rises, slopes);
    const Half both = __builtin_shufflevector(values, slopes, 0, 4, 1, 5) +
                      __builtin_shufflevector(values, slopes, 2, 6, 3, 7);
    const float value = both[0] + both[2], rise = both[1] + both[3];
    return {static_cast<double>(value + share * rise), static_cast<double>(rise) * interpolation_phases};
}

// The same of complex samples: real and imaginary parts side by side, two samples at once.
RT_SIMD void weighed_pairs(const double* pairs, const double* weights, double share, double* out) {
    constexpr std::size_t lanes = 8;
    double sum[lanes] = {};
    for (std::size_t k = 0; k < 2 * half; k += lanes / 2) {
        double w[lanes];
        for (std::size_t j = 0; j < lanes; ++j) {
            const std::size_t tap = k + j / 2;
            w[j] = weights[tap] + share * (weights[2 * half + tap] - weights[tap]);
        }
        for (std::size_t j = 0; j < lanes; ++j) sum[j] += w[j] * pairs[2 * k + j];
    }
    out[0] = (sum[0] + sum[2]) + (sum[4] + sum[6]);
    out[1] = (sum[1] + sum[3]) + (sum[5] + sum[7]);
}

}  // namespace

std::vector<double> weights_between(double fraction) {
    const auto row = row_of(weights(), fraction);
    std::vector<double> out(2 * half);
    for (std::size_t k = 0; k < out.size(); ++k)
        out[k] = row.before[k] + row.share * (row.before[2 * half + k] - row.before[k]);
    return out;
}

RT_SIMD void real_values_between(const float* samples, std::span<const std::uint32_t> first,
                                 std::span<const double> fraction, std::span<ValueAndSlope> out) {
    const auto& table = real_weights();
    for (std::size_t i = 0; i < out.size(); ++i) {
        const auto row = row_of(table, fraction[i]);
        out[i] = weighed(samples + first[i], row.before, row.share);
    }
}

ValueAndSlope real_value_between(const float* samples, double fraction) {
    constexpr std::uint32_t first = 0;
    ValueAndSlope out;
    real_values_between(samples, {&first, 1}, {&fraction, 1}, {&out, 1});
    return out;
}

std::complex<double> value_between(std::span<const std::complex<double>> signal, double at) {
    const double whole = std::floor(at);
    const auto [a, share] = row_of(weights(), at - whole);
    const auto first = static_cast<std::ptrdiff_t>(whole) - half + 1;
    const auto size = static_cast<std::ptrdiff_t>(signal.size());
    if (first >= 0 && first + 2 * half <= size) {
        double out[2];
        weighed_pairs(reinterpret_cast<const double*>(signal.data() + first), a, share, out);
        return {out[0], out[1]};
    }
    const double* b = a + 2 * half;
    double real = 0, imaginary = 0;
    const std::ptrdiff_t low = std::max<std::ptrdiff_t>(0, -first), high = std::min(2 * half, size - first);
    for (std::ptrdiff_t k = low; k < high; ++k) {
        const double w = a[k] + share * (b[k] - a[k]);
        const auto& x = signal[static_cast<std::size_t>(first + k)];
        real += w * x.real();
        imaginary += w * x.imag();
    }
    return {real, imaginary};
}

}  // namespace rt
