// What procedures on buses share: thresholds that count from the supply.
#pragma once

#include <string>

#include "core/bus/line.hpp"
#include "core/measure/wave_source.hpp"

namespace rt {

inline constexpr ParameterInfo lower_threshold_parameter{
    "lower_threshold", ParameterKind::quantity, Unit::percent, "30 %", "of the supply: low is below"};
inline constexpr ParameterInfo upper_threshold_parameter{
    "upper_threshold", ParameterKind::quantity, Unit::percent, "70 %", "of the supply: high is above"};

inline constexpr auto bus_rows = joined(std::array{lower_threshold_parameter, upper_threshold_parameter,
                                                   probe_ratio_parameter, from_parameter, to_parameter},
                                        record_rows);

struct BusThresholds {
    double supply_v = 0;
    LineThresholds line;
};

// From the parameter supply, or the high level of the clock without it. Throws Error(input) for thresholds
// that are not ascending parts, Error(signal) for a supply that is not above 0 V.
BusThresholds bus_thresholds(const Signal& clock, const Parameters& parameters);

// Throws Error(signal) unless the line has two levels that stand apart: noise passes thresholds as well.
void require_levels(const Signal& signal, const Line& line, const char* title);

// "0x3C": so many digits as the bits need.
std::string hex_word(std::uint64_t value, int bits);

}  // namespace rt
