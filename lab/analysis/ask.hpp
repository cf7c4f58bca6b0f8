// A program of the user's, asked for what it makes of captures. docs/own-analysis.md has its protocol.
#pragma once

#include "core/measure/inputs.hpp"
#include "core/outcome/outcome.hpp"
#include "core/outcome/parameters.hpp"
#include "lab/model/analysis.hpp"

namespace rt::lab {

// The captures are written into a folder of their own, which is taken away afterwards. Throws Error(signal),
// with the reason, when the program does not start, does not end in time, fails, or answers what
// read_answer() refuses.
Outcome ask_program(const Analysis& analysis, Inputs inputs, const Parameters& parameters);

}  // namespace rt::lab
