#include "core/cellular/gold.hpp"

namespace rt::cellular {
namespace {

// Both registers hold bits n to n + 30, the one of now lowest.
std::uint32_t next_first(std::uint32_t x) {
    return (x >> 1) | ((((x >> 3) ^ x) & 1u) << 30);
}
std::uint32_t next_second(std::uint32_t x) {
    return (x >> 1) | ((((x >> 3) ^ (x >> 2) ^ (x >> 1) ^ x) & 1u) << 30);
}

constexpr std::size_t skipped = 1600;

}  // namespace

std::vector<std::uint8_t> gold_sequence(std::uint32_t c_init, std::size_t first, std::size_t count) {
    std::uint32_t one = 1, two = c_init & 0x7fffffffu;
    for (std::size_t i = 0; i < skipped + first; ++i) one = next_first(one), two = next_second(two);
    std::vector<std::uint8_t> out(count);
    for (auto& bit : out) {
        bit = static_cast<std::uint8_t>((one ^ two) & 1u);
        one = next_first(one), two = next_second(two);
    }
    return out;
}

}  // namespace rt::cellular
