// What readings and error terms of a calibration give away: standards mixed up, measured twice, not
// connected.
#pragma once

#include <string>
#include <vector>

#include "core/network/two.hpp"
#include "core/signal/error_terms.hpp"

namespace rt {

// Doubts that leave the numbers possible.
struct CalibrationChecks {
    std::vector<std::string> flags;
    void flag(const std::string& text);
    // Once for all frequencies; the first one is named.
    void flag(const std::string& text, double hz);
};

// A standard at one port: what it is and what it reads at each frequency.
struct PortReading {
    std::string name;
    std::vector<Complex> actual, read;
};

// Throws Error(signal) when two standards read alike that are not, when no three are apart by 0.05, and when
// more than three contradict one another.
void check_readings(const std::vector<PortReading>& readings, const std::vector<double>& frequency_hz,
                    CalibrationChecks& checks);

struct CheckedTerms {
    const ErrorTerms* terms;
    CalibrationChecks* checks;
};
// Throws Error(signal) for a source match of 1 or more, a thru that lets nothing through and, when
// reflectometers are `upright`, for open and short swapped.
void check_terms(const CheckedTerms& checked, bool upright);

}  // namespace rt
