// radio.ofdm: modulation of IEEE 802.11a/g transmitters, 20 MHz.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// Relative constellation error, carrier and clock errors, centre leakage and spectral flatness (IEEE
// 802.11-2016 clause 17.3.9). Tables `frames`; traces `constellation`, `error_of_symbol`, `flatness`,
// `power`.
Procedure ofdm_modulation();

}  // namespace rt
