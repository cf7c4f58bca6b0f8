#include "core/stats/counting.hpp"

#include <algorithm>
#include <boost/math/special_functions/beta.hpp>
#include <boost/math/special_functions/gamma.hpp>
#include <cmath>

#include "core/base/error.hpp"
#include "core/stats/proportion.hpp"

namespace rt {

static void require_confidence(double confidence) {
    if (!(confidence > 0 && confidence < 1)) fail_input("a confidence lies between 0 and 1");
}

double events_upper_bound(std::uint64_t events, double confidence) {
    require_confidence(confidence);
    return boost::math::gamma_p_inv(static_cast<double>(events) + 1, confidence);
}

double events_lower_bound(std::uint64_t events, double confidence) {
    require_confidence(confidence);
    return events == 0 ? 0 : boost::math::gamma_p_inv(static_cast<double>(events), 1 - confidence);
}

std::optional<std::uint64_t> trials_needed(double limit, double confidence, std::uint64_t events) {
    require_confidence(confidence);
    if (!(limit > 0 && limit < 1)) return std::nullopt;
    const auto enough = [&](std::uint64_t trials) {
        return proportion_upper_bound(events, trials, confidence) <= limit;
    };
    constexpr double most = 1e15;
    std::uint64_t low = events;  // all of them wrong is never enough
    double reach = std::max(2.0, 2 * events_upper_bound(events, confidence) / limit);
    while (reach < most && !enough(static_cast<std::uint64_t>(reach))) reach *= 2;
    if (!(reach < most)) return std::nullopt;
    auto high = static_cast<std::uint64_t>(reach);
    while (high - low > 1) {
        const std::uint64_t middle = low + (high - low) / 2;
        (enough(middle) ? high : low) = middle;
    }
    return high;
}

double confidence_below(std::uint64_t events, std::uint64_t trials, double limit) {
    if (events >= trials || !(limit > 0)) return 0;
    if (limit >= 1) return 1;
    const double k = static_cast<double>(events), n = static_cast<double>(trials);
    return boost::math::ibeta(k + 1, n - k, limit);
}

}  // namespace rt
