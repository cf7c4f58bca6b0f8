// The eye of a serial signal: all its symbols laid over each other.
#pragma once

#include <cstdint>
#include <vector>

#include "core/serial/clock.hpp"
#include "core/serial/mask.hpp"
#include "core/signal/waveform.hpp"

namespace rt {

struct EyeSettings {
    std::size_t columns = 256, rows = 256;
    double low_v = -1, high_v = 1;  // what the rows span
    std::vector<double> levels;     // of the symbols, ascending: two or more
    double window = 0.1;            // UI around the middle in which levels are taken
    EyeMask mask;
    // Which symbols make the eye: all, those that differ from the one before, or those that do not.
    enum class Symbols { all, transition, steady };
    Symbols symbols = Symbols::all;
    std::size_t most_hits = 1000;  // to list
};

// One of the sample's places in the eye where the mask is violated.
struct MaskHit {
    double time_s = 0;  // from the beginning of the signal
    double x = 0;       // UI
    double volts = 0;
    std::uint64_t symbol = 0;  // number since the first edge
};

struct LevelSeen {
    std::uint64_t symbols = 0, within = 0;  // all, and those with a sample in the window
    double mean = 0, sigma = 0, lowest = 0,
           highest = 0;  // volts, in the window; nearest to it when none lies there
};

struct Eye {
    std::size_t columns = 0, rows = 0;
    double low_v = 0, high_v = 0;
    std::vector<std::uint32_t> count;  // row by row from the bottom; one UI from crossing to crossing
    // For pictures: the same of the first symbols with straight lines between samples, where those stand too
    // far apart to fill the columns; empty otherwise.
    std::vector<std::uint32_t> joined;
    std::uint64_t symbols = 0, samples = 0;
    std::vector<LevelSeen> levels;  // in the middle, of each symbol value
    double crossing_v = 0;          // mean voltage at the crossings between the outermost levels
    std::uint64_t hit_samples = 0, hit_symbols = 0;
    std::vector<MaskHit> hits;  // the first of them
    // By how much regions can grow until a sample touches: 0.2 for 20 %, negative when they are hit already.
    // Only with convex regions, at most `most_growth`.
    double growth = most_growth;
    double spare_v = 0;  // distance to the nearest of the upper and lower limits, if there are any
    static constexpr double most_growth = 2;
};

// Goes through the record once, with all cores, from the first settled edge to the last.
Eye make_eye(const WaveSamples& samples, double step_s, const Clock& clock, const EyeSettings& settings);

// Adds `joined` when there are fewer than one sample for two columns of the eye.
void join_samples(Eye& eye, const WaveSamples& samples, double step_s, const Clock& clock);

// The widest run of places around `at_x` of the eye that no sample has at `volts`, in UI.
double open_width(const Eye& eye, double volts, double at_x = 0.5);

}  // namespace rt
