// The sweep of a test: axes with their values, wherever these come from.
#pragma once

#include <map>
#include <string>
#include <utility>
#include <vector>

#include "core/measure/emission/candidates.hpp"
#include "core/measure/procedure.hpp"
#include "core/sweep/maximum.hpp"
#include "core/sweep/sweep.hpp"
#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/formats/procedure_library.hpp"
#include "lab/formats/rule_library.hpp"
#include "lab/model/test.hpp"

namespace rt::lab {

extern const SectionInfo sweep_section, named_sweep_section, range_section, values_from_section,
    from_test_section, from_bench_section, search_section, maximise_section, adjust_section;

// Axes that several tests share, by name.
using NamedSweeps = std::map<std::string, ConfigSection>;

// What reading an axis needs besides its section.
struct SweepSources {
    const RuleLibrary& library;
    const ProcedureLibrary& procedures;
    const InputFiles& files;
    std::vector<NamedFile>& named;        // grows
    const NamedSweeps* shared = nullptr;  // null: none
};

// The axes of a test: those that it names under "sweeps", then its own. Throws Error(input) for a name that
// is not there.
std::vector<ConfigSection> sweep_sections(const ConfigSection& test, const SweepSources& sources);

// An axis, and those that are coupled to it where it stands for carriers. One with from_test has no values
// yet.
std::vector<Axis> read_axes(const ConfigSection& section, const SweepSources& sources);
Search read_search(const ConfigSection& section, const Procedure& procedure);
FoundAxis read_from_test(const ConfigSection& section);
FoundAxis read_from_bench(const ConfigSection& section);
MaximisedAxis read_maximised(const ConfigSection& section);
Adjust read_adjust(const ConfigSection& section, const Procedure& procedure);

// Pairs of an axis and one of its values. `key` is where they stand, for messages.
Condition read_condition(const ConfigSection& section, const char* key,
                         const std::vector<std::pair<std::string, std::string>>& pairs, const Sweep& sweep);

}  // namespace rt::lab
