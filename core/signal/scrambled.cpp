#include "core/signal/scrambled.hpp"

#include <algorithm>
#include <cmath>

namespace rt {

template <typename Number>
static bool tiny(std::span<const Number> values, Number least) {
    return std::any_of(values.begin(), values.end(), [&](Number v) { return v != 0 && std::abs(v) < least; });
}

bool scrambled(std::span<const double> values) {
    return tiny<double>(values, 1e-60);
}

bool scrambled(std::span<const float> values) {
    return tiny<float>(values, 1e-30F);
}

}  // namespace rt
