// radio.spurious: unwanted emission outside the band of a transmitter.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// The spectrum without the band around the carrier, its peaks as a table. Trace `spurious` (dBm in the
// resolution bandwidth), results `highest_level`, `highest_frequency`, `peaks_found`.
Procedure spurious();

}  // namespace rt
