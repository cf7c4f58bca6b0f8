// How an analyser shows what is at its input: resolution filter, detector, noise floor, overload.
#pragma once

#include <cstdint>
#include <vector>

#include "core/measure/procedure.hpp"
#include "lab/simulate/world.hpp"

namespace rt::lab {

// Settings of the input stage.
struct InputStage {
    double reference_dbm = -10;
    double attenuation_db = 10;
    double noise_figure_db = 20;  // with 0 dB attenuation; each dB of attenuation adds one
};

struct Display {
    std::vector<double> level_dbm;
    bool overload = false;
};

// Overload: more than 3 dB above the reference level inside the span, or more than -5 dBm at the mixer from
// the whole port. Levels then stop at 3 dB above the reference level.
//
// At each point the envelope behind a Gaussian resolution filter is drawn as many times as the dwell time
// holds independent values (dwell x bandwidth, at most 256): lines add as phasors with random phases, noise
// and modulation (wider than the filter) as complex Gaussian noise of the power in the filter. The detector
// sees those draws: peak the largest, average the mean of the envelope, rms the mean power, sample the first,
// negative peak the smallest. Quasi-peak and the meter behind the average follow as many values as dwell and
// the settling of their meter hold (core/dsp/quasi_peak.hpp); they need a bandwidth of CISPR 16-1-1. The same
// `seed` gives the same display.
Display show(const Emission& emission, const SpectrumSetup& setup, const InputStage& input,
             std::uint64_t seed);

}  // namespace rt::lab
