// Records as WAV: two channels are I and Q, one is a waveform.
#pragma once

#include <filesystem>

#include "lab/formats/capture_hints.hpp"

namespace rt::lab {

// Integers are scaled by their full scale. Volts per unit (a waveform) and reference level (I and Q) come
// from the hints: a WAV file has no place for them. Throws Error(input).
Capture read_wav(const std::filesystem::path& file, const CaptureHints& hints);

}  // namespace rt::lab
