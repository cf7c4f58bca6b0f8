// Power spectral density of long records: the averaged windowed periodogram.
#pragma once

#include <vector>

#include "core/dsp/frames.hpp"
#include "core/dsp/window.hpp"
#include "core/signal/iq_record.hpp"

namespace rt {

struct DensitySettings {
    std::size_t size = 4096;  // points of a transform
    Window window = Window::blackman_harris;
    double overlap = 0.5;          // of neighbouring segments, 0 to 0.9
    std::vector<Gate> gates = {};  // only segments within one of these count; none: all
};

struct Density {
    std::vector<double> frequency_hz;  // ascends, centre added
    std::vector<double> per_hz;        // power density; a complex tone with |x| = 1 has power 1 in all
    std::size_t segments = 0;
    double step_hz = 0;             // between points
    double noise_bandwidth_hz = 0;  // of the window
};

// Welch, "The use of fast Fourier transform for the estimation of power spectra" (IEEE Trans. Audio
// Electroacoust. 15, 1967), without removing a mean. The record is streamed; memory depends on `size` alone.
// The result does not depend on the number of cores. Throws Error(input) for a record, or gates, shorter
// than one segment.
Density power_density(const IqRecord& record, const DensitySettings& settings);

}  // namespace rt
