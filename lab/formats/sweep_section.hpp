// The sweep of a test: axes with their values, wherever these come from.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "core/measure/emission/candidates.hpp"
#include "core/measure/procedure.hpp"
#include "core/sweep/maximum.hpp"
#include "core/sweep/sweep.hpp"
#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/formats/rulebook_file.hpp"
#include "lab/model/test.hpp"

namespace rt::lab {

extern const SectionInfo sweep_section, range_section, values_from_section, from_test_section, search_section,
    maximise_section;

// What reading an axis needs besides its section.
struct SweepSources {
    const RuleLibrary& library;
    const InputFiles& files;
    std::vector<NamedFile>& named;  // grows
};

// An axis with from_test has no values yet.
Axis read_axis(const ConfigSection& section, const SweepSources& sources);
Search read_search(const ConfigSection& section, const Procedure& procedure);
FromTest read_from_test(const ConfigSection& section);
MaximisedAxis read_maximised(const ConfigSection& section);

// Pairs of an axis and one of its values. `key` is where they stand, for messages.
Condition read_condition(const ConfigSection& section, const char* key,
                         const std::vector<std::pair<std::string, std::string>>& pairs, const Sweep& sweep);

}  // namespace rt::lab
