// Bluetooth LE uncoded packets, 1 Msymbol/s (Bluetooth Core Specification, Vol 6 Part B clause 2).
#pragma once

#include <cstdint>
#include <span>
#include <vector>

namespace rt::gfsk {

inline constexpr double bit_rate_hz = 1e6;
inline constexpr std::uint32_t test_access_address = 0x71764129;

// Bits in sending order: eight of preamble, 32 of access address.
std::vector<std::uint8_t> head_bits(std::uint32_t access_address);

// CRC of header and payload bits in sending order, as 24 bits in sending order.
std::vector<std::uint8_t> crc_bits(std::span<const std::uint8_t> bits, std::uint32_t initial);

// Octets of bits in sending order (least significant first); the rest of an octet is dropped.
std::vector<std::uint8_t> octets_of(std::span<const std::uint8_t> bits);

}  // namespace rt::gfsk
