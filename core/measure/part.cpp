#include "core/measure/part.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"

namespace rt {

RecordPart part_named(const Parameters& p, std::uint64_t size, double step_s, std::uint64_t fewest,
                      const char* what) {
    const double from = p.number("from").value_or(0), end = static_cast<double>(size) * step_s;
    const double to = p.number("to").value_or(end);
    if (from < 0 || to > end * (1 + 1e-9) || !(to > from)) {
        fail_input("parameters from and to: " + format({from, Unit::second}) + " to " +
                   format({to, Unit::second}) + " is no part of the record of " +
                   format({end, Unit::second}));
    }
    const auto first = static_cast<std::uint64_t>(std::ceil(from / step_s - 1e-6));
    const auto last = std::min(size, static_cast<std::uint64_t>(std::floor(to / step_s + 1e-6)));
    if (last < first + fewest) {
        fail_input(fmt::format("{} has {} samples, at least {} are needed", what,
                               last > first ? last - first : 0, fewest));
    }
    return {first, last};
}

}  // namespace rt
