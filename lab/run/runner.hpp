// Carries a plan out: sets the unit, measures, judges, keeps.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "lab/formats/rule_library.hpp"
#include "lab/model/record.hpp"
#include "lab/run/listener.hpp"
#include "lab/run/plan.hpp"

namespace rt::lab {

struct RunOptions {
    Answers answers;                // of all questions of the campaign, checked
    bool traffic = false;           // keep every exchange with the instruments in traffic.log
    bool ask_at_failure = false;    // the operator decides what happens after a point that failed
    TextPairs unit = {};            // details of the unit, by name; filled by the run
    std::vector<std::string> redo;  // tests by name, or points by number, measured again by carry_on
    // What the run was measured with so far, where carry_on() is to go on with a bench that was corrected:
    // the plan's. Tests that have measured with what is another now are measured again.
    const Bench* corrected = nullptr;
};

struct RunEnd {
    enum class State { complete, stopped };
    State state = State::complete;  // stopped also when a test was skipped
    VerdictCounts counts;
};

// Writes the run folder `folder`: tally.sqlite, captures/, and copies of all input files. Each point is
// durable when its line is reported. Trouble with an instrument ends the run with Error(bench) after the
// tally has noted it; the points before it are kept.
RunEnd carry_out(const Plan& plan, const RuleLibrary& library, const std::filesystem::path& folder,
                 RunListener& listener, const RunOptions& options = {});

// Goes on with a run that was stopped, aborted or killed: measures the points that its tally does not have.
// `plan` is made from the inputs that the run keeps. Throws Error(input) while another process writes it.
RunEnd carry_on(const Plan& plan, const std::filesystem::path& folder, RunListener& listener,
                const RunOptions& options = {});

}  // namespace rt::lab
