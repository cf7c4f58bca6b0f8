#include "core/synthesis/step_response.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace rt {
namespace {

constexpr int sample_places = 64;
constexpr double sigmas_per_time = 1 / 1.6832424671458286;  // 20 % to 80 % of an error function

// exp(x^2) erfc(x), for x where erfc itself underflows.
double scaled_erfc(double x) {
    if (x < 20) return std::exp(x * x) * std::erfc(x);
    return (1 - 0.5 / (x * x)) / (x * std::sqrt(std::numbers::pi));
}

}  // namespace

// Normal distribution less the exponentially modified one's part (Grushka 1972).
double step_value(double offset, double time, double bandwidth) {
    const double sigma = time * sigmas_per_time;
    const double plain = 0.5 * std::erfc(-offset / sigma / std::numbers::sqrt2);
    if (!(bandwidth > 0)) return plain;
    const double rate = 2 * std::numbers::pi * bandwidth;
    const double x = (rate * sigma - offset / sigma) / std::numbers::sqrt2;
    const double u = offset / sigma;
    // exp(-rate offset + (rate sigma)^2 / 2) erfc(x) / 2 without overflow.
    const double part = x > 0
                            ? 0.5 * std::exp(-u * u / 2) * scaled_erfc(x)
                            : 0.5 * std::exp(-rate * offset + rate * rate * sigma * sigma / 2) * std::erfc(x);
    return plain - part;
}

StepResponse::StepResponse(double time, double bandwidth) {
    const double sigma = time * sigmas_per_time;
    before_ = 5 * sigma;
    after_ = 5 * sigma + (bandwidth > 0 ? 14 / (2 * std::numbers::pi * bandwidth) : 0);
    length_ = static_cast<std::size_t>(std::ceil(before_ + after_)) + 1;
    table_.resize(length_ * (sample_places + 1));
    for (int p = 0; p <= sample_places; ++p) {
        for (std::size_t i = 0; i < length_; ++i)
            table_[static_cast<std::size_t>(p) * length_ + i] = static_cast<float>(step_value(
                -before_ + static_cast<double>(p) / sample_places + static_cast<double>(i), time, bandwidth));
    }
}

std::tuple<const float*, const float*, double> StepResponse::rows(double offset) const {
    const double place =
        std::clamp((offset + before_) * sample_places, 0.0, static_cast<double>(sample_places));
    const auto p = std::min(static_cast<std::size_t>(place), static_cast<std::size_t>(sample_places - 1));
    const float* a = table_.data() + p * length_;
    return {a, a + length_, place - static_cast<double>(p)};
}

}  // namespace rt
