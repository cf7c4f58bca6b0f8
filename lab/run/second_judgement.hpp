// A kept run judged once more, without instruments.
#pragma once

#include <functional>
#include <optional>

#include "lab/model/bench.hpp"
#include "lab/model/campaign.hpp"
#include "lab/tally/run_data.hpp"

namespace rt::lab {

struct SecondFinding {
    const PointRecord& point;  // there while it is handed over
    const Finding& before;
    Finding after;

    // Verdict, limit, value or margin are others than before (numbers by more than rounding).
    bool differs() const;
};

struct SecondJudgement {
    // The rule that takes the place of one the run was judged by; the same for most.
    std::function<RuleRef(const std::string& full_id)> rule_for;
    std::optional<Decision> decision;  // instead of the campaign's
    bool from_captures = false;        // results measured anew; curves always are
};

// Every finding of the points that stand, handed over one by one in the order of the run. What the run itself
// declared invalid stays without verdict. Throws Error(input) for captures that are missing or altered, and
// for rules that do not fit the results.
void judge_again(const RunData& run, const Campaign& campaign, const Bench& bench, const SecondJudgement& how,
                 const std::function<void(SecondFinding&&)>& take);

}  // namespace rt::lab
