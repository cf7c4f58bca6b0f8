// spectrum.channel-power: power of a channel and of its neighbours.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// Channel power (dBm), its mean density, the highest density in a window, and the power of neighbouring
// channels relative to it (dB below is positive: the adjacent channel power ratio of 3GPP TS 36.521-1 6.6.2.3
// and others). Trace `spectrum`.
Procedure channel_power();

}  // namespace rt
