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

}  // namespace rt
