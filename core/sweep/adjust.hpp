// Adjustment: one setting is moved until a result meets its target.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/quantity/quantity.hpp"
#include "core/sweep/search.hpp"

namespace rt {

enum class AdjustMethod { secant, bisection };

struct Adjust {
    std::string axis;               // name of what is moved, in labels
    std::vector<std::string> sets;  // what a value goes to, as for axes
    Quantity from, to;              // bounds, in one unit; from is where it begins, the safe end
    std::string result;
    double target = 0, tolerance = 0;  // in the unit of the result
    AdjustMethod method = AdjustMethod::secant;
    Quantity step;            // secant: first move away from `from`; never farther than twice the last one
    std::size_t trials = 12;  // at most
    std::string gives = "setting";  // name of the result: the value found
};

// One adjustment. Secant: tries `from`, a step away from it, then where the straight line through the last
// two results meets the target, no farther than twice the last step, never beyond the bounds, and inside the
// bracket once two results lie on both sides of the target (Illinois method, Dowell and Jarratt 1971).
// Bisection: tries both bounds, which must lie on both sides, then the middle.
class Adjustment {
  public:
    // Throws Error(input) for equal bounds, mixed units, a tolerance or step that is not positive, fewer than
    // 2 or more than 1000 trials.
    explicit Adjustment(const Adjust& what);

    // The next value to try; nothing when it has ended.
    std::optional<Quantity> next() const;
    // The result there; nothing for a trial without a valid one, which ends it.
    void put(std::optional<double> result);

    // The value whose result is within the tolerance; nothing while there is none.
    std::optional<Quantity> found() const { return found_ ? std::optional(last_) : std::nullopt; }
    double reached() const { return results_.empty() ? 0 : results_.back(); }
    // Why it has ended without one; "" otherwise.
    const std::string& failure() const { return failure_; }

  private:
    double clamp(double value) const;
    void choose();
    void secant();

    Adjust what_;
    std::vector<double> values_, results_;  // tried so far; results less the target
    std::optional<double> low_, high_;      // settings with a result below and above the target
    double low_off_ = 0, high_off_ = 0;     // their results less the target, halved where an end stays
    std::optional<double> next_;
    Quantity last_;
    bool found_ = false;
    std::string failure_;
};

// The point at which a value is tried: a sweep with one axis more. Its id depends on the test and all values.
Trial trial_of(const std::string& test, const Sweep& outer, const Point& point, const Adjust& adjust,
               Quantity value);

}  // namespace rt
