// What an oscilloscope shows of digital signals.
#pragma once

#include <cstdint>
#include <vector>

#include "lab/simulate/surroundings.hpp"

namespace rt::lab {

struct WaveDisplay {
    double span_s = 0;
    std::size_t points = 0;
};

// Edges are error functions of the rise time at the signal's own times (rate, jitter, duty-cycle distortion),
// the cable behind it a first-order low-pass. The same seed gives the same record.
std::vector<double> show_waveform(const DigitalWaveform& waveform, const WaveDisplay& display,
                                  std::uint64_t seed);

// One line of a two-wire bus: RC curves up, straight ramps down; writes follow each other with ten clocks
// between.
std::vector<double> show_bus(const BusTraffic& bus, bool clock, const WaveDisplay& display,
                             std::uint64_t seed);

// One of two lines; the last step goes on to the end.
std::vector<double> show_pair(const LinePair& pair, bool second, const WaveDisplay& display,
                              std::uint64_t seed);

}  // namespace rt::lab
