#include "lab/run/pace.hpp"

#include <algorithm>

namespace rt::lab {

Pace::Pace(const Plan& plan) {
    for (const auto& test : plan.tests) {
        const double each = test.captures ? test.seconds / static_cast<double>(test.captures) : 0;
        tests_[&test] = {test.captures, 0, each, 0, test.at_most};
    }
}

void Pace::known(const PlannedTest& test) {
    auto& entry = tests_.at(&test);
    if (entry.left > 0) --entry.left;
    ++done_;
}

void Pace::measured(const PlannedTest& test) {
    auto& entry = tests_.at(&test);
    entry.needed_s += start_.seconds();
    ++entry.measured;
    known(test);
}

void Pace::ended(const PlannedTest& test) {
    auto& entry = tests_.at(&test);
    entry.left = 0;
    entry.open = false;
}

Progress Pace::progress() const {
    // What captures needed besides their planned time, over all tests: for those that have not begun.
    double besides = 0;
    std::size_t measured = 0, left = 0;
    bool open = false;
    for (const auto& [test, entry] : tests_) {
        besides += entry.needed_s - entry.planned_s * static_cast<double>(entry.measured);
        measured += entry.measured;
        left += entry.left;
        open = open || entry.open;
    }
    besides = measured ? std::max(0.0, besides) / static_cast<double>(measured) : 0;
    double seconds = 0;
    for (const auto& [test, entry] : tests_) {
        const double each =
            entry.measured ? entry.needed_s / static_cast<double>(entry.measured) : entry.planned_s + besides;
        seconds += each * static_cast<double>(entry.left);
    }
    return {done_, done_ + left, open, seconds};
}

}  // namespace rt::lab
