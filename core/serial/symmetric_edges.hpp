// Edges that tell the clock of a signal with several levels.
#pragma once

#include <vector>

#include "core/serial/clock.hpp"
#include "core/serial/edges.hpp"

namespace rt {

// Of the edges of a signal with several levels those between two symbols that lie evenly about the threshold:
// only these cross it half way, whatever the rise time. `clock` says roughly where the symbols are.
Edges symmetric_edges(const WaveSamples& samples, double step_s, const Edges& edges, const Clock& clock,
                      const std::vector<double>& levels, double threshold);

}  // namespace rt
