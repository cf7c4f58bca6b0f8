// Axes of a sweep as numbers and words for figures.
#pragma once

#include <optional>
#include <string>

#include "core/quantity/quantity.hpp"

namespace rt::lab {

// "8 dBm" or "26" as a number with its unit; nothing for words.
std::optional<Quantity> number_of(const std::string& text);

// Underscores become spaces.
std::string words(std::string name);

// A prefix fit for the largest of the values, for the axis label: 1e-3 and kHz.
struct Scale {
    double factor = 1;
    std::string unit;
};
Scale scale_of(double largest, Unit unit);

// "height (m)"
std::string axis_label(const std::string& name, const std::string& unit);

}  // namespace rt::lab
