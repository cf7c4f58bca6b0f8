// The detectors of a measuring receiver.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace rt {

// The average is the mean of the linear envelope over the measuring time; the CISPR average is the highest
// deflection of the critically damped meter behind it (CISPR 16-1-1 clause 6).
enum class Detector { peak, quasi_peak, average, rms, sample, negative_peak, cispr_average };

const char* name(Detector detector);  // "quasi-peak"
// In any case; also the trade's PK, QP and AV.
std::optional<Detector> parse_detector(std::string_view text);
std::vector<std::string> detector_names();

// True if a reading with `reading` can never be below the reading with `other` of the same disturbance: then
// meeting a limit for `other` with `reading` is conclusive, exceeding it is not. Peak is above all;
// quasi-peak, RMS and the meter's highest deflection are above the average (CISPR 16-2-1 clause 6 and the
// decision tree of CISPR 32 annex C rest on it).
bool never_below(Detector reading, Detector other);

}  // namespace rt
