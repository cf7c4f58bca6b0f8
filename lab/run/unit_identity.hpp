// Who the unit says that it is: details that a campaign leaves out, and what it states against what is there.
#pragma once

#include "lab/model/campaign.hpp"
#include "lab/run/instruments.hpp"
#include "lab/run/plan.hpp"

namespace rt::lab {

// maker, model, serial, hardware and firmware, as far as it says them: a module by its registers, a unit by
// the commands query_serial ... of its dialect. Throws Error(bench) where it does not answer.
TextPairs said_of_itself(InstrumentRole& role);

// `known`: details as stated, or as an earlier part of the run has them. Returns those that were not known.
// Throws Error(bench) where it says another thing than is known, or lacks model or serial number.
TextPairs taken_over(const TextPairs& said, const TextPairs& known, const std::string& role);

// Throws Error(input) where campaign.unit_says names a role that cannot be asked.
void require_said(Plan& plan);

}  // namespace rt::lab
