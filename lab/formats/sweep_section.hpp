// The sweep of a test: axes with their values, wherever these come from.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "core/sweep/sweep.hpp"
#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/formats/rulebook_file.hpp"

namespace rt {

extern const SectionInfo sweep_section, range_section, values_from_section;

// A further file that the campaign names, for the copies of a run.
struct NamedFile {
    std::string kind, reference, text;
};

// What reading an axis needs besides its section.
struct SweepSources {
    const RuleLibrary& library;
    const InputFiles& files;
    std::vector<NamedFile>& named;  // grows
};

Axis read_axis(const ConfigSection& section, const SweepSources& sources);

// Pairs of an axis and one of its values. `key` is where they stand, for messages.
Condition read_condition(const ConfigSection& section, const char* key,
                         const std::vector<std::pair<std::string, std::string>>& pairs, const Sweep& sweep);

}  // namespace rt
