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
    std::uint8_t header = 0;            // its first octet
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
// afterwards. With a channel the bits behind the access address are taken as whitened for it, and given back
// without.
Attempt demodulate(std::span<const std::complex<float>> samples, double sample_rate_hz, double bandwidth_hz,
                   std::uint32_t access_address, std::uint32_t crc_initial,
                   std::optional<unsigned> whitened_channel = {});

// The filter behind the discriminator, per_bit values a bit. The modulation and its third harmonic lie
// below 1.5 MHz; the noise of a discriminator grows with the frequency.
const std::vector<double>& smoothing();

// Calls each(first bit, mean frequency) of the payload's octets of eight bits, without the first and the
// last: they have other neighbours than their own pattern.
template <typename Each>
void each_octet(const Packet& packet, const Each& each) {
    for (std::size_t i = 1; i + 1 < packet.payload.size(); ++i) {
        const auto first = static_cast<double>(packet.payload_at() + 8 * i);
        each(first, packet.mean(first, first + 8));
    }
}

// Delta f1: payload 11110000 or 00001111: bits 2, 3, 6 and 7 of each octet, mean frequency of the bit, from
// that of its octet; without the first and the last octet.
std::vector<double> deviations_of_runs(const Packet& packet);
// Mean frequencies of groups of ten bits, from the second bit of the payload.
std::vector<double> group_frequencies(const Packet& packet);

}  // namespace rt::gfsk
