#include "core/measure/radio/gfsk/alternation.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace rt::gfsk {
namespace {

using Values = std::array<double, per_bit>;

// Values of a wave of so many half periods in a bit, the middle of the bit at its middle.
Values wave(int half_periods, double (*function)(double)) {
    Values out{};
    for (std::size_t k = 0; k < per_bit; ++k)
        out[k] = function(half_periods * std::numbers::pi * ((static_cast<double>(k) + 0.5) / per_bit - 0.5));
    return out;
}
const Values cosine = wave(1, [](double x) { return std::cos(x); }),
             sine = wave(1, [](double x) { return std::sin(x); }),
             third = wave(3, [](double x) { return std::cos(x); });

double amplitude(const Values& y, const Values& wave) {
    double sum = 0;
    for (std::size_t k = 0; k < per_bit; ++k) sum += y[k] * wave[k];
    return sum * 2 / per_bit;
}

// What least squares of the half wave leave.
Values rest_of(const Values& y) {
    const double a = amplitude(y, cosine), b = amplitude(y, sine);
    Values out{};
    for (std::size_t k = 0; k < per_bit; ++k) out[k] = y[k] - a * cosine[k] - b * sine[k];
    return out;
}

// Standard deviation of the half wave's amplitude over the rms of what is left, for the noise of a
// discriminator behind its filter: neighbouring values of it are alike.
double noise_share() {
    const auto& taps = smoothing();
    // White noise of the phase, differentiated, through the filter.
    std::vector<double> shape(taps.size() + 1);
    for (std::size_t i = 0; i < taps.size(); ++i) shape[i] += taps[i], shape[i + 1] -= taps[i];
    Values alike{};
    for (std::size_t lag = 0; lag < per_bit; ++lag) {
        for (std::size_t i = 0; i + lag < shape.size(); ++i) alike[lag] += shape[i] * shape[i + lag];
    }
    // How each value enters the amplitude, and each of the rest.
    std::array<double, per_bit> enters{};
    std::array<Values, per_bit> left{};
    for (std::size_t j = 0; j < per_bit; ++j) {
        Values one{};
        one[j] = 1;
        enters[j] = amplitude(one, cosine);
        left[j] = rest_of(one);
    }
    double all = 0, rest = 0;
    for (std::size_t i = 0; i < per_bit; ++i) {
        for (std::size_t j = 0; j < per_bit; ++j) {
            const double r = alike[i > j ? i - j : j - i];
            all += enters[i] * enters[j] * r;
            for (std::size_t k = 0; k < per_bit; ++k) rest += left[i][k] * left[j][k] * r;
        }
    }
    return std::sqrt(all / (rest / per_bit));
}

}  // namespace

void Alternation::add(const Packet& packet) {
    each_octet(packet, [&](double first, double centre) {
        for (int bit = 0; bit < 8; ++bit) {
            const double* frequency = &packet.frequency_hz[static_cast<std::size_t>((first + bit) * per_bit)];
            Values y{};
            double sum = 0;
            for (std::size_t k = 0; k < per_bit; ++k) sum += y[k] = frequency[k] - centre;
            for (std::size_t k = 0; k < per_bit; ++k) {
                if (sum < 0) y[k] = -y[k];
                sum_[k] += y[k];
            }
            amplitude_.push_back(amplitude(y, cosine));
            for (const double value : rest_of(y)) squares_ += value * value;
        }
    });
}

// The top of the mean of all bits over its half wave. It lies a little beside the middle when bits do; the
// third harmonic makes it lower or higher, the fifth does not pass the filter.
double Alternation::shape() const {
    const double a = amplitude(sum_, cosine), b = amplitude(sum_, sine);
    return a > 0 ? (std::hypot(a, b) + amplitude(sum_, third)) / a : 1;
}

std::vector<double> Alternation::deviations() const {
    auto out = amplitude_;
    const double times = shape();
    for (double& value : out) value *= times;
    return out;
}

double Alternation::noise() const {
    static const double share = noise_share();
    if (empty()) return 0;
    // What all bits have in common is the shape of the modulation.
    const auto count = static_cast<double>(amplitude_.size());
    double common = 0;
    for (const double value : rest_of(sum_)) common += value * value;
    const double left = std::max(0.0, squares_ - common / count);
    return share * shape() * std::sqrt(left / (count * per_bit));
}

}  // namespace rt::gfsk
