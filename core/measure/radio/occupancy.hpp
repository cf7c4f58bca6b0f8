// radio.occupancy: how a transmitter shares the spectrum.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// Channel occupancy times, the idle times after them, and the reaction to interference (EN 300 328
// clauses 4.3.1.7 and 4.3.2.6, EN 301 893 clause 4.2.7). Tables `occupancies`, traces `power` and
// `idle_histogram`.
Procedure occupancy();

}  // namespace rt
