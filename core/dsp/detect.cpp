#include "core/dsp/detect.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/error.hpp"
#include "core/base/simd.hpp"
#include "core/quantity/quantity.hpp"

namespace rt {
namespace {

RT_SIMD void raise(const float* in, float* out, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) out[i] = in[i] > out[i] ? in[i] : out[i];
}
RT_SIMD void sink(const float* in, float* out, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) out[i] = in[i] < out[i] ? in[i] : out[i];
}
RT_SIMD void sum_up(const float* in, double* out, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) out[i] += static_cast<double>(in[i]);
}
RT_SIMD void sum_squares(const float* in, double* out, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) out[i] += static_cast<double>(in[i]) * static_cast<double>(in[i]);
}

}  // namespace

bool has_meter(Detector detector) {
    return detector == Detector::quasi_peak || detector == Detector::cispr_average;
}

CisprBand require_cispr_band(Detector detector, double bandwidth_hz) {
    if (const auto band = cispr_band_with(bandwidth_hz)) return *band;
    // The meter of band E (1 MHz) is that of bands C and D; there is no quasi-peak.
    if (detector == Detector::cispr_average) return cispr_bands().back();
    fail_input("quasi-peak is defined for bandwidths of 200 Hz, 9 kHz and 120 kHz (6 dB), not for " +
               format({bandwidth_hz, Unit::hertz}));
}

DetectorBank::DetectorBank(const std::vector<Detector>& kinds, double bandwidth_hz, double step_s,
                           std::size_t bins)
    : kinds_(kinds), bins_(bins) {
    if (has(Detector::peak)) peak_.assign(bins, 0);
    if (has(Detector::negative_peak)) lowest_.assign(bins, std::numeric_limits<float>::infinity());
    if (has(Detector::sample)) last_.assign(bins, 0);
    if (has(Detector::average)) sum_.assign(bins, 0);
    if (has(Detector::rms)) squares_.assign(bins, 0);
    if (has(Detector::quasi_peak)) {
        quasi_ = std::make_unique<QuasiPeakBank>(require_cispr_band(Detector::quasi_peak, bandwidth_hz),
                                                 step_s, bins);
    }
    if (has(Detector::cispr_average)) {
        meter_ = std::make_unique<MeterBank>(require_cispr_band(Detector::cispr_average, bandwidth_hz),
                                             step_s, bins);
    }
}

bool DetectorBank::has(Detector kind) const {
    return std::find(kinds_.begin(), kinds_.end(), kind) != kinds_.end();
}

void DetectorBank::add(std::size_t first, std::span<const float> envelope, std::size_t done) {
    const std::size_t count = envelope.size();
    if (!peak_.empty()) raise(envelope.data(), peak_.data() + first, count);
    if (!lowest_.empty()) sink(envelope.data(), lowest_.data() + first, count);
    if (!last_.empty()) {
        std::copy(envelope.begin(), envelope.end(), last_.begin() + static_cast<std::ptrdiff_t>(first));
    }
    if (!sum_.empty()) sum_up(envelope.data(), sum_.data() + first, count);
    if (!squares_.empty()) sum_squares(envelope.data(), squares_.data() + first, count);
    if (quasi_) {
        quasi_->add(first, envelope);
        quasi_->step(first, count, done);
    }
    if (meter_) {
        meter_->add(first, envelope);
        meter_->step(first, count, done);
    }
}

std::vector<std::vector<double>> DetectorBank::readings(std::size_t steps) const {
    const auto n = static_cast<double>(steps);
    std::vector<std::vector<double>> out;
    for (const Detector kind : kinds_) {
        std::vector<double>& row = out.emplace_back(bins_);
        for (std::size_t i = 0; i < bins_; ++i) {
            switch (kind) {
                case Detector::peak:
                    row[i] = static_cast<double>(peak_[i]);
                    break;
                case Detector::negative_peak:
                    row[i] = static_cast<double>(lowest_[i]);
                    break;
                case Detector::sample:
                    row[i] = static_cast<double>(last_[i]);
                    break;
                case Detector::average:
                    row[i] = sum_[i] / n;
                    break;
                case Detector::rms:
                    row[i] = std::sqrt(squares_[i] / n);
                    break;
                case Detector::quasi_peak:
                    row[i] = quasi_->reading(i);
                    break;
                case Detector::cispr_average:
                    row[i] = meter_->reading(i);
                    break;
            }
        }
    }
    return out;
}

}  // namespace rt
