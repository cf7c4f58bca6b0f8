// The 8b/10b code (Widmer and Franaszek, IBM J. Res. Dev. 27, 1983; IEEE 802.3 clause 36).
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/serial/bit_row.hpp"

namespace rt {

struct Symbol {
    std::uint8_t value = 0;
    bool control = false;  // K character

    bool operator==(const Symbol&) const = default;
};

// As the trade writes it: "K28.5", "D21.4".
std::string name(Symbol symbol);

// Ten bits in the order they are sent, the first in the highest place. `positive` is the running disparity
// before, and becomes that after. Nothing for a control character that the code does not have.
std::optional<std::uint16_t> encode_8b10b(Symbol symbol, bool& positive);

struct Decoded {
    std::optional<Symbol> symbol;  // nothing for bits that are no character
    bool wrong_disparity = false;  // a character, but of the other running disparity
};
// `positive` as above; after an error it follows the bits.
Decoded decode_8b10b(std::uint16_t bits, bool& positive);

struct CharacterError {
    std::size_t bit = 0;     // where it begins
    std::uint16_t bits = 0;  // the ten that came
    bool positive = false;   // the running disparity before
    Decoded decoded;
};

struct CharacterStream {
    std::uint64_t characters = 0, code_errors = 0, disparity_errors = 0, commas = 0, realigned = 0;
    std::size_t first_bit = 0;           // of the first aligned character
    bool positive = false;               // the running disparity behind the last character
    std::vector<CharacterError> errors;  // the first thousand of both kinds
    std::vector<Symbol> first;           // the first characters, at most 1000; errors are left out
};

// Aligns on the comma (0011111 or 1100000 within K28.1, K28.5, K28.7) and decodes from there. A comma
// elsewhere that comes twice in the same new place realigns. Nothing without a comma.
// `each` is given every aligned character with its first bit.
std::optional<CharacterStream> read_characters(
    const BitRow& bits, const std::function<void(const Decoded& character, std::size_t bit)>& each = {});

}  // namespace rt
