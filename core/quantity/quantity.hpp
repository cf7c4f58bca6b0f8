// A value with its unit: parsed from text, converted where physics defines it, shown with sensible digits.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "core/quantity/unit.hpp"

namespace rt {

// `value` is in `unit` without prefix: 150 kHz is {150000, hertz}.
struct Quantity {
    double value = 0;
    Unit unit = Unit::none;

    bool operator==(const Quantity&) const = default;
};

// "150 kHz", "-41.3 dBm/MHz", "1.5ns". The decimal point is a point. The prefix is applied to the decimal
// text, so "0.15 MHz" is exactly 150000 Hz. Throws Error(input) on anything else.
Quantity parse_quantity(std::string_view text);

// The same, in `expected`: another unit of the same dimension is converted (1 mW becomes 0 dBm); any other
// unit, or none at all, is an error that says what was expected.
Quantity parse_quantity(std::string_view text, Unit expected);

// The level of a signal in dBm: "-30 dBm", or its density over its bandwidth, "-70 dBm/MHz over 20 MHz",
// which is -57 dBm. Throws Error(input).
Quantity parse_level(std::string_view text);

// Conversion inside one dimension: W and dBm, V and dBuV, % and ppm, dBm/Hz and dBm/MHz ...
// Levels: dBm = 10 log10(P / 1 mW), dBuV = 20 log10(U / 1 uV). Nothing else has a defined conversion without
// further knowledge: std::nullopt.
std::optional<Quantity> convert(Quantity quantity, Unit to);

// Power and voltage levels across a known resistance: U^2 = P R, so in 50 ohm dBuV = dBm + 106.99.
// Also everything convert() above does. Throws Error(input) for an impedance that is not positive.
std::optional<Quantity> convert(Quantity quantity, Unit to, Quantity impedance);

// For people: prefix chosen so that the number is 1 to 1000, at most `digits` significant digits, 2 decimals
// for decibels, trailing zeros dropped: "2.405 GHz", "53.21 dBµV", "35 %".
std::string format(Quantity quantity, int digits = 7);

// The same of a result beside its name, where counts need no unit: "400".
std::string shown(Quantity quantity, int digits = 7);

// A frequency: "2.4 GHz".
std::string hz(double value);

// The same with a fixed number of decimals, for columns: "53.20 dBµV". Prefixed units as in format().
std::string format_fixed(Quantity quantity, int decimals);

// The number alone as format_fixed shows it, and never "-0.00".
std::string fixed(double value, int decimals);

// For files: unprefixed, shortest text that reads back the same: "150000 Hz".
std::string format_exact(Quantity quantity);

}  // namespace rt
