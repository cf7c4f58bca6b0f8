// Spectra as CSV: two columns with units in their headings, and what is known of the sweep above them.
//
//   # detector: peak
//   # bandwidth: 9 kHz
//   # impedance: 50 ohm
//   frequency [Hz],level [dBuV]
//   150000,43.12
//
// Headings may also end in the unit: frequency_MHz, level dBuV. Columns are separated by comma, semicolon or
// tab; the decimal point is a point. Further columns are ignored.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>

#include "core/signal/spectrum.hpp"

namespace rt::lab {

// Throws Error(input) naming row and column for a missing or unknown unit, a cell that is not a finite
// number, frequencies that do not rise, or a row that is too short. Known remarks are detector, bandwidth,
// impedance, reference_level and distrust; others are passed over.
Spectrum parse_spectrum_csv(std::string_view text, const std::string& file);
Spectrum read_spectrum_csv(const std::filesystem::path& file);

// Frequencies exactly, levels to 4 decimals: finer than any receiver's accuracy, and the same when read back.
std::string spectrum_csv(const Spectrum& spectrum);

}  // namespace rt::lab
