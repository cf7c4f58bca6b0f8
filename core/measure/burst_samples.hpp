// The samples of one burst, for demodulators.
#pragma once

#include <cmath>

#include "core/measure/trigger.hpp"

namespace rt {

struct BurstSamples {
    double first_s = 0;  // time of the first sample in the record
    std::vector<std::complex<float>> samples;
};

// The burst with `room_s` on both sides, turned so that `shift_hz` of the baseband becomes 0 Hz.
BurstSamples burst_samples(const IqRecord& record, const Burst& burst, double room_s, double shift_hz);

// Throws Error(input) when the frequency meant lies outside of the record's band.
void require_inside(const IqRecord& record, double shift_hz);

// Why nothing was demodulated: no bursts, or what the first of them is not.
template <typename Demodulated>
std::string why_none(const std::vector<Demodulated>& bursts) {
    if (bursts.empty()) return "no burst was found";
    return "not the expected signal: " + bursts.front().attempt.reason;
}

// A remark on bursts that are none of `what`, if there are any.
void note_left_out(std::size_t left_out, std::size_t all, const char* what, Outcome& outcome);

// Of two offsets the one farther from zero: what several bursts come to.
inline double farther(double a, double b) {
    return std::abs(b) > std::abs(a) ? b : a;
}

}  // namespace rt
