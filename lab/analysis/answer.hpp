// What a program answers, as JSON lines, and the same as it is kept.
#pragma once

#include <string>
#include <string_view>

#include "core/outcome/outcome.hpp"
#include "lab/model/analysis.hpp"

namespace rt::lab {

constexpr int analysis_protocol = 1;

// Throws Error(signal), without a verdict then, for an answer that is cut off, of another protocol, or not
// what the analysis declares: unknown names, other units, values that are no numbers.
Outcome read_answer(const Analysis& analysis, std::string_view text);

// The answer that gives this outcome.
std::string answer_text(const Outcome& outcome);

}  // namespace rt::lab
