// The whole of a tally, read in one state.
#pragma once

#include "lab/tally/record.hpp"
#include "lab/tally/sqlite.hpp"

namespace rt {

// As the table `point` writes kinds and standings, in the order of their enumerations.
inline constexpr const char* kind_names[] = {"point", "trial", "threshold", "check"};
inline constexpr const char* standing_names[] = {"valid", "superseded", "void"};

RunRecord read_run(Database& database);

}  // namespace rt
