#include "core/measure/serial/bits.hpp"

#include <algorithm>

namespace rt {

BitRow bits_of(const Edges& edges, const Clock& clock, std::size_t most) {
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
