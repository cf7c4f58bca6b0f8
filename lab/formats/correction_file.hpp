// Corrections of a signal path as files: CSV, or the transmission of a Touchstone file.
#pragma once

#include <filesystem>
#include <string>

#include "core/correct/correction.hpp"

namespace rt::lab {

struct CorrectionFile {
    CorrectionTable table;
    bool antenna = false;     // the column is in dB/m
    std::string valid_until;  // date or UTC time, "" when not stated
};

// CSV: the columns "frequency [MHz]" and one of "loss [dB]", "gain [dB]" (kept as a negative loss) or
// "factor [dB/m]"; remarks "# valid_until: 2027-05-31" and "# interpolation: frequency" (without it, along
// log frequency). Touchstone: loss = -20 log10 |S21|. Throws Error(input).
CorrectionFile parse_correction(std::string_view text, const std::filesystem::path& file);

// The same as a file, for a path that was measured.
std::string correction_csv(const CorrectionTable& table, const std::string& taken,
                           const std::string& valid_until);

}  // namespace rt::lab
