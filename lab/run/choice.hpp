// What an operator makes of values that were found: some of them, or others besides.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/sweep/sweep.hpp"

namespace rt::lab {

// "" keeps all; "1 3" takes these by number; "-2" leaves one out; "+630 MHz" adds one, in the unit of the
// others (or a word among words). Parts stand apart by commas or spaces. Throws Error(input) saying what is
// wrong with the reply.
std::vector<AxisValue> chosen(const std::vector<AxisValue>& found, std::string_view reply);

}  // namespace rt::lab
