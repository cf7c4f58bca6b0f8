#include "core/serial/code_8b10b.hpp"

#include <fmt/core.h>

#include <array>
#include <bit>

namespace rt {
namespace {

// Sub-blocks for negative running disparity, the first bit highest; those with unequal ones and zeros, and
// D.7 and .3, are inverted for positive.
constexpr std::array<std::uint8_t, 32> six{
    0b100111, 0b011101, 0b101101, 0b110001, 0b110101, 0b101001, 0b011001, 0b111000,
    0b111001, 0b100101, 0b010101, 0b110100, 0b001101, 0b101100, 0b011100, 0b010111,
    0b011011, 0b100011, 0b010011, 0b110010, 0b001011, 0b101010, 0b011010, 0b111010,
    0b110011, 0b100110, 0b010110, 0b110110, 0b001110, 0b101110, 0b011110, 0b101011};
constexpr std::array<std::uint8_t, 8> four{0b1011, 0b1001, 0b0101, 0b1100, 0b1101, 0b1010, 0b0110, 0b1110};
constexpr std::array<std::uint8_t, 8> four_control{0b1011, 0b0110, 0b1010, 0b1100,
                                                   0b1101, 0b0101, 0b1001, 0b0111};
constexpr std::uint8_t six_k28 = 0b001111, four_alternate = 0b0111;

bool has_control(std::uint8_t value) {
    const int x = value & 31, y = value >> 5;
    return x == 28 || (y == 7 && (x == 23 || x == 27 || x == 29 || x == 30));
}

struct CodeColumn {
    std::array<std::optional<Symbol>, 1024> symbol;
};

const std::array<CodeColumn, 2>& columns() {
    static const auto made = [] {
        std::array<CodeColumn, 2> out;
        for (const bool positive : {false, true}) {
            for (int value = 0; value < 256; ++value) {
                for (const bool control : {false, true}) {
                    bool disparity = positive;
                    const Symbol symbol{static_cast<std::uint8_t>(value), control};
                    if (const auto bits = encode_8b10b(symbol, disparity))
                        out[positive].symbol[*bits] = symbol;
                }
            }
        }
        return out;
    }();
    return made;
}

}  // namespace

std::string name(Symbol s) {
    return fmt::format("{}{}.{}", (s.control ? "K" : "D"), s.value & 31, s.value >> 5);
}

std::optional<std::uint16_t> encode_8b10b(Symbol s, bool& positive) {
    if (s.control && !has_control(s.value)) return std::nullopt;
    const auto x = static_cast<std::size_t>(s.value & 31), y = static_cast<std::size_t>(s.value >> 5);
    const bool k28 = s.control && x == 28;
    std::uint8_t a = k28 ? six_k28 : six[x];
    const bool uneven_a = std::popcount(a) != 3;
    if (positive && (uneven_a || x == 7)) a = static_cast<std::uint8_t>(~a & 63);
    const bool between = uneven_a ? !positive : positive;
    std::uint8_t b = s.control ? four_control[y] : four[y];
    if (!s.control && y == 7) {
        // The alternate form keeps runs of five out.
        const bool alternate = between ? x == 11 || x == 13 || x == 14 : x == 17 || x == 18 || x == 20;
        if (alternate) b = four_alternate;
    }
    const bool uneven_b = std::popcount(b) != 2;
    // Of control characters every second sub-block is inverted, so that commas stand alone.
    if (between && (uneven_b || y == 3 || s.control)) b = static_cast<std::uint8_t>(~b & 15);
    positive = uneven_b ? !between : between;
    return static_cast<std::uint16_t>(a << 4 | b);
}

Decoded decode_8b10b(std::uint16_t bits, bool& positive) {
    Decoded out;
    const auto& here = columns()[positive].symbol[bits];
    const auto& other = columns()[!positive].symbol[bits];
    if (!here && other) positive = !positive, out.wrong_disparity = true;
    out.symbol = here ? here : other;
    const int ones = std::popcount(bits);
    if (ones != 5) positive = ones > 5;
    return out;
}

std::optional<CharacterStream> read_characters(const BitRow& bits,
                                               const std::function<void(const Decoded&, std::size_t)>& each) {
    CharacterStream out;
    constexpr unsigned comma = 0b0011111, mirrored = 0b1100000;
    unsigned window = 0;
    std::optional<std::size_t> place;  // of the alignment, modulo ten
    std::optional<std::size_t> candidate;
    std::size_t next = 0;
    bool positive = false, fresh = true;
    for (std::size_t i = 0; i < bits.size(); ++i) {
        window = (window << 1 | static_cast<unsigned>(bits[i])) & 127;
        if (i >= 6 && (window == comma || window == mirrored)) {
            const std::size_t begin = i - 6;
            ++out.commas;
            if (!place) {
                place = begin % 10;
                out.first_bit = next = begin;
                fresh = true;
            } else if (begin % 10 != *place) {
                if (candidate == begin % 10) {
                    place = candidate;
                    candidate.reset();
                    next = begin;
                    ++out.realigned;
                    fresh = true;
                } else {
                    candidate = begin % 10;
                }
            }
        }
        if (!place || i + 1 < next + 10) continue;
        std::uint16_t ten = 0;
        for (std::size_t k = next; k < next + 10; ++k) ten = static_cast<std::uint16_t>(ten << 1 | bits[k]);
        // The first character says which disparity it has.
        if (fresh) positive = !columns()[false].symbol[ten] && columns()[true].symbol[ten];
        fresh = false;
        const bool before = positive;
        const Decoded decoded = decode_8b10b(ten, positive);
        if (each) each(decoded, next);
        ++out.characters;
        out.code_errors += !decoded.symbol;
        out.disparity_errors += decoded.wrong_disparity;
        if ((!decoded.symbol || decoded.wrong_disparity) && out.errors.size() < 1000)
            out.errors.push_back({next, ten, before, decoded});
        if (decoded.symbol && out.first.size() < 1000) out.first.push_back(*decoded.symbol);
        next += 10;
    }
    if (!place) return std::nullopt;
    out.positive = positive;
    return out;
}

}  // namespace rt
