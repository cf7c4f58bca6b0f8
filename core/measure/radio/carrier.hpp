// radio.carrier: frequency and power of an unmodulated carrier.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// From complex samples: the maximum of the spectrum, refined by the least-squares fit of a rotating phasor
// (maximum likelihood for a tone in white noise: Rife and Boorstyn 1974). Results `carrier_frequency`,
// `frequency_offset`, `frequency_error`, `carrier_power`, `carrier_to_rest`.
Procedure carrier();

}  // namespace rt
