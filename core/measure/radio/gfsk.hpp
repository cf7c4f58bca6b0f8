// radio.gfsk: modulation of Bluetooth LE transmitters, 1 Msymbol/s.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// Frequency deviation, carrier offset and drift of test packets, and their power, after the RF-PHY test suite
// (modulation characteristics, carrier frequency offset and drift, output power). Tables `packets`; traces
// `frequency`, `power`.
Procedure gfsk_modulation();

}  // namespace rt
