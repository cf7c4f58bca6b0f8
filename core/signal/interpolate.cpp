#include "core/signal/interpolate.hpp"

#include <algorithm>
#include <cmath>
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
    for (std::size_t p = 0; p <= interpolation_phases; ++p) {
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
    }
    return out;
}

const std::vector<double>& weights() {
    static const std::vector<double> made = make_weights();
    return made;
}

// Where a place behind a sample stands in the table.
struct Row {
    const double* before;  // and the next row behind it
    double share;
};
Row row_for(double fraction) {
    const double place = fraction * interpolation_phases;
    const auto row = std::min(static_cast<std::size_t>(place), interpolation_phases - 1);
    return {weights().data() + row * 2 * half, place - static_cast<double>(row)};
}

// Both neighbouring rows at once, in lanes that the compiler keeps side by side.
RT_SIMD double weighed(const float* samples, const double* weights, double share) {
    constexpr std::size_t lanes = 8;
    double before[lanes] = {}, behind[lanes] = {};
    for (std::size_t k = 0; k < 2 * half; k += lanes) {
        for (std::size_t j = 0; j < lanes; ++j) {
            const auto v = static_cast<double>(samples[k + j]);
            before[j] += weights[k + j] * v;
            behind[j] += weights[2 * half + k + j] * v;
        }
    }
    double a = 0, b = 0;
    for (std::size_t j = 0; j < lanes; ++j) a += before[j], b += behind[j];
    return a + share * (b - a);
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
    const Row row = row_for(fraction);
    std::vector<double> out(2 * half);
    for (std::size_t k = 0; k < out.size(); ++k)
        out[k] = row.before[k] + row.share * (row.before[2 * half + k] - row.before[k]);
    return out;
}

double real_value_between(const float* samples, double fraction) {
    const Row row = row_for(fraction);
    return weighed(samples, row.before, row.share);
}

std::complex<double> value_between(std::span<const std::complex<double>> signal, double at) {
    const double whole = std::floor(at);
    const auto [a, share] = row_for(at - whole);
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
