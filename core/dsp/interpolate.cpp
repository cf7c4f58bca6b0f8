#include "core/dsp/interpolate.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

namespace rt {
namespace {

constexpr std::ptrdiff_t half = 16;
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

}  // namespace

std::complex<double> value_between(std::span<const std::complex<double>> signal, double at) {
    static const std::vector<double> weights = make_weights();
    const double whole = std::floor(at);
    const double place = (at - whole) * phases;
    const auto row = std::min(static_cast<std::size_t>(place), phases - 1);
    const double share = place - static_cast<double>(row);
    const double* a = weights.data() + row * 2 * half;
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
