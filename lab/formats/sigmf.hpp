// Complex and real records as SigMF: a JSON file that describes and a data file that holds the samples.
#pragma once

#include <filesystem>

#include "lab/formats/capture_hints.hpp"

namespace rt::lab {

// Types cf32_le, ci16_le, ci8 give an IqRecord whose samples stay in the file; rf32_le, ri16_le give a
// Waveform. Extension keys: tally:reference_level_dbm, tally:volts_per_unit (see docs/captures.md). A
// core:sha512 is checked. Either of the two files may be named. Throws Error(input): no such pair, no number
// of samples that fits the type, missing rate, unknown type, wrong hash, several parts with different
// frequencies.
Capture read_sigmf(const std::filesystem::path& file, const CaptureHints& hints);

// Samples without description: everything comes from the hints.
Capture read_raw_samples(const std::filesystem::path& file, const CaptureHints& hints);

// Writes STEM.sigmf-meta and STEM.sigmf-data (cf32_le) and returns the first, with what stands in it.
WrittenCapture write_sigmf(const std::filesystem::path& stem, const IqRecord& record);
// The same for a real record (rf32_le).
WrittenCapture write_sigmf(const std::filesystem::path& stem, const Waveform& waveform);

}  // namespace rt::lab
