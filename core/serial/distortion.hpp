// Distortion of a transmitter that sends its test sequence: what no linear channel explains.
#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <vector>

namespace rt {

struct DistortionSettings {
    double symbol_rate_hz = 0;           // nominal; the sequence is found within 200 ppm of it
    int levels = 3;                      // of the symbols: 3 or 5
    std::optional<double> disturber_hz;  // of the sine that is sent against the transmitter, nominal
    std::size_t fit_symbols = 128;       // length of the linear channel that is taken out
    std::size_t before = 16;             // of these ahead of the symbol itself
    std::size_t phases = 10;             // places in the symbol at which it is sampled
    std::size_t most_periods = 64;       // of the sequence that are gone through
    bool average = false;  // what each symbol leaves, over all periods, before the peak is taken
};

struct Distortion {
    double rate_hz = 0;
    double disturber_hz = 0, disturber_v = 0;  // peak; 0 without one
    double linear_share = 0;                   // of the power without disturber that is explained, 0 to 1
    double peak_v = 0, rms_v = 0;              // largest of all phases; rms of the worst phase
    double peak_at_s = 0;                      // from the first sample
    std::vector<double> phase_peak_v;          // of each phase
    std::vector<double> time_s, error_v;       // of the phase with the peak, symbol by symbol
    double noise_v = 0;  // rms of what differs from period to period at that phase; 0 with one period
    std::size_t periods = 0;
};

// For each 2047 consecutive symbols and each phase, least squares of: the known symbols through a linear
// channel of `fit_symbols` taps, a constant, the disturber as a sine. The first phase falls on a sample in
// the middle of the period: of a record with as many samples a symbol as there are phases, all do. What is
// left is distortion (IEEE 802.3 40.6.1.2.4, 96.5.4.2, 97.5.3.2). Rate and frequency of the disturber are
// fitted before, in each period. Throws Error(signal) when the record is shorter than the sequence or holds
// another signal.
Distortion transmitter_distortion(std::span<const float> volts, double step_s,
                                  const DistortionSettings& settings);

}  // namespace rt
