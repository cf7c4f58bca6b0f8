// How far a run is and how long it will take, from what each test has needed so far.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "lab/clock.hpp"
#include "lab/run/plan.hpp"

namespace rt::lab {

struct Progress {
    std::size_t done = 0, total = 0;  // captures
    bool at_most = false;             // the total is an upper bound
    double seconds_left = 0;
};

class Pace {
  public:
    explicit Pace(const Plan& plan);

    // A capture of this test was measured before, by an earlier part of the run.
    void known(const PlannedTest& test);
    void begin() { start_ = Stopwatch(); }
    // It has been measured since begin().
    void measured(const PlannedTest& test);
    // The test has no more captures, whatever was planned.
    void ended(const PlannedTest& test);
    Progress progress() const;

  private:
    struct Entry {
        std::size_t left = 0, measured = 0;
        double planned_s = 0;  // for one capture
        double needed_s = 0;   // for all that were measured
        bool open = false;     // its number is an upper bound
    };
    std::map<const PlannedTest*, Entry> tests_;
    std::size_t done_ = 0;
    Stopwatch start_;
};

}  // namespace rt::lab
