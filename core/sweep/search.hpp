// Threshold search: where along an axis a criterion begins to hold, by bisection instead of a grid.
#pragma once

#include <optional>
#include <vector>

#include "core/outcome/outcome.hpp"
#include "core/quantity/quantity.hpp"
#include "core/sweep/sweep.hpp"

namespace rt {

struct Search {
    std::string axis;
    std::vector<std::string> sets;            // what a value goes to, as for other axes
    Quantity holds_at, fails_at;              // ends of the search, in one unit; either may be the higher
    Quantity resolution;                      // values lie this far apart, counted from fails_at
    std::string result;                       // the criterion: this result is
    std::optional<double> at_most, at_least;  // in the unit of the result
    std::string gives = "threshold";          // name of the result: the last value at which it holds
    std::optional<Quantity> alive_at = {};    // where it must hold when it does not at holds_at: beyond that

    bool holds(double value) const {
        return (!at_most || value <= *at_most) && (!at_least || value >= *at_least);
    }
    // Of a result of which only a bound is known: nothing where the true value could be on either side.
    std::optional<bool> holds(const Result& of) const;
};

// One run of a search. Tries the end that should hold, then the end that should fail, then bisects: between
// neighbours on the grid the last value that holds is found in 2 + log2(n) trials. That takes for granted
// that what holds at one value holds at every easier one. So the values on which a verdict rests (the limit,
// and where a margin becomes marginal) are tried themselves: where one of them does not hold the search goes
// on above it. When nothing holds at holds_at but at alive_at, the threshold lies between and is looked for
// there.
class ThresholdSearch {
  public:
    // Throws Error(input) for equal ends, mixed units, a resolution that is not positive or wider than the
    // range, or more than 1,000,000 steps.
    explicit ThresholdSearch(const Search& search, std::vector<Quantity> confirm = {});

    // The next value to try; nothing when the search has ended.
    std::optional<Quantity> next() const;
    // What came of it. `holds` is nothing for a trial without a valid result, which ends the search.
    void put(std::optional<bool> holds);

    // The last value that holds; nothing when not even the end that should hold does, or a trial was invalid.
    std::optional<Quantity> threshold() const;
    // It held even at the end that should fail: the true threshold lies beyond.
    bool beyond() const { return beyond_; }
    bool invalid() const { return invalid_; }
    // Values that were asked to be confirmed and did hold, and those that did not though harder ones do.
    const std::vector<Quantity>& confirmed() const { return confirmed_; }
    const std::vector<Quantity>& refuted() const { return refuted_; }
    // Largest number of trials.
    std::size_t most_trials() const;

  private:
    Quantity at(long long step) const;
    double place(Quantity value) const;  // on the grid, in steps
    void settle();                       // what comes after the bracket is as narrow as it gets

    Search search_;
    long long steps_ = 0;              // step 0 is fails_at, steps_ is holds_at
    long long fails_ = 0, holds_ = 0;  // the bracket so far
    enum class Stage { top, alive, bottom, between, confirm, done } stage_ = Stage::top;
    std::vector<Quantity> confirm_, confirmed_, refuted_;
    bool found_ = false, beyond_ = false, invalid_ = false;
};

// The point at which `value` is tried, as a sweep with one axis more and its point. Its id depends on the
// test's name and all axis values.
struct Trial {
    Sweep sweep;
    Point point;
};
Trial trial_of(const std::string& test, const Sweep& outer, const Point& point, const Search& search,
               Quantity value);

}  // namespace rt
