// spectrum.density: power spectral density of complex samples.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// Averaged windowed periodogram (Welch 1967). Trace `density` (dBm/Hz, dBFS/Hz without a reference level);
// results `total_power`, `peak_density`, `peak_frequency`, `median_density`, `segments`.
Procedure spectrum_density();

}  // namespace rt
