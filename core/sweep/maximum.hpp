// The highest result over one or more axes: a coarse grid over all, then fine steps around its best place.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/quantity/quantity.hpp"
#include "core/sweep/search.hpp"

namespace rt {

struct MaximisedAxis {
    std::string name;
    std::vector<std::string> sets;    // what a value goes to, as for other axes
    Quantity from, to, coarse, fine;  // in one unit; steps above 0, fine at most coarse
};

struct Maximise {
    std::vector<MaximisedAxis> axes;
    std::string result;                                           // the highest of this is looked for
    std::vector<std::pair<std::string, std::string>> parameters;  // of the trials only: a quick detector
};

// CISPR 16-2-3: the emission is maximised over the angle of the turntable and the height of the antenna. The
// grid is gone through to and fro, so that the last axis moves least. Then each axis in turn is tried in fine
// steps up to one coarse step to each side of the best place so far; an angle that goes all the way round
// goes on past its ends. Angles of a turntable (what sets ROLE.angle) are brought to 0 to 360 degrees. The
// far end of a range is tried too when no step lands on it.
class MaximumSearch {
  public:
    // Throws Error(input) for ranges that run backwards, steps that are not positive, or more than 100,000
    // trials.
    explicit MaximumSearch(const Maximise& what);

    // The next place, one value for each axis; nothing when the search has ended.
    std::optional<std::vector<Quantity>> next() const;
    // What came of it; nothing for a trial without a valid result.
    void put(std::optional<double> result);
    // The best place; nothing when no trial had a result.
    std::optional<std::vector<Quantity>> best() const;
    std::size_t most_trials() const { return most_; }
    // What a reader of maxima must know: over which ranges, in which steps.
    std::vector<std::string> told() const;
    // Places that were tried without a valid result; "" when there are none.
    std::string not_measured() const;

  private:
    void refine();
    std::vector<Quantity> place(const std::vector<double>& values) const;

    Maximise what_;
    std::vector<std::vector<double>> waiting_;  // places still to try, the next one last
    std::vector<std::vector<double>> tried_, without_;
    std::vector<double> best_;
    std::optional<double> highest_;
    std::size_t axis_ = 0, most_ = 0;
};

// The point at one place, as a sweep with more axes and its point. Parameters of trials are axes of one
// value.
Trial place_of(const std::string& test, const Sweep& outer, const Point& point, const Maximise& what,
               const std::vector<Quantity>& place, bool trial);

}  // namespace rt
