// What an analyser records as complex samples of what is at its input.
#pragma once

#include <complex>
#include <functional>
#include <vector>

#include "lab/simulate/spectrum_display.hpp"

namespace rt::lab {

// Adds more to the samples before they reach full scale, given in dBm.
using MoreSamples = std::function<void(std::vector<std::complex<double>>& samples, double full_scale_dbm)>;

struct IqDisplay {
    std::vector<std::complex<float>> samples;  // |x| = 1 is full scale
    double full_scale_dbm = 0;                 // 3 dB above the reference level
    bool overload = false;                     // components stop at 1
};

// Lines become tones with random phases, noise white noise of the density at the centre, carriers IEEE
// 802.15.4 frames in O-QPSK with the errors of the radio, third-order products noise of their power in three
// chip rates. The same `seed` gives the same record.
IqDisplay record_samples(const Emission& emission, const IqSetup& setup, const InputStage& input,
                         std::uint64_t seed, const MoreSamples& more = {});

}  // namespace rt::lab
