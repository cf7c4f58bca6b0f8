// Campaign files: what to test, how, and by which rules.
#pragma once

#include <filesystem>

#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/formats/procedure_library.hpp"
#include "lab/formats/rule_library.hpp"
#include "lab/model/campaign.hpp"

namespace rt::lab {

extern const FileInfo campaign_file;

// Adds the rulebooks that the campaign names to `library`, which must outlive the campaign. Everything is
// checked: procedures, parameters at every axis value, rules, channels, conditions. The parameters of
// `profile` stand above the campaign's own.
Campaign read_campaign(const std::filesystem::path& file, RuleLibrary& library, ProcedureLibrary& procedures,
                       const InputFiles& files, Profile profile = {});

}  // namespace rt::lab
