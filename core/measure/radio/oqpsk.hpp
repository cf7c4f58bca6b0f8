// radio.oqpsk: modulation of IEEE 802.15.4 O-QPSK transmitters.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// Error vector magnitude as IEEE 802.15.4 defines it (one I and one Q sample for each pair of chips, each at
// its own instant, after recovery of timing, clock, phase, frequency and amplitude), frequency and chip clock
// errors, frame. Tables `frames`, `symbols`; traces `constellation`, `constellation_at_once`, `evm`, `power`.
Procedure oqpsk_modulation();

}  // namespace rt
