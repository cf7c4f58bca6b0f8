#include "core/dsp/resolution.hpp"

#include <cmath>
#include <numbers>

namespace rt {

// |H(B/2)|^2 = 10^(-dB/10) solved for sigma.
static double sigma_for(double bandwidth_hz, double decibels) {
    return bandwidth_hz / 2 / std::sqrt(2 * std::numbers::ln10 * decibels / 10);
}

// "3 dB" and "6 dB" mean half and a quarter of the power.
static const double half_power_db = 10 * std::log10(2.0);

GaussianFilter GaussianFilter::with_3db(double bandwidth_hz) {
    return GaussianFilter(sigma_for(bandwidth_hz, half_power_db));
}

GaussianFilter GaussianFilter::with_6db(double bandwidth_hz) {
    return GaussianFilter(sigma_for(bandwidth_hz, 2 * half_power_db));
}

GaussianFilter GaussianFilter::customary(double bandwidth_hz) {
    const bool cispr = bandwidth_hz == 200 || bandwidth_hz == 9e3 || bandwidth_hz == 120e3;
    return cispr ? with_6db(bandwidth_hz) : with_3db(bandwidth_hz);
}

double GaussianFilter::power_response(double offset_hz) const {
    const double x = offset_hz / sigma_hz_;
    return std::exp(-0.5 * x * x);
}

double GaussianFilter::noise_bandwidth_hz() const {
    return sigma_hz_ * std::sqrt(2 * std::numbers::pi);
}

double GaussianFilter::sigma_s() const {
    return 1 / (2 * std::numbers::pi * std::numbers::sqrt2 * sigma_hz_);
}

double GaussianFilter::bandwidth_6db_hz() const {
    return 2 * sigma_hz_ * std::sqrt(2 * std::numbers::ln10 * 2 * half_power_db / 10);
}

double GaussianFilter::reach_hz() const {
    return sigma_hz_ * std::sqrt(2 * std::numbers::ln10 * 15);
}

}  // namespace rt
