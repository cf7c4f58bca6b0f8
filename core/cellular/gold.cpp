#include "core/cellular/gold.hpp"

#include <algorithm>

namespace rt::cellular {
namespace {

// Both registers hold bits n to n + 30, the one of now lowest. Bit n + 31 is a sum of bits n to n + 3, so
// that 28 new ones are known at once.
constexpr std::size_t at_once = 28;

std::uint32_t later(std::uint32_t x, std::uint32_t fresh, std::size_t steps) {
    const std::uint64_t both = x | (static_cast<std::uint64_t>(fresh) << 31);
    return static_cast<std::uint32_t>(both >> steps) & 0x7fffffffu;
}
std::uint32_t later_first(std::uint32_t x, std::size_t steps) {
    return later(x, (x ^ (x >> 3)) & 0x0fffffffu, steps);
}
std::uint32_t later_second(std::uint32_t x, std::size_t steps) {
    return later(x, (x ^ (x >> 1) ^ (x >> 2) ^ (x >> 3)) & 0x0fffffffu, steps);
}

constexpr std::size_t skipped = 1600;

}  // namespace

std::vector<std::uint8_t> gold_sequence(std::uint32_t c_init, std::size_t first, std::size_t count) {
    std::uint32_t one = 1, two = c_init & 0x7fffffffu;
    const auto go_on = [&](std::size_t steps) {
        one = later_first(one, steps), two = later_second(two, steps);
    };
    std::size_t left = skipped + first;
    for (; left > at_once; left -= at_once) go_on(at_once);
    go_on(left);
    std::vector<std::uint8_t> out(count);
    for (std::size_t i = 0; i < count; i += at_once, go_on(at_once))
        for (std::size_t k = 0; k < std::min(at_once, count - i); ++k)
            out[i + k] = static_cast<std::uint8_t>(((one ^ two) >> k) & 1u);
    return out;
}

}  // namespace rt::cellular
