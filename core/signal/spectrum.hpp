// One spectrum trace as it came back from an analyser or a file.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/quantity/quantity.hpp"
#include "core/signal/detector.hpp"

namespace rt {

// Levels against frequency. Frequencies ascend strictly; both vectors have the same length. What the capture
// does not state stays empty and is never guessed.
struct Spectrum {
    std::vector<double> frequency_hz;
    std::vector<double> level;  // in `unit`
    Unit unit = Unit::dbm;      // a decibel unit
    std::optional<Detector> detector;
    std::optional<double> resolution_bandwidth_hz;
    std::optional<double> noise_bandwidth_hz;  // of the resolution filter, where it is known exactly
    std::optional<double> impedance_ohm;       // of the port; needed between dBm and dBuV
    std::optional<double> reference_level;     // in `unit`
    std::optional<std::string> overload;       // why the levels cannot be trusted, if they cannot
    std::vector<double> correction_db = {};    // contained in each level; empty when there is none
    std::string declared = {};  // what a person declared in place of the capture: "detector average"
};

// Throws Error(input) naming the first index where frequencies do not ascend, lengths differ or a value is
// not a finite number. `place` stands before the message.
void require_valid(const Spectrum& spectrum, const std::string& place);

}  // namespace rt
