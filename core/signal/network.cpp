#include "core/signal/network.hpp"

#include <algorithm>

namespace rt {

bool Network::one_reference() const {
    return std::all_of(reference_ohm.begin(), reference_ohm.end(),
                       [&](double ohm) { return ohm == reference_ohm.front(); });
}

std::string implausible(const Network& n) {
    bool any = false;
    for (const auto& s : n.s) {
        any = any || s != 0.0;
        if (!(std::abs(s) <= 1e4))
            return "a scattering parameter has the magnitude " + std::to_string(std::abs(s));
    }
    if (any) return {};
    return "all scattering parameters are 0: no analyser reads so";
}

}  // namespace rt
