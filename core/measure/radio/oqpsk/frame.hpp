// IEEE 802.15.4 O-QPSK PHY at 2450 MHz: symbols, chips and frames (IEEE 802.15.4-2006 clause 6.5, -2015
// clause 12).
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

namespace rt::oqpsk {

inline constexpr double chip_rate_hz = 2e6;
inline constexpr std::size_t chips_per_symbol = 32;
inline constexpr std::size_t preamble_symbols = 8;

// Chips c0 to c31 of a symbol as +1 and -1.
const std::array<std::int8_t, chips_per_symbol>& chips_of(unsigned symbol);

// Preamble, start of frame and what follows, as chips.
std::vector<std::int8_t> chips_of(std::span<const std::uint8_t> symbols);

// The symbols of a frame with this payload (at most 127 octets, FCS included), low nibble first.
std::vector<std::uint8_t> frame_symbols(std::span<const std::uint8_t> psdu);

// ITU-T CRC-16, x^16 + x^12 + x^5 + 1, initial value 0, least significant bit first.
std::uint16_t frame_check(std::span<const std::uint8_t> octets);

}  // namespace rt::oqpsk
