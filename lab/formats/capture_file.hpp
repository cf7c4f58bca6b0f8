// Captures as files that other programs can read: one format a kind, told apart by their headings.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>

#include "core/signal/capture.hpp"

namespace rt {

// Spectra as in spectrum_csv.hpp. Power: "sensor,frequency [Hz],level [dBm]". Counts:
// "packets_sent,packets_received,bits,bit_errors". "# trouble: ..." says why one cannot be trusted.
std::string capture_csv(const Capture& capture);

// Throws Error(input) with file, row and column. Counts of several rows are added up.
Capture parse_capture_csv(std::string_view text, const std::string& file);
Capture read_capture_csv(const std::filesystem::path& file);

}  // namespace rt
