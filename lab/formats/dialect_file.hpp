// Dialect files: how one family of instruments is spoken to.
#pragma once

#include <filesystem>
#include <map>
#include <string>

#include "lab/formats/config.hpp"
#include "lab/model/dialect.hpp"

namespace rt::lab {

extern const FileInfo dialect_file;

// Throws Error(input) for an unknown kind, commands that its kind does not have, or missing ones.
Dialect read_dialect(const std::filesystem::path& file);

}  // namespace rt::lab
