// Bits out of edges and their clock.
#pragma once

#include "core/serial/bit_row.hpp"
#include "core/serial/clock.hpp"
#include "core/serial/edges.hpp"

namespace rt {

// One for each symbol from the first edge on: true above the threshold. At most `most`.
BitRow bits_of(const Edges& edges, const Clock& clock, std::size_t most);

}  // namespace rt
