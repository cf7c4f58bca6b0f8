// Captures as files that other programs can read: one format a kind, told apart by their headings.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>

#include "lab/formats/capture_hints.hpp"

namespace rt::lab {

// A table of text: spectra (spectrum_csv.hpp), power ("sensor,frequency [Hz],level [dBm]"), counts
// ("packets_sent,packets_received,bits,bit_errors") and short waveforms ("time [s],voltage [V]");
// "# distrust: ..." says why one cannot be trusted. Throws Error(input) with file, row and column. Counts of
// several rows are added up; bits may stand without packets; a column that is not understood is refused.
// Times of a waveform are evenly spaced, unless hints.resample_step_s is given: then values at that step lie
// on straight lines between those of the file.
Capture parse_capture_csv(std::string_view text, const std::string& file, const CaptureHints& hints = {});

// By the ending of the name: .sigmf-meta, .sigmf-data, .wav, .bin (registers), .txt and .hex (registers or a
// message), or CSV. With hints.sample_type the file holds
// bare samples.
Capture read_capture(const std::filesystem::path& file, const CaptureHints& hints = {});

// Writes the capture beside `stem` with an ending of its kind, durably, and returns the file to read it by.
// The same of kinds that are one text: network data, tables, calibration kits; `file` tells which by its
// ending.
Capture parse_capture(std::string_view text, const std::filesystem::path& file);

WrittenCapture write_capture(const std::filesystem::path& stem, const Capture& capture);

}  // namespace rt::lab
