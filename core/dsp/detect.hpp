// Detectors behind a resolution filter, fed with its envelope step by step.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "core/dsp/quasi_peak.hpp"
#include "core/signal/detector.hpp"

namespace rt {

// One detector of each kind for every frequency bin. Bins may be fed by several threads, each its own range.
class DetectorBank {
  public:
    // `bandwidth_6db_hz` chooses the CISPR band of the weighting detectors. Throws Error(input) when it has
    // none.
    DetectorBank(const std::vector<Detector>& kinds, double bandwidth_6db_hz, double step_s,
                 std::size_t bins);

    // The envelope of bins `first` on at step number `done` (from 1).
    void add(std::size_t first, std::span<const float> envelope, std::size_t done);
    // Readings after `steps` steps, in the order of the kinds.
    std::vector<std::vector<double>> readings(std::size_t steps) const;

  private:
    bool has(Detector kind) const;

    std::vector<Detector> kinds_;
    std::size_t bins_;
    std::vector<float> peak_, lowest_, last_;
    std::vector<double> sum_, squares_;
    std::unique_ptr<QuasiPeakBank> quasi_;
    std::unique_ptr<MeterBank> meter_;
};

// The CISPR band for a weighting detector. Throws Error(input) when the bandwidth has none.
CisprBand require_cispr_band(Detector detector, double bandwidth_6db_hz);
// True for quasi-peak and CISPR average.
bool has_meter(Detector detector);

}  // namespace rt
