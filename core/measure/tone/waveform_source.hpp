// A waveform out of what captures hold.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

inline constexpr ParameterInfo channel_parameter{
    "channel", ParameterKind::choice, Unit::none, "1", "channel of a two-channel record", "1 2"};

// A waveform as it is, or one channel of a two-channel record. Throws Error(input) for other captures, and
// for fewer than 64 samples.
Waveform take_waveform(Capture capture, const char* procedure, const Parameters& parameters);

// Recordings of waveforms by instruments are not yet part of a campaign: throws Error(input) that says so.
CaptureSetup waveform_setup(const Parameters& parameters);

}  // namespace rt
