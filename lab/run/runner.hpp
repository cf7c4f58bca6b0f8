// Carries a plan out: sets the unit, measures, judges, keeps.
#pragma once

#include <filesystem>
#include <functional>
#include <string>

#include "lab/run/plan.hpp"
#include "lab/tally/record.hpp"

namespace rt {

// Told what happens, as it happens.
class RunListener {
  public:
    virtual ~RunListener() = default;
    virtual void connected(const InstrumentRecord& instrument) = 0;
    // `seconds_left` from the plan and the durations so far.
    virtual void point_done(const PointRecord& point, std::size_t done, std::size_t total,
                            double seconds_left) = 0;
    // Before the first point of a test that has a prompt; waits until it is done.
    enum class Reply { go, skip, stop };
    virtual Reply prompt(const Test& test) = 0;
    // Asked before every point; true ends the run in good order.
    virtual bool stop() = 0;
};

struct RunOptions {
    Answers answers;       // of all questions of the campaign, checked
    bool traffic = false;  // keep every exchange with the instruments in traffic.log
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

}  // namespace rt
