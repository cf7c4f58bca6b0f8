// The test sequence of Ethernet transmitters for distortion.
#pragma once

#include <cstddef>
#include <vector>

namespace rt {

// 2047 symbols from the scrambler 1 + x^9 + x^11, over and over: -1, 0, 1 with three levels (single-pair
// Ethernet, IEEE 802.3 96.5.2), -2 to 2 with five (1000BASE-T, 40.6.1.1.2). x0 = Scr[0], x1 = Scr[1] ^
// Scr[4], x2 = Scr[2] ^ Scr[4]; x0 says odd or even, x1 the sign, x2 whether an even symbol is 2.
std::vector<int> transmitter_test_symbols(int levels);

// Scrambled idle of 100BASE-TX in MLT-3 (IEEE 802.3 clause 25, TP-PMD): ones through 1 + x^9 + x^11, each one
// a step on in the turn 0, 1, 0, -1.
std::vector<int> mlt3_idle_symbols(std::size_t count);

}  // namespace rt
