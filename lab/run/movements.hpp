// How far turntables and masts go in a plan, and how long that takes.
#pragma once

#include <cstddef>

#include "lab/run/plan.hpp"

namespace rt::lab {

struct Movements {
    std::size_t count = 0;    // changes of place
    std::size_t untimed = 0;  // of these, by what the bench says no speed of (turn_time, lift_time)
    double seconds = 0;       // of the others
};

// Points in the order of the plan and the trials of maximisations, these without their fine steps: a
// refinement goes to and fro over a coarse step. Where something stands when a run begins is not known: the
// first move counts without time.
Movements movements_of(const Plan& plan);

}  // namespace rt::lab
