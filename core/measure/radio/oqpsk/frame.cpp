#include "core/measure/radio/oqpsk/frame.hpp"

namespace rt::oqpsk {
namespace {

using Symbol = std::array<std::int8_t, chips_per_symbol>;

// Symbols 1 to 7 are symbol 0 turned right by four chips each; 8 to 15 are 0 to 7 with the odd chips
// inverted.
std::array<Symbol, 16> make_table() {
    constexpr char zero[] = "11011001110000110101001000101110";
    std::array<Symbol, 16> out{};
    for (std::size_t s = 0; s < 8; ++s) {
        for (std::size_t c = 0; c < chips_per_symbol; ++c) {
            const char bit = zero[(c + chips_per_symbol - 4 * s) % chips_per_symbol];
            out[s][c] = bit == '1' ? 1 : -1;
            out[s + 8][c] = static_cast<std::int8_t>(c % 2 ? -out[s][c] : out[s][c]);
        }
    }
    return out;
}

}  // namespace

const Symbol& chips_of(unsigned symbol) {
    static const auto table = make_table();
    return table[symbol & 15U];
}

std::vector<std::int8_t> chips_of(std::span<const std::uint8_t> symbols) {
    std::vector<std::int8_t> out;
    out.reserve(symbols.size() * chips_per_symbol);
    for (const auto symbol : symbols) {
        const auto& chips = chips_of(unsigned{symbol});
        out.insert(out.end(), chips.begin(), chips.end());
    }
    return out;
}

std::vector<std::uint8_t> frame_symbols(std::span<const std::uint8_t> psdu) {
    std::vector<std::uint8_t> octets(preamble_symbols / 2, 0);
    octets.push_back(0xA7);
    octets.push_back(static_cast<std::uint8_t>(psdu.size()));
    octets.insert(octets.end(), psdu.begin(), psdu.end());
    std::vector<std::uint8_t> out;
    for (const auto octet : octets) {
        out.push_back(octet & 15U);
        out.push_back(octet >> 4);
    }
    return out;
}

std::uint16_t frame_check(std::span<const std::uint8_t> octets) {
    unsigned crc = 0;
    for (const auto octet : octets) {
        crc ^= octet;
        for (int i = 0; i < 8; ++i) crc = crc & 1U ? (crc >> 1) ^ 0x8408U : crc >> 1;
    }
    return static_cast<std::uint16_t>(crc);
}

}  // namespace rt::oqpsk
