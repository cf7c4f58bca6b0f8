// Wafer maps as text.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>

#include "core/signal/wafer_map.hpp"
#include "lab/formats/config.hpp"

namespace rt::lab {

extern const FileInfo wafer_map_file;

// Whether a file of this ending is a wafer map and no calibration kit.
bool holds_wafer_map(std::string_view text, const std::string& file);
// Throws Error(input) with file and line: no dies, none to test, none or several reference dies.
WaferMap parse_wafer_map(std::string_view text, const std::filesystem::path& file);
std::string wafer_map_text(const WaferMap& map);

}  // namespace rt::lab
