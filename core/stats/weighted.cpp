#include "core/stats/weighted.hpp"

#include <algorithm>
#include <cmath>

namespace rt {

Combined combined(const std::vector<Weighted>& values) {
    double weights = 0, sum = 0;
    for (const Weighted& v : values) {
        const double weight = 1 / (v.deviation * v.deviation);
        weights += weight;
        sum += weight * v.value;
    }
    Combined out{sum / weights, 1 / std::sqrt(weights), true};
    double squares = 0;
    for (const Weighted& v : values) squares += std::pow((v.value - out.value) / v.deviation, 2);
    const auto freedom = static_cast<double>(values.size()) - 1;
    out.agree = squares <= 2 * freedom + 4 * std::sqrt(2 * freedom);
    if (out.agree) return out;
    const auto farthest = std::max_element(
        values.begin(), values.end(),
        [](const Weighted& a, const Weighted& b) { return std::abs(a.value) < std::abs(b.value); });
    return {farthest->value, farthest->deviation, false};
}

}  // namespace rt
