// The whole of a tally, read in one state.
#pragma once

#include "lab/model/record.hpp"
#include "lab/tally/sqlite.hpp"

namespace rt::lab {

// As the table `point` writes kinds and standings, in the order of their enumerations.
inline constexpr const char* kind_names[] = {"point", "trial", "threshold", "check", "maximum"};
inline constexpr const char* standing_names[] = {"valid", "superseded", "void"};
inline constexpr const char* cause_names[] = {"", "again", "watch", "recheck", "input"};

// A unit as tallies spell it; none for what is unknown.
Unit unit_of_symbol(const std::string& symbol);

RunRecord read_run(Database& database);
// The same, and all of it but its points (point_reader.hpp), in the transaction that is open.
RunRecord read_all(Database& database);
RunRecord read_frame(Database& database);

}  // namespace rt::lab
