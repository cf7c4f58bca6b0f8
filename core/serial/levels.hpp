// The levels of a signal that switches: from a histogram of all its samples.
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "core/signal/waveform.hpp"

namespace rt {

// The lowest and the highest sample. Reads the record once, with all cores.
struct Extent {
    float low = 3e38F, high = -3e38F;
    void add(const Extent& other) {
        low = other.low < low ? other.low : low;
        high = other.high > high ? other.high : high;
    }
};
Extent extent_of(std::span<const float> values);
// Of one in `some` pieces of the record.
Extent voltage_extent(const WaveSamples& samples, std::uint64_t some = 1);

// How often each voltage occurs, of records longer than 16 million samples in every eighth piece. Bins are
// even between the lowest and the highest sample.
struct LevelHistogram {
    double lowest = 0, highest = 0;
    std::vector<std::uint64_t> count;

    double bin_width() const { return (highest - lowest) / static_cast<double>(count.size()); }
    double middle(std::size_t bin) const { return lowest + (static_cast<double>(bin) + 0.5) * bin_width(); }
};

// Reads the record, and some of it again, with all cores; with `quick` only every eighth piece of a long one,
// also for the lowest and highest sample. Throws Error(signal) for a record that holds one voltage only.
LevelHistogram level_histogram(const WaveSamples& samples, bool quick = false);

struct Levels {
    double low = 0, high = 0;  // the two states, IEEE 181: the modes of the lower and the upper half
    double lowest = 0, highest = 0;
    double amplitude() const { return high - low; }
    // 0 % is low, 100 % is high.
    double at_percent(double percent) const { return low + amplitude() * percent / 100; }
};

// The mode of a half is the mean of its samples within half the height of its peak: steady against noise.
Levels levels_of(const LevelHistogram& histogram);

// Whether two levels stand apart: between them the voltage is, anywhere within an eighth of their distance,
// at most 0.7 times as frequent as about the less frequent of both. Noise, triangles and what rests at one
// level do not.
bool stand_apart(const LevelHistogram& histogram, double low, double high);
// The same of levels out of the histogram itself: noise has two modes too, but much nearer to each other than
// a quarter of the range in which all but rare samples lie.
bool stand_apart(const LevelHistogram& histogram, const Levels& levels);

// The voltages of `count` levels (2 to 4) of a signal with as many, ascending: the histogram divided so that
// the squared distances to the means of its parts are least (k-means from evenly spread beginnings).
std::vector<double> clustered_levels(const LevelHistogram& histogram, std::size_t count);

}  // namespace rt
