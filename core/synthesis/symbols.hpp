// What a transmitter sends, symbol by symbol, out of a line of text.
#pragma once

#include <cstdint>
#include <string_view>
#include <vector>

namespace rt {

inline constexpr std::int8_t at_rest = -1;

// One period of a pattern: for each unit interval the level, 0 for the lowest, or at_rest. The text names
// segments with commas between them:
//   prbs7                one period of a sequence (prbs7 ... prbs23; of prbs31 a count of bits is needed)
//   prbs31 100000        so many bits of it
//   clock 20             0 and 1 in turn
//   ones 4, zeros 4      one state
//   quiet 480            the level at rest
//   bits:0110            what stands there, once, or again and again for a count of bits
//   hex:3EB0             four bits a digit, the first sent first
//   symbols:0312         levels
//   characters:K28.5+D10.2    characters of the 8b/10b code, from negative running disparity; twice where it
//   ends
//                        positive
//   random 1000          any level, the same every time
//   clock/10 400         each symbol held for 10 intervals: slow signalling; the count is of intervals
//   6 x (clock 160, quiet 480)   six times
// With four levels two bits make a symbol, by Gray code (00, 01, 11, 10 from the lowest); with three levels
// only random, symbols and quiet are possible. Throws Error(input) naming what is not understood.
std::vector<std::int8_t> pattern_symbols(std::string_view text, int levels);

}  // namespace rt
