#include "core/measure/serial/bits.hpp"

#include <algorithm>

#include "core/dsp/parallel.hpp"

namespace rt {

BitRow bits_of(const Edges& edges, const Clock& clock, std::size_t most) {
    if (clock.bit.empty()) return {};
    const std::size_t first = clock.bit.front();
    BitRow out(std::min<std::size_t>(clock.bit.back() - first, most));
    // Shares of whole words, so that no two write the same one.
    in_shares(out.size() / 64 + 1, [&](std::size_t from_word, std::size_t to_word) {
        const std::size_t begin = 64 * from_word, end = std::min(64 * to_word, out.size());
        const auto after = std::upper_bound(clock.bit.begin(), clock.bit.end(), begin + first);
        auto k = static_cast<std::size_t>(after - clock.bit.begin());
        for (k = k > 0 ? k - 1 : 0; k + 1 < clock.bit.size(); ++k) {
            const std::size_t from = std::max(clock.bit[k] - first, begin),
                              to = std::min(clock.bit[k + 1] - first, end);
            if (from >= end) break;
            if (edges.rises(k)) out.set(from, to);
        }
    });
    return out;
}

}  // namespace rt
