#include "core/measure/bus/source.hpp"

#include <cstdio>

#include "core/base/error.hpp"
#include "core/serial/levels.hpp"

namespace rt {

BusThresholds bus_thresholds(const Signal& clock, const Parameters& p) {
    const auto given = p.number("supply");
    const double supply = given ? *given : levels_of(level_histogram(*clock.samples)).high;
    if (!(supply > 0))
        fail_signal("the high level of the clock is " + format({supply, Unit::volt}) + ": give supply");
    const double low = p.required("lower_threshold"), high = p.required("upper_threshold");
    if (!(low > 0 && high >= low && high < 100))
        fail_input("parameters lower_threshold and upper_threshold: above 0 %, below 100 %, the lower first");
    return {supply, {supply * low / 100, supply * high / 100}};
}

void require_levels(const Signal& signal, const Line& line, const char* title) {
    if (line.edges.size() < 2 ||
        stand_apart(level_histogram(*signal.samples), line.low_level, line.high_level))
        return;
    fail_signal(std::string(title) + " has no two levels that stand apart between " +
                format({line.lowest, Unit::volt}) + " and " + format({line.highest, Unit::volt}) +
                ": noise, or no bus line");
}

std::string hex_word(std::uint64_t value, int bits) {
    char text[24];
    std::snprintf(text, sizeof text, "0x%0*llX", (bits + 3) / 4, static_cast<unsigned long long>(value));
    return text;
}

}  // namespace rt
