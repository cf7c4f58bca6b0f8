#include "core/measure/serial/bits.hpp"

#include <algorithm>

namespace rt {

std::vector<bool> bits_of(const Edges& edges, const Clock& clock, std::size_t most) {
    if (clock.bit.empty()) return {};
    const std::size_t all = clock.bit.back() - clock.bit.front();
    std::vector<bool> out(std::min(all, most));
    for (std::size_t k = 0; k + 1 < clock.bit.size(); ++k) {
        const std::size_t from = clock.bit[k] - clock.bit.front(), to = clock.bit[k + 1] - clock.bit.front();
        if (from >= out.size()) break;
        if (edges.rises(k))
            std::fill(out.begin() + static_cast<std::ptrdiff_t>(from),
                      out.begin() + static_cast<std::ptrdiff_t>(std::min(to, out.size())), true);
    }
    return out;
}

BitRow bit_row_of(const Edges& edges, const Clock& clock, std::size_t most) {
    if (clock.bit.empty()) return {};
    const std::size_t first = clock.bit.front();
    BitRow out(std::min<std::size_t>(clock.bit.back() - first, most));
    for (std::size_t k = 0; k + 1 < clock.bit.size(); ++k) {
        const std::size_t from = clock.bit[k] - first, to = std::min(clock.bit[k + 1] - first, out.size());
        if (from >= out.size()) break;
        if (edges.rises(k)) out.set(from, to);
    }
    return out;
}

}  // namespace rt
