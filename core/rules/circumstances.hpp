// What stands around a reading: the limits of some rules, and what they require, are looked up in it.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "core/outcome/outcome.hpp"
#include "core/outcome/parameters.hpp"
#include "core/rules/rule.hpp"

namespace rt {

// A result of another test, or why there is none.
struct FoundResult {
    std::optional<Result> result;
    std::string missing;  // "module has not been measured"; "" when the result is there
};

struct Circumstances {
    // By "axis.NAME", "unit.NAME", "instrument.NAME"; parameters are known besides.
    std::map<std::string, std::string> values = {};
    // By "TEST/RESULT", as rules name them.
    std::map<std::string, FoundResult> results = {};
};

// The rule with its bound looked up: the one row that fits, results of this or other tests. `why` says what
// is missing or does not fit, "" when all is there; then the rule has no bound.
struct Resolved {
    Rule rule;
    std::string why;
};
Resolved resolved(const Rule& rule, const Outcome& outcome, const Parameters& parameters,
                  const Circumstances& around);

// Why something that the rule requires is not stated, or not enough; "" when all is.
std::string lacking(const Rule& rule, const Outcome& outcome, const Parameters& parameters,
                    const Circumstances& around);

// "TEST/RESULT" of other tests whose results are limits of the rule.
std::vector<std::string> results_needed(const Rule& rule);

// Throws Error(input) for what a table or a requirement cannot say: unknown kinds of names, no value, two
// rows for the same.
void require_sayable(const Rule& rule);

}  // namespace rt
