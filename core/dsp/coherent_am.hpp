// The modulation of an amplitude-modulated carrier, as depth: its real part over the carrier.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/signal/iq_record.hpp"

namespace rt {

struct CoherentAm {
    std::vector<double> depth;  // 1 for the carrier alone
    double rate = 0;
    std::size_t thin = 1;                  // samples in each mean
    double carrier = 0;                    // |x| of the carrier
    std::optional<double> offset_hz = {};  // of the carrier from the middle of the record
    double noise = 0;  // standard deviation of a value by what stands against the carrier's phase
    // What the means leave of an amplitude.
    double response(double hz) const;
    std::string reason;  // why there is none; "" when there is
};

// Finds the strongest line, follows its phase by means over 1 / 30 s (90 Hz, 150 Hz and 1020 Hz have whole
// numbers of periods in it) and takes the part of the signal that has this phase, thinned to about `about_hz`
// values a second. The carrier must have this share of the power that is left.
CoherentAm coherent_am(const IqRecord& record, double about_hz = 12e3, double least_share = 0.5);

// The same of what a detector gives: voltage over its mean.
CoherentAm detected_am(const std::vector<double>& volts, double rate_hz);

}  // namespace rt
