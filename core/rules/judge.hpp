// Judging: an outcome against a rule gives a finding.
#pragma once

#include <optional>

#include "core/measure/outcome.hpp"
#include "core/rules/finding.hpp"
#include "core/rules/rule.hpp"
#include "core/rules/uncertainty.hpp"

namespace rt {

struct JudgeOptions {
    std::optional<double> marginal;  // from the campaign; else the rule's own, else default_marginal()
    bool allow_partial = false;      // judge although the trace covers only a part of the limit
    Decision decision = Decision::simple;
    std::vector<Budget> budgets = {};  // of the bench; the first that speaks for a result counts
};

// The verdict:
//   PASS      margin at or above `marginal`
//   MARGINAL  margin from 0 to below `marginal`
//   FAIL      negative margin, measured as the rule asks
//   NONE      the outcome is invalid; the trace covers none of the limit, or only a part and that is not
//             allowed; its points are farther apart than its resolution bandwidth; a level is not a number;
//             a reading above the limit was taken with a detector that may read higher than the rule's;
//             or the capture does not give the trace or result that the rule judges
// With a decision other than simple the guard is taken from the margin before these. Without an uncertainty
// declared for the result such a decision is NONE.
// A trace is judged at its own points with the limit evaluated there. A resolution bandwidth or detector
// other than the rule's is listed in Finding::deviations.
// Throws Error(input) when the unit of that trace or result does not convert into the rule's.
Finding judge(RuleRef ref, const Outcome& outcome, const JudgeOptions& options = {});

}  // namespace rt
