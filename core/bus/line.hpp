// A line of a bus: when it is surely low, when surely high, and how long it takes between.
#pragma once

#include <vector>

#include "core/signal/waveform.hpp"

namespace rt {

// One change of a line. `begin` is where it leaves its level (falling: below the upper threshold, rising:
// above the lower one), `end` where it has reached the other (falling: below the lower, rising: above the
// upper).
struct LineEdge {
    bool rises = false;
    double begin_s = 0, end_s = 0;
    double duration_s() const { return end_s - begin_s; }
};

struct Line {
    bool begins_high = true;
    std::vector<LineEdge> edges;     // alternate
    double lowest = 0, highest = 0;  // of all samples
    double low_level = 0,
           high_level = 0;  // mean of the samples below the lower and above the upper threshold
};

// A settled voltage: the mean over the second half of a state, but for its last tenth.
struct Plateau {
    double volts = 0, from_s = 0;
    bool high = false;
};

struct LineThresholds {
    double lower_v = 0, upper_v = 0;
};

// Goes through the record three times. A change counts when the line has passed both thresholds; the times at
// them are those of the last crossing out of the old level and the first into the new one.
Line read_line(const WaveSamples& samples, double step_s, const LineThresholds& thresholds);

// Takes out of the line the states that are shorter than `width_s`, as an input filter does; returns how
// many. States cut off by the ends of the record stay.
std::size_t suppress_spikes(Line& line, double width_s);

struct TimeSpan {
    double from_s = 0, to_s = 0;
};

// The times in which a line stays in a state, those cut off by the ends of the record left out.
std::vector<TimeSpan> states_of(const Line& line);

// The plateau of the line in each of these times that holds four samples or more and in which it does not
// change.
std::vector<Plateau> plateaus(const WaveSamples& samples, double step_s, const Line& line,
                              const std::vector<TimeSpan>& times);

// True while the line is high at this time, seen from the end of its changes.
bool high_at(const Line& line, double time_s);

}  // namespace rt
