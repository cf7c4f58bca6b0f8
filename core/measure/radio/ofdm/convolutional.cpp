#include "core/measure/radio/ofdm/convolutional.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <cstdint>
#include <limits>

namespace rt::ofdm {

std::vector<unsigned> viterbi(std::span<const double> soft) {
    const std::size_t steps = soft.size() / 2;
    constexpr std::size_t states = 64;
    std::vector<double> metric(states, -std::numeric_limits<double>::infinity()), next(states);
    metric[0] = 0;
    std::vector<std::array<std::uint8_t, states>> from(steps);
    for (std::size_t t = 0; t < steps; ++t) {
        std::fill(next.begin(), next.end(), -std::numeric_limits<double>::infinity());
        for (unsigned s = 0; s < states; ++s) {
            if (metric[s] == -std::numeric_limits<double>::infinity()) continue;
            for (unsigned bit = 0; bit < 2; ++bit) {
                // The newest bit is the highest of seven; 133 and 171 are octal.
                const unsigned window = (bit << 6) | s;
                const double a = std::popcount(window & 0133U) & 1 ? 1 : -1;
                const double b = std::popcount(window & 0171U) & 1 ? 1 : -1;
                const double here = metric[s] + a * soft[2 * t] + b * soft[2 * t + 1];
                const unsigned to = window >> 1;
                if (here > next[to]) next[to] = here, from[t][to] = static_cast<std::uint8_t>(s);
            }
        }
        metric = next;
    }
    std::vector<unsigned> bits(steps);
    unsigned state = 0;
    for (std::size_t t = steps; t-- > 0;) {
        bits[t] = state >> 5;
        state = from[t][state];
    }
    return bits;
}

}  // namespace rt::ofdm
