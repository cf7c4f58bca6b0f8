// What a rule demands of a reading besides its number, and which way a reading errs that was taken otherwise.
#pragma once

#include <limits>
#include <string>
#include <vector>

#include "core/outcome/outcome.hpp"
#include "core/rules/finding.hpp"
#include "core/rules/rule.hpp"

namespace rt {

struct JudgeOptions;

// Units in which nothing can be said before it is known what a unit of the record stands for.
bool absolute(Unit unit);

// Why the outcome cannot be judged by this rule: something that the verdict needs is not stated (detector,
// bandwidth, a parameter the rule requires, what a volt is) or the signal was not observed for long enough.
// Empty when all is there. `conditions` is the trace that says how was measured, if there is one.
std::string missing_for(const Rule& rule, const Outcome& outcome, const Trace* conditions,
                        const JudgeOptions& options);

// The trace that says with which bandwidth and detector an outcome came about; null when none does.
const Trace* conditions_of(const Rule& rule, const Outcome& outcome);

// Bandwidth and detector other than the rule's, and a time of observation that was chosen shorter.
std::vector<std::string> other_conditions(const Rule& rule, const Outcome& outcome, const Trace* conditions);

// One way in which a reading may differ from one taken as the rule asks: it may be too high, or too low, by
// at most so much.
struct Leaning {
    bool high = false;
    double by_db = std::numeric_limits<double>::infinity();
    std::string settled;   // said when the verdict stands nevertheless; may be empty
    std::string doubtful;  // said when it does not
};

// Detectors: a peak reading is never below any other (CISPR 16-1-1). Bandwidths: a line reads the same, noise
// 10 log, pulses 20 log of the ratio higher with the wider one; relative masks the other way round, as their
// reference moves. `place` is what was read and where, for the texts.
std::vector<Leaning> leanings(const Rule& rule, const Trace& trace, const std::string& place);

// Takes a verdict back that a leaning puts in doubt. `spare` is the margin less its guard.
void weigh(const Rule& rule, const Trace& trace, double spare, Finding& finding);

// Without a verdict there is no number that could look valid.
Finding no_verdict(Finding finding, std::string reason);

}  // namespace rt
