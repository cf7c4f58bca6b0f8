// radio.mask: power spectral density of a transmitter around its carrier.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// Reference level and channel power of a modulated carrier from its spectrum, for judging against a mask.
// Trace `psd` (dBm in the resolution bandwidth); results `reference_level`, `reference_offset`,
// `channel_power`.
// Reference: highest level within `reference_window` of the carrier (IEEE 802.15.4, transmit power spectral
// density mask). Channel power: sum of the levels in `channel_bandwidth` times step / noise bandwidth, the
// noise bandwidth of the resolution filter being 1.0645 times its 3 dB width (Gaussian).
Procedure radio_mask();

}  // namespace rt
