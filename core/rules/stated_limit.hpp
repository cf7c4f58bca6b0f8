// Limits that the user states in a few words instead of a rulebook's.
#pragma once

#include <string>
#include <vector>

#include "core/rules/rule.hpp"

namespace rt {

// Bounds of single results: "level <= -30 dBm", "amplitude >= 400 mV", "0.9 V <= high_level <= 1.1 V". A
// value on the limit passes, as everywhere. A rule each, in the order given, in a book with the id "stated",
// so that what comes of it is told from a published limit. Throws Error(input) naming the text and what to
// write instead.
Rulebook stated_limits(const std::vector<std::string>& texts);

}  // namespace rt
