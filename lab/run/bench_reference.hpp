// Frequencies judged to parts in a thousand million rest on the reference of the bench.
#pragma once

#include "lab/model/bench.hpp"
#include "lab/model/campaign.hpp"

namespace rt::lab {

// Tests whose procedure asks how stable the reference of its analyser is (parameter `reference`) and whose
// instrument must prove that it is locked to that of the bench (external_reference) take what the bench
// states of it. Throws Error(input) where the campaign states it for an instrument that proves nothing.
// A kept run is taken as it was measured: nothing is refused.
enum class ReferenceOf { new_run, kept_run };
void state_reference(Campaign& campaign, const Bench& bench, ReferenceOf run);

}  // namespace rt::lab
