#include "core/serial/test_symbols.hpp"

namespace rt {

std::vector<int> transmitter_test_symbols(int levels) {
    constexpr unsigned period = 2047;
    std::vector<int> out;
    unsigned scrambler = period;  // bit k is Scr[k]
    for (unsigned n = 0; n < period; ++n) {
        const unsigned x0 = scrambler & 1;
        const unsigned x1 = (scrambler >> 1 ^ scrambler >> 4) & 1, x2 = (scrambler >> 2 ^ scrambler >> 4) & 1;
        int size = 0;
        if (levels == 5) {
            // 000 0, 001 1, 010 2, 011 -1, 100 0, 101 1, 110 -2, 111 -1
            size = x0 ? (x1 ? -1 : 1) : (x1 ? (x2 ? -2 : 2) : 0);
        } else {
            size = x0 ? (x1 ? -1 : 1) : 0;
        }
        out.push_back(size);
        scrambler = (scrambler << 1 | ((scrambler >> 8 ^ scrambler >> 10) & 1)) & period;
    }
    return out;
}

std::vector<int> mlt3_idle_symbols(std::size_t count) {
    constexpr int turn[]{0, 1, 0, -1};
    unsigned scrambler = 2047;
    std::size_t place = 0;
    std::vector<int> out;
    out.reserve(count);
    for (std::size_t i = 0; i < count; ++i) {
        const unsigned key = (scrambler >> 8 ^ scrambler >> 10) & 1;
        scrambler = (scrambler << 1 | key) & 2047;
        if (key == 0) ++place;
        out.push_back(turn[place % 4]);
    }
    return out;
}

}  // namespace rt
