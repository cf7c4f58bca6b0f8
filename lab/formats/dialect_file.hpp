// Dialect files: how one family of instruments is spoken to.
#pragma once

#include <filesystem>
#include <map>
#include <string>

#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/model/dialect.hpp"

namespace rt::lab {

extern const FileInfo dialect_file;

// Throws Error(input) for an unknown kind, commands that its kind does not have, missing ones, and forms of
// data that contradict each other. What it is `like` is found by `files`; without these, in the same folder.
Dialect read_dialect(const std::filesystem::path& file, const InputFiles* files = nullptr);

}  // namespace rt::lab
