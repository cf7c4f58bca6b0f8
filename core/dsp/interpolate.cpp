#include "core/dsp/interpolate.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

namespace rt {
namespace {

constexpr std::ptrdiff_t half = interpolation_reach;
constexpr std::size_t phases = 512;

// Row p holds the weights for a place p / phases behind a sample.
std::vector<double> make_weights() {
    constexpr double beta = 9;
    std::vector<double> out((phases + 1) * 2 * half);
    for (std::size_t p = 0; p <= phases; ++p) {
        const double fraction = static_cast<double>(p) / phases;
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
    const double place = fraction * phases;
    const auto row = std::min(static_cast<std::size_t>(place), phases - 1);
    return {weights().data() + row * 2 * half, place - static_cast<double>(row)};
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
    double before = 0, behind = 0;
    for (std::size_t k = 0; k < 2 * half; ++k) {
        before += row.before[k] * static_cast<double>(samples[k]);
        behind += row.before[2 * half + k] * static_cast<double>(samples[k]);
    }
    return before + row.share * (behind - before);
}

std::complex<double> value_between(std::span<const std::complex<double>> signal, double at) {
    const double whole = std::floor(at);
    const auto [a, share] = row_for(at - whole);
    const double* b = a + 2 * half;
    const auto first = static_cast<std::ptrdiff_t>(whole) - half + 1;
    const auto size = static_cast<std::ptrdiff_t>(signal.size());
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
