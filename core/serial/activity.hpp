// Stretches of a record in which a line is driven, and the quiet between them.
#pragma once

#include <vector>

#include "core/signal/waveform.hpp"

namespace rt {

struct ActiveStretch {
    double from_s = 0, to_s = 0;  // first and last sample beyond the threshold
    double peak_v = 0;            // largest distance from the middle
    double length_s() const { return to_s - from_s; }
};

struct ActivitySettings {
    double middle_v = 0;
    double threshold_v = 0;  // distance from the middle beyond which the line is driven
    double hold_off_s = 0;   // shorter quiet does not end a stretch
};

// Goes through the record once. Ends are between samples by a straight line, so that steps stand half a
// sample apart.
std::vector<ActiveStretch> find_activity(const WaveSamples& samples, double step_s,
                                         const ActivitySettings& settings);

}  // namespace rt
