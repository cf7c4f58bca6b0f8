// Rechecks: measurements repeated through a run, so that nothing drifts unseen.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "lab/clock.hpp"
#include "lab/model/record.hpp"
#include "lab/run/plan.hpp"

namespace rt::lab {

// A point that a recheck vouches for, since the last one that was good.
struct Vouched {
    const PlannedTest* planned;
    Point point;  // of a search, without its axis
    std::size_t position;
    bool trial = false;  // of a search: measured again with its search, not by itself
    // Where that is not the test's own: values of an axis that were found.
    std::shared_ptr<const Sweep> sweep = {};
};

// One recheck as the run goes on.
class Stability {
  public:
    explicit Stability(const Recheck& recheck) : recheck_(&recheck) {}

    const Recheck& recheck() const { return *recheck_; }
    bool covers(const std::string& test) const;
    // True when a check must come before the next point.
    bool due() const;
    // True when points stand on the last check: one more must come at the end.
    bool open() const { return !since_.empty(); }
    void vouch(Vouched point);
    // A result of a check. Gives why it is not good; nothing when it is. The first one becomes the reference.
    std::optional<std::string> put(const PointRecord& check);
    // The next check makes a new reference.
    void forget() { reference_.reset(); }
    void set_reference(double value) { reference_ = value; }
    std::optional<double> reference() const { return reference_; }
    std::vector<Vouched> take() { return std::exchange(since_, {}); }

  private:
    const Recheck* recheck_;
    std::optional<double> reference_;
    std::vector<Vouched> since_;
    Stopwatch last_;  // check
    std::size_t checks_ = 0;
};

}  // namespace rt::lab
