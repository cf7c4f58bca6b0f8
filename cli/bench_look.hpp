// What comes in at an instrument of a bench, before anything is measured.
#pragma once

#include "cli/command.hpp"
#include "lab/simulate/instruments/bench.hpp"

namespace rt::cli {

ExitCode look_at_role(const Call& call, const Bench& bench, SimulatedBench& simulated);

}  // namespace rt::cli
