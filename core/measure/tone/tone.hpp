// tone.quality and tone.response: quality of an audio or other analogue signal.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// Level, frequency, THD, THD+N and SINAD of a sine (IEC 61606, IEEE Std 1241). Trace `spectrum`, table
// `harmonics`.
Procedure tone_quality();

// Level against frequency of a tone that steps or sweeps. Trace `response`, relative to a reference
// frequency.
Procedure tone_response();

}  // namespace rt
