// How the text files of one analyser are laid out: columns, units, what a file of it does not say. Written
// once, kept beside the files, used for all that come after.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>

#include "lab/formats/config.hpp"
#include "lab/model/spectrum_layout.hpp"

namespace rt::lab {

extern const FileInfo layout_file;
extern const SectionInfo layout_section;

// Throws Error(input) with file and line.
SpectrumLayout parse_layout(std::string_view text, const std::string& file);
SpectrumLayout read_layout(const std::filesystem::path& file);
SpectrumLayout read_layout(const ConfigSection& section);
std::string layout_text(const SpectrumLayout& layout);

// "3", "Trace 2", "3:dBuV", "Trace 2:dBuV": the column, and the unit behind the last colon where that is one.
void take_column(const std::string& text, std::string& column, std::string& unit);

}  // namespace rt::lab
