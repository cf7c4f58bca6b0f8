// The pseudo-random sequence of cellular standards.
#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

namespace rt::cellular {

// Bits `first` to `first` + `count` of the length-31 Gold sequence (3GPP TS 36.211 clause 7.2, TS 38.211
// clause 5.2.1): 0 or 1 each.
std::vector<std::uint8_t> gold_sequence(std::uint32_t c_init, std::size_t first, std::size_t count);

}  // namespace rt::cellular
