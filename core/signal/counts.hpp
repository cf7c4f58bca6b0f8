// What a link counter has counted.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

namespace rt {

struct Counts {
    std::uint64_t packets_sent = 0;
    std::uint64_t packets_received = 0;  // intact
    std::uint64_t bits = 0;              // compared
    std::uint64_t bit_errors = 0;
    std::optional<std::string> trouble;  // why they cannot be trusted, if they cannot
};

// Throws Error(input) for more received than sent or more errors than bits.
void require_valid(const Counts& counts, const std::string& place);

}  // namespace rt
