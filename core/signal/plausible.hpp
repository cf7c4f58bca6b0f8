// Whether numbers can be what they are said to be: a wrong byte order, a wrong unit or a dead input gives
// numbers too.
#pragma once

#include <optional>
#include <span>
#include <string>

#include "core/signal/capture.hpp"

namespace rt {

// Why a capture cannot have been measured; nothing when it can. Spectra: all levels are the same (eight
// points or more), the highest lies below the thermal noise of the resolution bandwidth (kTB at 290 K), or
// half of them lie more than 40 dB below it and are not all the same; levels count as the instrument read
// them, without the corrections of the path. Power: below -150 dBm or above 70 dBm. Network data: all
// parameters are 0, or one is above 10,000.
std::optional<std::string> implausible(const Capture& capture);

// True for numbers as they come of a wrong byte order: not 0, but smaller than anything measured. Works on
// doubles and on floats.
bool scrambled(std::span<const double> values);
bool scrambled(std::span<const float> values);

}  // namespace rt
