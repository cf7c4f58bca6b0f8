// Counts of traffic as a table: a row a step of time, the rest in remarks above.
#pragma once

#include <string>
#include <string_view>

#include "core/signal/traffic.hpp"

namespace rt::lab {

inline constexpr std::string_view traffic_heading = "way,time [s],sent,received";

// Before why no traffic could be passed, in place of a table.
inline constexpr std::string_view traffic_failed = "# failed: ";

std::string traffic_csv(const Traffic& traffic);

// Throws Error(input) with file and place.
Traffic parse_traffic_csv(std::string_view text, const std::string& file);

}  // namespace rt::lab
