// What a signal path does to each kind of capture: corrected, or refused with the reason.
#pragma once

#include <string>

#include "core/correct/correction.hpp"
#include "core/signal/capture.hpp"

namespace rt {

// Why captures of this kind cannot be brought to the unit through the path; empty when they can. A part whose
// table is known only later is asked again then.
//  - spectra: every level by the loss at its frequency; an antenna makes field strengths
//  - power: by the loss at its frequency; not behind an antenna
//  - complex samples: levels by the loss at the centre, spectra by that at each frequency; no antenna
//  - waveforms: volts by the ratio, the same at every frequency (to 0.1 dB); no antenna
//  - network data: never; what lies before its reference plane is for the analyser's calibration
//  - counts and bias curves: never; they have no level
std::string path_refusal(const Capture& capture, const SignalPath& path);
std::string path_refusal(const CaptureSetup& setup, const SignalPath& path);

// The capture as it was at the unit, with what was applied kept in it. One that was corrected before stays as
// it is. Throws Error(input) for a path that path_refusal() refuses and for frequencies that are not covered.
void correct(Capture& capture, const SignalPath& path);

// True when what the path did is in the capture already.
bool corrected(const Capture& capture);

}  // namespace rt
