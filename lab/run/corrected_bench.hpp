// A bench that is corrected while a run is stopped: which parts of it are others now, and which tests have
// measured with them.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "lab/run/plan.hpp"

namespace rt::lab {

// A part of a bench: the entry of a role with its dialect, its path with the tables of it, or a section that
// all share.
struct BenchPart {
    enum class Kind { instrument, path, shared };
    Kind kind = Kind::shared;
    std::string name;  // role, or name of the section

    auto operator<=>(const BenchPart&) const = default;
    std::string text() const;  // "the path of the analyser"
};

// What reads otherwise in both. How long is waited, how often is tried again and how the panel is left do not
// count: no number depends on them.
std::vector<BenchPart> changed_parts(const Bench& before, const Bench& after);

// The tests of a plan that measure with these parts, or rest on others that do, with the part that they are
// found by.
std::map<std::string, BenchPart> tests_with(const std::vector<BenchPart>& parts, const Plan& plan);

}  // namespace rt::lab
