// Where a signal crosses a voltage, to a small part of a sample.
#pragma once

#include <cstdint>
#include <vector>

#include "core/serial/levels.hpp"
#include "core/signal/waveform.hpp"

namespace rt {

struct EdgeSettings {
    double threshold = 0;   // volts
    double hysteresis = 0;  // volts to each side that the signal must go beyond for a new state
    std::size_t most = 16'000'000;
};

// Crossings in order; each has the other direction than the one before, unless `directions` says more.
struct Edges {
    std::vector<double> at;  // in samples from the beginning
    bool first_rises = true;
    std::vector<bool> directions;  // whether each rises; empty where they take turns
    Extent extent;                 // of what was searched
    std::uint64_t searched =
        0;  // samples that were gone through: fewer than all when there were too many edges

    bool rises(std::size_t k) const {
        return directions.empty() ? (k % 2 == 0) == first_rises : directions[k];
    }
    std::size_t size() const { return at.size(); }
};

// Goes through the record once. A crossing is the last one of the threshold before the signal leaves the band
// of the hysteresis. Between samples the crossing is found on the band-limited signal (windowed sinc), or on
// a straight line where a step takes less than two samples.
Edges find_edges(const WaveSamples& samples, const EdgeSettings& settings);

}  // namespace rt
