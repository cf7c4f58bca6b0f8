// One Bluetooth LE packet as frequency against time.
#pragma once

#include <complex>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace rt::gfsk {

inline constexpr std::size_t per_bit = 32;  // values of the frequency in one bit

struct Packet {
    double start_s = 0;                 // beginning of the preamble within the samples given
    std::vector<double> frequency_hz;   // per_bit values a bit, from the beginning of the preamble
    std::vector<std::uint8_t> bits;     // preamble, access address, header, payload, CRC
    std::vector<std::uint8_t> payload;  // octets
    unsigned type = 0;                  // of the test packet
    bool crc_ok = false;
    double preamble_offset_hz = 0;  // f0

    std::size_t payload_at() const { return 8 + 32 + 16; }  // first bit of the payload
    // Mean frequency between two instants counted in bits from the beginning.
    double mean(double from_bit, double to_bit) const;
};

struct Attempt {
    std::optional<Packet> packet;
    std::string reason;
};

// `samples` hold one burst with room on both sides; at least 4 million samples a second. They pass a low-pass
// with half its voltage at `bandwidth_hz` / 2 first, and their frequency one with half its value at 1.75 MHz
// afterwards.
Attempt demodulate(std::span<const std::complex<float>> samples, double sample_rate_hz, double bandwidth_hz,
                   std::uint32_t access_address, std::uint32_t crc_initial);

struct Deviation {
    std::vector<double> bits;  // of each bit that counts, from the middle of its group of eight
    double mean() const;
};
// Delta f1: payload 11110000 or 00001111: bits 2, 3, 6 and 7 of each octet, mean frequency of the bit;
// without the first and the last octet.
Deviation deviation_of_runs(const Packet& packet);
// Delta f2: payload 10101010 or 01010101: largest deviation in each bit.
Deviation deviation_of_alternation(const Packet& packet);
// Mean frequencies of groups of ten bits, from the second bit of the payload.
std::vector<double> group_frequencies(const Packet& packet);

}  // namespace rt::gfsk
