// A calibration kit: standards whose reflection and transmission are known.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "core/signal/network.hpp"

namespace rt {

struct CalibrationKitSetup {};

enum class StandardKind { open, short_circuit, load, thru, line, reflect };

// What a standard is made of: an offset line with an open, a short or a load at its end; or the line alone.
struct Standard {
    std::string name;  // the input of a calibration: "offset-short", "line-2"
    StandardKind kind = StandardKind::open;
    std::size_t port = 0;                 // that it is for; 0 for every port
    std::array<double, 4> capacitance{};  // of an open: F, F/Hz, F/Hz^2, F/Hz^3
    std::array<double, 4> inductance{};   // of a short or a load: H, H/Hz, H/Hz^2, H/Hz^3
    double resistance_ohm = 50;           // of a load
    double delay_s = 0;                   // of the line, one way
    double loss_ohm_s = 0;                // at 1 GHz
    double impedance_ohm = 50;            // of the line without its losses
    std::optional<Network> data{};        // in place of all this
    double from_hz = 0, to_hz = 0;        // where it holds; to 0 for everywhere
};

struct CalibrationKit {
    using Setup = CalibrationKitSetup;
    static constexpr const char* kind = "calibration-kit";
    static constexpr const char* needed = "a calibration kit";

    std::string title, serial;
    double reference_ohm = 50;
    std::vector<Standard> standards;
    std::optional<std::string> distrust{};

    // The one called so for this port (1, 2; of two-ports 0), null when it has none.
    const Standard* find(const std::string& name, std::size_t port) const;
};

std::string implausible(const CalibrationKit& kit);

}  // namespace rt
