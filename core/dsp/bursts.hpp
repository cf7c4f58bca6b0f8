// Bursts of power in a record: found by a trigger with hysteresis and hold-off.
#pragma once

#include <optional>
#include <vector>

#include "core/signal/iq_record.hpp"

namespace rt {

struct TriggerSettings {
    // Power at which a burst begins, relative to |x| = 1. Without it: 20 dB below the loudest piece of the
    // record, but at least half way (in dB) between the quietest and the loudest.
    std::optional<double> level_db;
    double hysteresis_db = 3;  // a burst ends when the power is this much below the level ...
    double hold_off_s = 2e-6;  // ... for this long: shorter gaps do not end it
    double shortest_s = 1e-6;  // shorter bursts are not counted
    double smoothing_s =
        0.2e-6;  // power is averaged over this time (an odd number of samples, at least three)
};

struct Burst {
    // Where the power crosses the level, between samples. Edges faster than the smoothing stand where they
    // are without it.
    double start_s = 0, stop_s = 0;
    double power = 0;  // mean |x|^2 between these
    double peak = 0;   // highest smoothed |x|^2
    // 10 % to 90 % of the mean power; nothing for an end that the record cuts off or a neighbour hides.
    std::optional<double> rise_s = {}, fall_s = {};
    bool whole = true;  // false when it begins before or ends after the record

    double length_s() const { return stop_s - start_s; }
};

struct BurstList {
    std::vector<Burst> bursts;
    double level_db = 0;  // of the trigger
    // Set, with no bursts, when the trigger lies in noise of this mean power, or there is nothing but noise.
    std::optional<double> noise_db = {};
};

// Reads the record a few times, piece by piece. Where noise reaches the trigger the power is averaged over
// more samples (up to 2048); where it still does, or the whole record is one burst and flat over frequency,
// there is no burst but noise_db.
BurstList find_bursts(const IqRecord& record, const TriggerSettings& settings);

// Mean power of pieces of `step_s` (at most `most` of them): for drawing.
struct PowerCurve {
    std::vector<double> time_s, mean, highest;
};
PowerCurve power_curve(const IqRecord& record, std::size_t most);

}  // namespace rt
