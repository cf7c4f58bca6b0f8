// What a list of measurements has come to, as one folder that needs no program: a text, pictures, curves.
#pragma once

#include <filesystem>
#include <vector>

#include "lab/tally/run_data.hpp"

namespace rt::lab {

// Writes readings.txt, results.csv, and for each point with curves NUMBER-TITLE.png and .csv into `folder`.
// Points that were measured again are left out. Returns what was written, the text first.
std::vector<std::filesystem::path> write_field_results(const RunData& run,
                                                       const std::filesystem::path& folder);

}  // namespace rt::lab
