#include "core/dsp/window.hpp"

#include <array>
#include <cmath>
#include <numbers>

#include "core/base/simd.hpp"

namespace rt {
namespace {

struct Row {
    Window window;
    const char* name;
    std::array<double, 5> terms;  // of cos(2 pi k n / N), with alternating signs
};

constexpr std::array rows{
    Row{Window::rectangular, "rectangular", {1, 0, 0, 0, 0}},
    Row{Window::hann, "hann", {0.5, 0.5, 0, 0, 0}},
    Row{Window::hamming, "hamming", {0.54, 0.46, 0, 0, 0}},
    Row{Window::blackman_harris, "blackman-harris", {0.35875, 0.48829, 0.14128, 0.01168, 0}},
    Row{Window::flat_top, "flat-top", {1, 1.933, 1.286, 0.388, 0.0322}},
};

}  // namespace

const char* name(Window window) {
    return rows[static_cast<std::size_t>(window)].name;
}

std::optional<Window> parse_window(std::string_view text) {
    for (const auto& row : rows) {
        if (text == row.name) return row.window;
    }
    return std::nullopt;
}

std::vector<std::string> window_names() {
    std::vector<std::string> out;
    for (const auto& row : rows) out.emplace_back(row.name);
    return out;
}

std::vector<double> window_values(Window window, std::size_t size) {
    const auto& terms = rows[static_cast<std::size_t>(window)].terms;
    std::vector<double> out(size);
    for (std::size_t n = 0; n < size; ++n) {
        const double angle = 2 * std::numbers::pi * static_cast<double>(n) / static_cast<double>(size);
        for (std::size_t k = 0; k < terms.size(); ++k) {
            out[n] += (k % 2 ? -1 : 1) * terms[k] * std::cos(static_cast<double>(k) * angle);
        }
    }
    return out;
}

double noise_bandwidth_bins(const std::vector<double>& window) {
    double sum = 0, squares = 0;
    for (const double w : window) {
        sum += w;
        squares += w * w;
    }
    return static_cast<double>(window.size()) * squares / (sum * sum);
}

static RT_SIMD void multiply(const float* in, const float* weights, float* out, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) out[i] = in[i] * weights[i];
}

void weigh(const float* in, const float* weights, float* out, std::size_t count) {
    multiply(in, weights, out, count);
}

}  // namespace rt
