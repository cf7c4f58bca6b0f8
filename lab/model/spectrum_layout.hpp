// How the spectrum files of one analyser or program are laid out.
#pragma once

#include <optional>
#include <string>

#include "core/quantity/quantity.hpp"
#include "core/signal/detector.hpp"

namespace rt::lab {

struct SpectrumLayout {
    // A column by its number, counted from 1, or by its heading; "" where it is to be found.
    std::string frequency_column, level_column;
    std::string frequency_unit, level_unit;  // "" where the file says them
    std::string separator;                   // ",", ";", "tab", "spaces"; "" where it is to be found
    std::string decimal;                     // "point", "comma"; ""
    int block = 0;                           // of several in one file, from 1; 0 for the only one
    std::optional<Quantity> start, stop;     // of files without frequencies
    // What the user states in place of the file.
    std::optional<Detector> detector;
    std::optional<double> bandwidth_hz, impedance_ohm;
    std::string file;  // it was read from; "" for options

    bool operator==(const SpectrumLayout&) const = default;
};

}  // namespace rt::lab
