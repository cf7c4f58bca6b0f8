// spectrum.occupied-bandwidth: bandwidths of a signal.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// The band that holds a share of the power (ITU-R SM.328: 99 %, half of the rest on each side), and the band
// between the outermost points a given number of dB below the highest. Trace `spectrum`.
Procedure occupied_bandwidth();

}  // namespace rt
