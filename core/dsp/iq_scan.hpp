// A measuring receiver made of transforms: every frequency of a complex record at once, or one of them
// closely.
#pragma once

#include <optional>
#include <vector>

#include "core/dsp/frames.hpp"
#include "core/dsp/resolution.hpp"
#include "core/signal/detector.hpp"
#include "core/signal/iq_record.hpp"

namespace rt {

struct ScanSettings {
    GaussianFilter filter = GaussianFilter::with_3db(1);
    std::vector<Detector> detectors;
    // Part of the record's band; absolute frequencies. Points are at most a quarter of the 6 dB bandwidth
    // apart: a line between two of them reads at most 0.2 dB low.
    double start_hz = 0, stop_hz = 0;
    // Only these parts of the record count; none: all of it. Detectors with a meter cannot be gated.
    std::vector<Gate> gates = {};
};

struct Scan {
    std::vector<double> frequency_hz;
    // For each detector asked for: the voltage of a complex tone (|x| = 1 gives 1) that reads the same.
    std::vector<std::vector<double>> reading;
};

// Overlapping transforms with a Gaussian window realise the filter at every point at once. For peak,
// quasi-peak and the meters the envelope is taken at least five times per 1/B6, for the others twice.
// Method: CISPR 16-1-1 (FFT-based instruments), CISPR 16-2-3. The record is streamed.
// Throws Error(input): bandwidth wider than the record's band allows, band outside the record, record too
// short for the filter or for the settling of a weighting detector, quasi-peak with a bandwidth that has
// none, no gate as long as gate_needed_s().
double gate_needed_s(const GaussianFilter& filter);
Scan scan(const IqRecord& record, const ScanSettings& settings);

// The same detectors at one frequency, behind a Gaussian filter in time; the envelope is taken at least eight
// times per 1/B6, also where the sample rate is lower. Readings as in Scan, one per detector.
std::vector<double> measure_at(const IqRecord& record, double frequency_hz, const GaussianFilter& filter,
                               const std::vector<Detector>& detectors);

}  // namespace rt
