// The files of a run against what its tally says of them.
#pragma once

#include <filesystem>

#include "lab/tally/chain.hpp"
#include "lab/tally/sqlite.hpp"

namespace rt::lab {

// Captures, pictures, tables of calibrations and copies of inputs against their hashes. What lies elsewhere
// than in the folder is not looked at.
void check_files(Database& database, const std::filesystem::path& folder, Verification& out);

}  // namespace rt::lab
