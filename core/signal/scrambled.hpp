// Numbers as they come of a wrong byte order.
#pragma once

#include <span>

namespace rt {

// True when one is not 0, but smaller than anything measured. Works on doubles and on floats.
bool scrambled(std::span<const double> values);
bool scrambled(std::span<const float> values);

}  // namespace rt
