// Patterns of the user's own, in files of text.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

#include "lab/formats/input_files.hpp"

namespace rt::lab {

// The text of a pattern with every @FILE in it (bits:@own.txt, hex:@own.txt, symbols:@own.txt) replaced by
// what the file holds: digits on any number of lines, spaces between them, remarks behind #. Files stand
// beside `from`, and are added to `named`. Throws Error(input) naming file, line and character.
std::string with_pattern_files(std::string_view pattern, const std::filesystem::path& from,
                               const InputFiles& files, std::vector<NamedFile>& named);

}  // namespace rt::lab
