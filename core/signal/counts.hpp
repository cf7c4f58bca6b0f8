// What a link counter has counted.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

namespace rt {

// What a link counter has to be asked for.
struct CountSetup {
    std::uint64_t packets = 0;
    double seconds_per_packet = 0;  // for estimates of time
};

struct Counts {
    using Setup = CountSetup;
    static constexpr const char* kind = "counts";
    static constexpr const char* needed = "counts";  // what a procedure says that takes nothing else

    std::uint64_t packets_sent = 0;
    std::uint64_t packets_received = 0;  // intact
    std::uint64_t bits = 0;              // compared
    std::uint64_t bit_errors = 0;
    std::optional<std::string> distrust{};  // why it cannot be trusted, if it cannot
};

// Throws Error(input) for more received than sent or more errors than bits.
void require_valid(const Counts& counts, const std::string& place);

// Any counts can have been counted.
inline std::string implausible(const Counts&) {
    return {};
}

}  // namespace rt
