// A wafer map begun from what a stage says, or from what a person shows it.
#pragma once

#include "cli/command.hpp"
#include "lab/simulate/instruments/bench.hpp"

namespace rt::cli {

ExitCode write_map(const Call& call, const Bench& bench, SimulatedBench& simulated);

}  // namespace rt::cli
