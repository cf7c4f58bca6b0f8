// A serial signal made as samples, with whatever is to be wrong with it known exactly.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include "core/signal/network.hpp"
#include "core/signal/waveform.hpp"

namespace rt {

struct Stress {
    std::vector<std::int8_t> symbols;  // of one turn; at_rest among them
    std::vector<double> levels_v;      // of each symbol, the lowest first
    double rest_v = 0;
    double symbol_rate_hz = 0, sample_rate_hz = 0;
    double rise_s = 0, fall_s = 0;  // 20 % to 80 % of an error function
    double bandwidth_hz = 0;        // first order, behind the transitions; 0 for none
    // Of the edges, in unit intervals: rms; peak to peak of a sine; rising minus falling.
    double random_ui = 0, sinusoidal_ui = 0, sinusoidal_hz = 0, duty_cycle_ui = 0;
    double spread = 0, spread_hz = 0;  // the rate goes down by this part and back, in straight lines
    double delay_ui = 0;
    // Behind edges and bandwidth: a cable, whose loss grows with the square root of frequency, and two-port
    // data.
    double loss_db = 0, loss_at_hz = 0;
    std::optional<Network> through;
    // Behind all of that: rms of noise, peak of a sine.
    double noise_v = 0, interference_v = 0, interference_hz = 0;
    std::uint64_t seed = 1;
};

// One turn of it: it goes on at the end as it begins, so that a generator can play it again and again. What
// must fit a whole number of times is moved to the nearest that does.
struct StressedTurn {
    Waveform wave;
    double symbol_rate_hz = 0;  // the mean
    double sinusoidal_hz = 0, spread_hz = 0, interference_hz = 0;
};

// Edges stand at their own times, each with the step response of transition and bandwidth; nothing is rounded
// to samples. Made piece by piece as it is read, but for a cable or two-port data, which take the transform
// of a whole turn. The same stress gives the same samples, whoever reads them in whatever pieces. Throws
// Error(input): transitions faster than 1.5 samples, sines beyond half the sample rate or of less than a
// cycle in a turn, network data that end below three quarters of the symbol rate, a turn longer than memory.
StressedTurn stressed_turn(const Stress& stress);

}  // namespace rt
