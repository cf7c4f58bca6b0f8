// Where in the traffic of a bus a moment falls.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace rt {

// The traffic from `from_s` to the next mark.
struct BusMark {
    enum class What : std::uint8_t { start, bit, stop };

    double from_s = 0;
    std::uint32_t group = 0;  // transfer or frame, from 1
    std::uint32_t word = 0;   // byte or word of the group, from 1
    std::uint16_t bit = 0;    // of the word, from 1 in the order sent
    What what = What::bit;
};

// How people call the parts of a bus.
struct BusWords {
    const char* group;         // "transfer"
    const char* word;          // "byte"
    std::uint16_t answer = 0;  // the bit that is called acknowledge; 0: none
};

// "transfer 2, byte 3, bit 5", "transfer 2, acknowledge of byte 3", "start of transfer 2"; "" before the
// first mark. Marks ascend.
std::string place_text(const std::vector<BusMark>& marks, double time_s, const BusWords& words);

}  // namespace rt
