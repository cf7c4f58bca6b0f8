// One spectrum trace as it came back from an analyser or a file.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/quantity/quantity.hpp"
#include "core/signal/detector.hpp"

namespace rt {

// What an analyser has to be asked for so that a procedure gets its capture.
struct SpectrumSetup {
    double start_hz = 0;
    double stop_hz = 0;
    std::size_t points = 0;  // evenly spaced, both ends included
    double resolution_bandwidth_hz = 0;
    Detector detector = Detector::peak;
    double dwell_s = 0;     // measuring time per point
    Unit unit = Unit::dbm;  // of the levels wanted
    std::optional<Quantity> reference_level;
    std::optional<double> attenuation_db;

    // Distance between neighbouring points.
    double step_hz() const { return (stop_hz - start_hz) / static_cast<double>(points - 1); }
};

// Levels against frequency. Frequencies ascend strictly; both vectors have the same length. What the capture
// does not state stays empty and is never guessed.
struct Spectrum {
    using Setup = SpectrumSetup;
    static constexpr const char* kind = "spectrum";
    static constexpr const char* needed = "a spectrum";  // what a procedure says that takes nothing else

    std::vector<double> frequency_hz;
    std::vector<double> level;  // in `unit`
    Unit unit = Unit::dbm;      // a decibel unit
    std::optional<Detector> detector;
    std::optional<double> resolution_bandwidth_hz;
    std::optional<double> noise_bandwidth_hz;  // of the resolution filter, where it is known exactly
    std::optional<double> impedance_ohm;       // of the port; needed between dBm and dBuV
    std::optional<double> reference_level;     // in `unit`
    std::optional<std::string> distrust{};     // why it cannot be trusted, if it cannot
    std::vector<double> correction_db = {};    // contained in each level; empty when there is none
    std::string declared = {};  // what the user declared in place of the capture: "detector average"
};

// Throws Error(input) naming the first index where frequencies do not ascend, lengths differ or a value is
// not a finite number. `place` stands before the message.
void require_valid(const Spectrum& spectrum, const std::string& place);

// Why it cannot have been measured; empty when it can: all levels are the same (eight points or more), the
// highest lies below the thermal noise of the resolution bandwidth (kTB at 290 K), or half of them lie more
// than 40 dB below it and are not all the same. Levels count as the instrument read them, without the
// corrections of the path.
std::string implausible(const Spectrum& capture);

}  // namespace rt
