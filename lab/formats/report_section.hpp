// [report] of a campaign: what stands around the results.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/model/report_wishes.hpp"

namespace rt::lab {

extern const SectionInfo report_section;

// Reads the files that it names into `files`, for the copies of a run. Throws Error(input) for a picture that
// is none, a pattern that cannot be filled and files that cannot be read.
ReportHead read_report_head(const ConfigSection& section, const std::filesystem::path& campaign,
                            const InputFiles& found, std::vector<NamedFile>& files);

}  // namespace rt::lab
