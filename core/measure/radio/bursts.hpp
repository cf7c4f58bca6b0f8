// radio.bursts: bursts of a transmitter and their times.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// Duty cycle, transmit sequences and gaps, medium utilisation, power of each burst (EN 300 328 clause 5.4.2).
// Table `bursts`, trace `power`.
Procedure bursts();

}  // namespace rt
