// bench --try: a dialect exercised command by command.
#pragma once

#include "cli/command.hpp"
#include "lab/model/bench.hpp"
#include "lab/simulate/instruments/bench.hpp"

namespace rt::cli {

// Sends every command of each instrument's dialect with sample values and shows what was sent, what came
// back, how long it took and what the error queue says.
ExitCode try_bench(const Call& call, const Bench& bench, SimulatedBench& simulated);

}  // namespace rt::cli
