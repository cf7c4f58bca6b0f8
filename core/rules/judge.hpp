// Judging: an outcome against a rule gives a finding.
#pragma once

#include <optional>

#include "core/outcome/outcome.hpp"
#include "core/outcome/parameters.hpp"
#include "core/rules/circumstances.hpp"
#include "core/rules/finding.hpp"
#include "core/rules/rule.hpp"
#include "core/rules/uncertainty.hpp"

namespace rt {

struct JudgeOptions {
    std::optional<double> marginal;  // from the campaign; else the rule's own, else default_marginal()
    bool allow_partial = false;      // judge although the trace covers only a part of the limit
    bool points_known = false;       // a part of a trace whose points were found close enough
    std::optional<double> least_observation_s = {};  // shorter than the rule's, by choice: a deviation
    Decision decision = Decision::simple;
    std::vector<Budget> budgets = {};  // of the bench; the first that speaks for a result counts
    Circumstances around = {};         // where limits and requirements are looked up
};

// The verdict:
//   PASS      margin at or above `marginal`
//   MARGINAL  margin from 0 to below `marginal`
//   FAIL      negative margin, measured as the rule asks
//   NONE      the outcome is invalid; it does not state what the rule needs (conditions.hpp); the trace
//   covers
//             none of the limit, or only a part and that is not allowed (one step at its ends is); its points
//             are farther apart than its resolution bandwidth; a level is not a number; detector or bandwidth
//             are others than the rule's and may have made the verdict what it is; or the capture does not
//             give the trace or result that the rule judges
// A rule with something that is enough by itself gets the better of both verdicts; what decided is told.
// With a decision other than simple the guard is taken from the margin before these. Without an uncertainty
// declared for the result such a decision is NONE.
// A trace is judged at its own points with the limit evaluated there. A resolution bandwidth or detector
// other than the rule's is listed in Finding::deviations.
// Throws Error(input) when the unit of that trace or result does not convert into the rule's.
Finding judge(RuleRef ref, const Outcome& outcome, const JudgeOptions& options = {});

// The same for an outcome measured with these parameters: what they have otherwise than the rule becomes a
// deviation. What is live, kept or from a file is judged by this.
Finding judge(RuleRef ref, Outcome& outcome, const Parameters& parameters, const JudgeOptions& options);

// The same for points of a run: a rule that cannot be applied to what was measured gives NONE, and is no
// reason to lose that.
Finding judge_or_none(RuleRef ref, Outcome& outcome, const Parameters& parameters,
                      const JudgeOptions& options);

// Parameters that a rule fixes and that were set otherwise: "dwell 10 ms instead of 1 s".
std::vector<std::string> deviations_from(const Rule& rule, const Parameters& parameters);

}  // namespace rt
