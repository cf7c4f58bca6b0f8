// Lists of measurements for the field: one page that a technician can read, made into a campaign.
#pragma once

#include <filesystem>
#include <string>

#include "lab/formats/config.hpp"

namespace rt::lab {

extern const FileInfo list_file;

// What a list becomes: the text of a campaign, and that of a rulebook "list" with its own limits ("" where it
// has none), which the campaign names as limits.toml beside it.
struct MadeCampaign {
    std::string title, campaign, rulebook;
};

// Throws Error(input) with file and line for what the list itself says wrongly; what the campaign's reader
// finds later is told by the numbers of the measurements.
MadeCampaign read_list(const std::filesystem::path& file);

}  // namespace rt::lab
