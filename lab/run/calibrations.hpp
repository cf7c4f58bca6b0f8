// Calibrations in force during a run, and the signal paths made of them.
#pragma once

#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "core/correct/correction.hpp"
#include "lab/model/record.hpp"
#include "lab/run/plan.hpp"

namespace rt::lab {

class Calibrations {
  public:
    Calibrations(const Bench& bench, std::filesystem::path folder)
        : bench_(bench), folder_(std::move(folder)) {}

    // One made earlier, from the tally of a run that is carried on.
    void know(const CalibrationRecord& record);
    // Makes one of a test's points: a table of its result over the axis that sets a frequency, kept in the
    // run folder. A finding that failed or has no verdict, or a point without the result, makes it invalid.
    CalibrationRecord make(const PlannedTest& planned, const std::vector<PointRecord>& points);

    // Why it cannot be relied on now: never made, invalid, lapsed. Empty when it can.
    std::string lapse(const std::string& name) const;
    bool knows(const std::string& name) const { return known_.contains(name); }
    void forget(const std::string& name) { known_.erase(name); }
    // It was good and its time is over: making it again helps.
    bool lapsed(const std::string& name) const {
        return knows(name) && known_.at(name).record.invalid.empty() && !lapse(name).empty();
    }
    // The path to or from an instrument, empty when the bench declares none. Parts that cannot be relied on
    // say so.
    SignalPath path(const std::string& role) const;

  private:
    struct Known {
        CalibrationRecord record;
        std::optional<CorrectionTable> table;
    };
    const Bench& bench_;
    std::filesystem::path folder_;
    std::map<std::string, Known> known_;
};

}  // namespace rt::lab
