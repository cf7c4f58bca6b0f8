// All file types that are read with tables of keys, for the reference pages.
#pragma once

#include <span>

#include "lab/catalogue/config_files.hpp"
#include "lab/formats/config.hpp"

namespace rt::lab {

// All file types, for the reference pages.
std::span<const FileInfo* const> config_files();

}  // namespace rt::lab
