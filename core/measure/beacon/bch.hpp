// The two check words of a beacon's message: shortened BCH codes (C/S T.001, annex B).
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace rt::beacon {

struct Bch {
    std::uint32_t generator;  // highest power first, with it
    std::size_t checks;       // its degree
    std::size_t length;       // data and check bits
    std::size_t correctable;  // wrong bits
};

// Bits 25 to 85 with 86 to 106: (82, 61), from (127, 106); x^21 + x^18 + x^17 + x^15 + x^14 + x^12 + x^11 +
// x^8 + x^7 + x^6 + x^5 + x + 1.
inline constexpr Bch first_code{0b1001101101100111100011, 21, 82, 3};
// Bits 107 to 132 with 133 to 144: (38, 26), from (63, 51); x^12 + x^10 + x^8 + x^5 + x^4 + x^3 + 1.
inline constexpr Bch second_code{0b1010100111001, 12, 38, 2};

// The remainder of a word, the first bit the highest power; 0 for a code word.
std::uint32_t remainder(const Bch& code, std::span<const std::uint8_t> word);

// Sets the fewest bits right that make it a code word, and gives how many; nothing where more than the code
// can correct are wrong.
std::optional<std::size_t> correct(const Bch& code, std::span<std::uint8_t> word);

// Check bits behind data.
std::vector<std::uint8_t> checks_of(const Bch& code, std::span<const std::uint8_t> data);

}  // namespace rt::beacon
