#include "core/stats/proportion.hpp"

#include <boost/math/special_functions/beta.hpp>

#include "core/base/error.hpp"

namespace rt {

Interval proportion_interval(std::uint64_t events, std::uint64_t trials, double confidence) {
    if (events > trials) fail_input("more events than trials");
    if (!(confidence > 0 && confidence < 1)) fail_input("a confidence lies between 0 and 1");
    if (trials == 0) return {};
    const double k = static_cast<double>(events), n = static_cast<double>(trials);
    const double tail = (1 - confidence) / 2;
    Interval out{0, 1};
    if (events > 0) out.low = boost::math::ibeta_inv(k, n - k + 1, tail);
    if (events < trials) out.high = boost::math::ibeta_inv(k + 1, n - k, 1 - tail);
    return out;
}

double proportion_upper_bound(std::uint64_t events, std::uint64_t trials, double confidence) {
    if (events > trials) fail_input("more events than trials");
    if (!(confidence > 0 && confidence < 1)) fail_input("a confidence lies between 0 and 1");
    if (events == trials) return 1;
    const double k = static_cast<double>(events), n = static_cast<double>(trials);
    return boost::math::ibeta_inv(k + 1, n - k, confidence);
}

double proportion_lower_bound(std::uint64_t events, std::uint64_t trials, double confidence) {
    if (events > trials) fail_input("more events than trials");
    if (!(confidence > 0 && confidence < 1)) fail_input("a confidence lies between 0 and 1");
    if (events == 0) return 0;
    const double k = static_cast<double>(events), n = static_cast<double>(trials);
    return boost::math::ibeta_inv(k, n - k + 1, 1 - confidence);
}

}  // namespace rt
