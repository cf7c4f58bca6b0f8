// Interference in a record: where the power between the bursts of the unit rises and falls again.
#pragma once

#include <optional>
#include <span>

#include "core/dsp/bursts.hpp"

namespace rt {

struct Interference {
    // Seconds in the record. Where a burst hides the beginning it is the earliest that it can be; where one
    // hides the end it is the latest that is sure.
    double start_s = 0, stop_s = 0;
    double start_hidden_s = 0;      // how much later it may have begun
    bool ends = false;              // it stops within the record
    bool again = false;             // it comes another time after that: not looked at
    double before = 0, during = 0;  // mean |x|^2 between bursts
};

// Finds it where the mean power between bursts, taken over pieces of 5 us (16 samples at least, a millionth
// of the record), rises by `least_rise_db` or more, by the likelihood of two levels against one (a change of
// the mean of exponentially distributed |x|^2). Nothing when it does not, or nothing is between the bursts.
// Within a piece of where it is.
std::optional<Interference> find_interference(const IqRecord& record, std::span<const Burst> bursts,
                                              double least_rise_db);

// Mean |x|^2 of what lies outside of bursts within [from_s, to_s) by more than a margin; nothing where too
// little does.
std::optional<double> power_outside(const IqRecord& record, std::span<const Burst> bursts, double from_s,
                                    double to_s);

}  // namespace rt
