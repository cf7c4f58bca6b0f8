// spectrum.markers: peaks of a spectrum and the distances between them.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// Highest peak, the next one, their distance, the width of the highest a number of dB down. Table `peaks`,
// trace `spectrum`.
Procedure spectrum_markers();

}  // namespace rt
