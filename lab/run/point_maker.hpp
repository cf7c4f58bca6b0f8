// One point: taken, kept, measured, judged.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/measure/inputs.hpp"
#include "core/outcome/outcome.hpp"
#include "lab/run/taker.hpp"

namespace rt::lab {

class PointMaker {
  public:
    PointMaker(const Plan& plan, const std::filesystem::path& folder, Tally& tally, BenchConnection& bench,
               Calibrations& calibrations, RunListener& listener);

    // Everything but the verdicts of watches. Throws as Taker::take_all(). `position` names the capture's
    // file.
    // Whether a test has one capture of its own at each point, which an instrument gives: only these are
    // looked at.
    bool can_look(const PlannedTest& planned) const;
    void set_up_with(const PointJob& job, const TextPairs& above) { taker_.set_up_with(job, above); }
    // What comes in at a point, as its procedure sees it; nothing is kept or judged. Throws Error(bench).
    Outcome look(const PointJob& job);
    PointRecord make(const PointJob& job, std::size_t position, WatchKeeper& watches);
    // What a search or an adjustment came to, with the table of its trials.
    PointRecord conclude(const PointJob& job, std::size_t position, const std::string& table,
                         Outcome outcome);
    void power_cycle(const Test& test) { taker_.power_cycle(test); }
    void set_up(const Test& test) { taker_.set_up(test); }
    void note(const std::string& kind, const std::string& text) { taker_.note(kind, text); }

  private:
    std::vector<Input> keep_all(const PointJob& job, std::vector<Taken> taken, PointRecord& record,
                                std::string& doubt) const;
    Outcome outcome_of(const PointJob& job, const Parameters& parameters, std::vector<Input> inputs,
                       PointRecord& record, std::string doubt) const;
    CaptureRecord keep(const PointRecord& record, const Capture& capture, const std::string& input) const;
    CaptureRecord keep(const PointRecord& record, const std::string& table, const char* kind) const;
    void judge_all(const PointJob& job, const Parameters& parameters, Outcome outcome, PointRecord& record);
    void attach(PointRecord& record, const std::string& what, const std::string& picture) const;
    void attach_picture(const PointJob& job, PointRecord& record, WatchKeeper& watches);
    std::string file_name(const PointRecord& record, const std::string& ending) const;

    const std::filesystem::path& folder_;
    BenchConnection& bench_;
    Calibrations& calibrations_;
    Taker taker_;
};

// The record's head: id, test, label, axis values.
PointRecord head_of(const PointJob& job, std::size_t position);

}  // namespace rt::lab
