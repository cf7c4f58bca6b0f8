// emission.scan: disturbance level against frequency.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// The spectrum as the receiver shows it, with its highest level. Trace `emission` in the unit of the capture;
// results `highest_level` (same unit) and `highest_level_frequency` (Hz).
// Method: CISPR 16-2-1 (conducted) and CISPR 16-2-3 (radiated), scanning with one detector.
Procedure emission_scan();

}  // namespace rt
