#include "core/stats/stopping.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/stats/proportion.hpp"

namespace rt {

const char* name(Stopping::Kind kind) {
    switch (kind) {
        case Stopping::Kind::count:
            return "count";
        case Stopping::Kind::sequential:
            return "sequential";
        case Stopping::Kind::bounds:
            return "bounds";
        case Stopping::Kind::time:
            return "time";
    }
    return "";
}

void require_valid(const Stopping& s) {
    using Kind = Stopping::Kind;
    if (s.kind == Kind::count || s.kind == Kind::time) return;
    if (!(s.limit > 0 && s.limit < 1))
        fail_input("parameter limit: counting that stops early needs a limit above 0 % and below 100 %");
    const auto risk = [](double value, const char* what) {
        if (!(value > 0 && value < 0.5))
            fail_input(std::string("parameter ") + what + ": must be above 0 % and below 50 %");
    };
    risk(s.risk_pass, "risk_pass");
    risk(s.risk_fail, "risk_fail");
    if (s.kind == Kind::sequential && !(s.good > 0 && s.good < s.limit))
        fail_input("parameter good: must be above 0 % and below the limit");
}

Course course_of(const Stopping& s, std::uint64_t events, std::uint64_t trials) {
    if (trials == 0) return Course::undecided;
    const double k = static_cast<double>(events), n = static_cast<double>(trials);
    const bool above = k > s.limit * n;
    if (s.kind == Stopping::Kind::sequential) {
        const double weight =
            k * std::log(s.limit / s.good) + (n - k) * std::log1p((s.good - s.limit) / (1 - s.good));
        if (weight <= std::log(s.risk_pass / (1 - s.risk_fail))) return Course::better;
        // Between good and limit the test may call it worse; the ratio must say so too.
        if (weight >= std::log((1 - s.risk_pass) / s.risk_fail) && above) return Course::worse;
        return Course::undecided;
    }
    if (s.kind == Stopping::Kind::bounds) {
        const double looks = static_cast<double>(std::max<std::uint64_t>(1, s.looks));
        if (!above && proportion_upper_bound(events, trials, 1 - s.risk_pass / looks) <= s.limit)
            return Course::better;
        if (above && proportion_lower_bound(events, trials, 1 - s.risk_fail / looks) > s.limit)
            return Course::worse;
    }
    return Course::undecided;
}

std::string text_of(const Stopping& s) {
    const auto percent = [](double ratio) { return fmt::format("{:.4g} %", 100 * ratio); };
    std::string out = name(s.kind);
    if (s.kind == Stopping::Kind::count || s.kind == Stopping::Kind::time) return out;
    out += ", limit " + percent(s.limit);
    if (s.kind == Stopping::Kind::sequential) out += ", good " + percent(s.good);
    return out + ", risks " + percent(s.risk_pass) + " and " + percent(s.risk_fail);
}

}  // namespace rt
