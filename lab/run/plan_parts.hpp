// What making a plan falls into: each test against the bench, the order, and what is worth a warning.
#pragma once

#include <string>
#include <vector>

#include "lab/run/plan.hpp"

namespace rt::lab {

// The instrument in a role. Throws Error(input) naming the test when the bench has none.
const Instrument& require_role(const Bench& bench, const std::string& role, const Test& test);
// What sets something needs an instrument with a command for it, and a value that it takes.
void require_setting(const Bench& bench, const Test& test, const SettingTarget& target,
                     const std::string& value, Plan& plan);

// All settings of a test and of its axes.
void require_settings(const Bench& bench, const Test& test, Plan& plan);

// Points, expected captures and seconds of a test; the roles that it needs are added to the plan. Throws
// Error(input) for what the bench cannot do.
PlannedTest plan_test(const Test& test, const Bench& bench, Plan& plan);

// Tests in order, but points with the same value of a slow axis together.
std::vector<Stretch> order_of(const Plan& plan);

// Adds what does not keep a run from beginning and should be known before.
void warn(Plan& plan);

// Signals that generators play at the points of a test can be made, and the generators hold them. What an
// earlier test adjusts is taken where the adjustment begins; the rest is left to the run. Warns of a record
// that is longer than a turn with something random in it.
void require_signals(Plan& plan, const Bench& bench, const Test& test);

}  // namespace rt::lab
