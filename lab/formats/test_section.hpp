// Tests of a campaign: a procedure, swept and judged.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "core/measure/procedure.hpp"
#include "core/rules/judge.hpp"
#include "core/sweep/search.hpp"
#include "core/sweep/sweep.hpp"
#include "lab/formats/config.hpp"
#include "lab/formats/rule_library.hpp"
#include "lab/formats/sweep_section.hpp"
#include "lab/model/profile.hpp"
#include "lab/model/test.hpp"

namespace rt::lab {

extern const SectionInfo test_section, hand_key_section, during_section, judge_section;

// "simple", "guarded" or "cispr" under "decision"; `otherwise` without the key. Throws Error(input).
Decision read_decision(const ConfigSection& section, Decision otherwise);

// One rule of a test, whose procedure and sweep are known. Throws Error(input) for one that judges what they
// do not give.
std::vector<Judging> read_judgings(const ConfigSection& section, const RuleLibrary& library, const Test& test,
                                   const JudgingDefaults& defaults);

Test read_test(const ConfigSection& section, const SweepSources& sources, const JudgingDefaults& defaults,
               const Profile& profile);

}  // namespace rt::lab
