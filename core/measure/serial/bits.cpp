#include "core/measure/serial/bits.hpp"

namespace rt {

std::vector<bool> bits_of(const Edges& edges, const Clock& clock, std::size_t most) {
    std::vector<bool> out;
    for (std::size_t k = 0; k + 1 < clock.bit.size() && out.size() < most; ++k)
        out.insert(out.end(), clock.bit[k + 1] - clock.bit[k], edges.rises(k));
    if (out.size() > most) out.resize(most);
    return out;
}

}  // namespace rt
