// Conclusions of a campaign: drawn from the results of its tests when these are measured.
#pragma once

#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/formats/rule_library.hpp"
#include "lab/model/campaign.hpp"
#include "lab/model/named_file.hpp"

namespace rt::lab {

extern const SectionInfo conclude_section, conclude_judge_section;

// A test that is not measured. `campaign` has all tests, and the conclusions read before. Throws Error(input)
// for tests, axes and results that are not there.
// Files that it names are added to `named`.
Test read_conclusion(const ConfigSection& section, const Campaign& campaign, const RuleLibrary& library,
                     const InputFiles& files, std::vector<NamedFile>& named);

}  // namespace rt::lab
