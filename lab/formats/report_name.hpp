// Names of report files from what is known of a run.
#pragma once

#include <string>

#include "lab/model/record.hpp"

namespace rt::lab {

// Throws Error(input) for a {word} that is unknown or not closed.
void require_name_pattern(const std::string& pattern);

// The pattern filled in: letters, digits, '.', '-' and '_' stay, the rest becomes '-'. Never empty, never
// hidden, at most 80 characters.
std::string report_name(const std::string& pattern, const RunRecord& run);

}  // namespace rt::lab
