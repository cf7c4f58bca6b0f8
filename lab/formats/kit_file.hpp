// Calibration kits as text.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>

#include "core/signal/calibration_kit.hpp"
#include "lab/formats/config.hpp"

namespace rt::lab {

extern const FileInfo kit_file;

// Data of standards stands in files beside `file`, or in the text itself. Throws Error(input) with file and
// line.
CalibrationKit parse_kit(std::string_view text, const std::filesystem::path& file);

// A text that needs no other file.
std::string kit_text(const CalibrationKit& kit);

}  // namespace rt::lab
