// [table] of a campaign: the row that each run adds to a file.
#pragma once

#include <filesystem>

#include "lab/formats/config.hpp"
#include "lab/formats/table_section.hpp"
#include "lab/model/report_wishes.hpp"

namespace rt::lab {

extern const SectionInfo table_section, column_section;

// Throws Error(input) for columns that say nothing, or too much.
GrowingTable read_growing_table(const ConfigSection& section, const std::filesystem::path& campaign);

}  // namespace rt::lab
