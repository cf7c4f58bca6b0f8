// emission.final: the disturbance at one frequency, measured closely.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// Looks for the true maximum around a candidate, then measures there with the wanted detectors (CISPR 16-2-1
// and 16-2-3, final measurement). Traces `emission`: one reading for each detector, judged where it stands.
Procedure emission_final();

}  // namespace rt
