// The quasi-peak detector of CISPR 16-1-1 (clause 4.4): a rectifier charges a capacitor through the source's
// resistance while the envelope A is above its voltage V, the load discharges it, a critically damped meter
// of second order shows it, and the highest reading counts. Over a period of the carrier the rectifier
// conducts a mean current of A / S g(V/A) with g(r) = (sqrt(1 - r^2) - r arccos r) / pi. S C is found so that
// a sine that begins charges to 63 % in the published time (times the band's share, with which the published
// pulse response is followed best); readings are scaled so that a steady sine reads its own level.
#include "core/dsp/quasi_peak.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <mutex>
#include <numbers>

#include "core/base/simd.hpp"

namespace rt {
namespace {

constexpr std::array bands{
    CisprBand{"A", 200, 45e-3, 500e-3, 160e-3, 1.0},
    CisprBand{"B", 9e3, 1e-3, 160e-3, 160e-3, 0.88},
    CisprBand{"C/D", 120e3, 1e-3, 550e-3, 100e-3, 0.88},
};

// Mean current of the rectifier over a period, in units of A / S.
double conduction(double r) {
    if (r >= 1) return 0;
    return (std::sqrt(1 - r * r) - r * std::acos(r)) / std::numbers::pi;
}

// V/A at which charge and discharge balance.
double balance(double source_s, double discharge_s) {
    double low = 0, high = 1;
    for (int i = 0; i < 60; ++i) {
        const double middle = (low + high) / 2;
        (conduction(middle) / source_s > middle / discharge_s ? low : high) = middle;
    }
    return low;
}

// Time to reach 1 - 1/e of the final value.
double charge_time(double source_s, double discharge_s) {
    const double target = balance(source_s, discharge_s) * (1 - std::exp(-1.0)), h = source_s / 1000;
    double v = 0, time = 0;
    while (v < target) {
        const auto slope = [&](double at) { return conduction(at) / source_s - at / discharge_s; };
        v += h * slope(v + h / 2 * slope(v));
        time += h;
    }
    return time;
}

// The source's S C for the charge time constant of the band.
double found_source_time(const CisprBand& band) {
    const double wanted = band.charge_s * band.charge_share;
    double low = wanted / 20, high = wanted * 5;
    for (int i = 0; i < 50; ++i) {
        const double middle = std::sqrt(low * high);
        (charge_time(middle, band.discharge_s) < wanted ? low : high) = middle;
    }
    return low;
}

// Found once for each band, when it is first asked for.
double source_time(const CisprBand& band) {
    static std::mutex guard;
    static std::map<std::array<double, 3>, double> known;
    const std::lock_guard lock(guard);
    const auto [at, fresh] = known.try_emplace({band.charge_s, band.discharge_s, band.charge_share}, 0.0);
    if (fresh) at->second = found_source_time(band);
    return at->second;
}

// A meter moves so slowly that it can be moved on less often.
std::size_t stride_for(const CisprBand& band, double step_s) {
    return static_cast<std::size_t>(std::max(1.0, std::floor(band.meter_s / 500 / step_s)));
}

// What a sample of the envelope A brings to a capacitor at V, in units of A / S times pi: A pi g(V/A). With
// u = 1 - V/A that is A u^1.5 p(u); p, which begins with 2 sqrt(2) / 3 and ends with 1, within 1.2e-6 (a
// Chebyshev series of fourth degree).
inline float charge_of(float envelope, float held) {
    const float above = envelope > held ? envelope - held : 0.0F;
    const float u = above / (envelope > held ? envelope : 1.0F);
    const float p = 0.942809968F +
                    u * (0.0470961512F + u * (0.00790843773F + u * (0.000915321941F + u * 0.00126895934F)));
    return above * std::sqrt(u) * p;
}

// Sums are over the steps between two moves of the meter, a few thousand at most: they lose less than 0.001
// dB.
RT_SIMD void charge(const float* envelope, float* held, float* sum, std::size_t count, float share,
                    float keep) {
    constexpr std::size_t side_by_side = 16;
    std::size_t i = 0;
    for (; i + side_by_side <= count; i += side_by_side) {
        // Most of the time nothing is above what is held.
        int above = 0;
        for (std::size_t k = 0; k < side_by_side; ++k) above |= envelope[i + k] > held[i + k];
        if (above) {
            for (std::size_t k = i; k < i + side_by_side; ++k) {
                held[k] = held[k] * keep + share * charge_of(envelope[k], held[k]);
                sum[k] += held[k];
            }
        } else {
            for (std::size_t k = i; k < i + side_by_side; ++k) {
                held[k] *= keep;
                sum[k] += held[k];
            }
        }
    }
    for (; i < count; ++i) {
        held[i] = held[i] * keep + share * charge_of(envelope[i], held[i]);
        sum[i] += held[i];
    }
}

// Whole groups only.
RT_SIMD double charge_groups(const float* envelope, std::size_t count, std::size_t group, float share,
                             float keep, float& held) {
    double sum = 0;
    for (std::size_t i = 0; i < count; i += group) {
        float brought = 0;
        for (std::size_t k = 0; k < group; ++k) brought += charge_of(envelope[i + k], held);
        held = held * keep + share * brought;
        sum += static_cast<double>(held);
    }
    return sum;
}

// Groups of sixteen, side by side.
RT_SIMD double charge_wide(const float* envelope, std::size_t count, float share, float keep, float& held) {
    double sum = 0;
    for (std::size_t i = 0; i < count; i += 16) {
        float part[16];
        for (std::size_t k = 0; k < 16; ++k) part[k] = charge_of(envelope[i + k], held);
        for (std::size_t k = 0; k < 8; ++k) part[k] += part[k + 8];
        const float brought =
            ((part[0] + part[1]) + (part[2] + part[3])) + ((part[4] + part[5]) + (part[6] + part[7]));
        held = held * keep + share * brought;
        sum += static_cast<double>(held);
    }
    return sum;
}

template <typename Sum>
void move_meters(Sum* sum, double* first, double* second, double* highest, std::size_t count, double share,
                 double per_sample) {
    for (std::size_t i = 0; i < count; ++i) {
        const double mean = static_cast<double>(sum[i]) * per_sample;
        sum[i] = 0;
        first[i] += share * (mean - first[i]);
        second[i] += share * (first[i] - second[i]);
        highest[i] = std::max(highest[i], second[i]);
    }
}

}  // namespace

std::span<const CisprBand> cispr_bands() {
    return bands;
}

std::optional<CisprBand> cispr_band_with(double bandwidth_hz) {
    for (const auto& band : bands) {
        if (std::abs(band.bandwidth_hz - bandwidth_hz) < 1e-6 * bandwidth_hz) return band;
    }
    return std::nullopt;
}

QuasiPeakBank::QuasiPeakBank(const CisprBand& band, double step_s, std::size_t bins)
    : stride_(stride_for(band, step_s)),
      held_(bins),
      sum_(bins),
      first_(bins),
      second_(bins),
      highest_(bins) {
    const double source = source_time(band);
    charge_ = static_cast<float>(step_s / source / std::numbers::pi);
    keep_ = static_cast<float>(std::exp(-step_s / band.discharge_s));
    meter_share_ = 1 - std::exp(-static_cast<double>(stride_) * step_s / band.meter_s);
    scale_ = 1 / balance(source, band.discharge_s);
}

void QuasiPeakBank::add(std::size_t first, std::span<const float> envelope) {
    charge(envelope.data(), held_.data() + first, sum_.data() + first, envelope.size(), charge_, keep_);
}

void QuasiPeakBank::step(std::size_t first, std::size_t count, std::size_t steps_done) {
    if (steps_done % stride_ != 0) return;
    move_meters(sum_.data() + first, first_.data() + first, second_.data() + first, highest_.data() + first,
                count, meter_share_, 1 / static_cast<double>(stride_));
}

QuasiPeak::QuasiPeak(const CisprBand& band, double step_s) {
    const double source = source_time(band);
    group_ = step_s * 16 < 0.1 * source ? 16 : 1;
    stride_ = std::max<std::size_t>(1, stride_for(band, step_s) / group_) * group_;
    charge_ = static_cast<float>(step_s / source / std::numbers::pi);
    keep_ = static_cast<float>(std::exp(-static_cast<double>(group_) * step_s / band.discharge_s));
    meter_share_ = 1 - std::exp(-static_cast<double>(stride_) * step_s / band.meter_s);
    scale_ = 1 / balance(source, band.discharge_s);
}

void QuasiPeak::add(std::span<const float> envelope) {
    // Samples beyond whole groups at the end of a piece are few and left out.
    for (std::size_t i = 0; i + group_ <= envelope.size();) {
        std::size_t count = std::min(stride_ - done_, envelope.size() - i);
        count -= count % group_;
        sum_ += group_ == 16 ? charge_wide(envelope.data() + i, count, charge_, keep_, held_)
                             : charge_groups(envelope.data() + i, count, 1, charge_, keep_, held_);
        done_ += count;
        i += count;
        if (done_ == stride_) move_meter();
    }
}

void QuasiPeak::move_meter() {
    move_meters(&sum_, &first_, &second_, &highest_, 1, meter_share_,
                static_cast<double>(group_) / static_cast<double>(stride_));
    done_ = 0;
}

MeterBank::MeterBank(const CisprBand& band, double step_s, std::size_t bins)
    : stride_(stride_for(band, step_s)), sum_(bins), first_(bins), second_(bins), highest_(bins) {
    meter_share_ = 1 - std::exp(-static_cast<double>(stride_) * step_s / band.meter_s);
}

void MeterBank::add(std::size_t first, std::span<const float> envelope) {
    for (std::size_t i = 0; i < envelope.size(); ++i) sum_[first + i] += envelope[i];
}

void MeterBank::step(std::size_t first, std::size_t count, std::size_t steps_done) {
    if (steps_done % stride_ != 0) return;
    move_meters(sum_.data() + first, first_.data() + first, second_.data() + first, highest_.data() + first,
                count, meter_share_, 1 / static_cast<double>(stride_));
}

}  // namespace rt
