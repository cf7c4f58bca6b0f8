#include "core/short_range/packet.hpp"

namespace rt::gfsk {

std::vector<std::uint8_t> head_bits(std::uint32_t address) {
    std::vector<std::uint8_t> out;
    // The preamble alternates and begins like the address.
    for (unsigned i = 0; i < 8; ++i) out.push_back(static_cast<std::uint8_t>((address ^ i) & 1U));
    for (unsigned i = 0; i < 32; ++i) out.push_back(static_cast<std::uint8_t>((address >> i) & 1U));
    return out;
}

std::vector<std::uint8_t> crc_bits(std::span<const std::uint8_t> bits, std::uint32_t initial) {
    // x^24 + x^10 + x^9 + x^6 + x^4 + x^3 + x + 1; position 23 is sent first.
    std::uint32_t state = initial & 0xFFFFFF;
    for (const auto bit : bits) {
        const std::uint32_t top = ((state >> 23) ^ bit) & 1U;
        state = (state << 1) & 0xFFFFFF;
        if (top) state ^= 0x00065B;
    }
    std::vector<std::uint8_t> out;
    for (int i = 23; i >= 0; --i) out.push_back(static_cast<std::uint8_t>((state >> i) & 1U));
    return out;
}

std::vector<std::uint8_t> octets_of(std::span<const std::uint8_t> bits) {
    std::vector<std::uint8_t> out;
    for (std::size_t i = 0; i + 8 <= bits.size(); i += 8) {
        unsigned octet = 0;
        for (unsigned k = 0; k < 8; ++k) octet |= unsigned{bits[i + k]} << k;
        out.push_back(static_cast<std::uint8_t>(octet));
    }
    return out;
}

}  // namespace rt::gfsk
