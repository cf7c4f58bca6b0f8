// What a link counter has counted.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "core/stats/stopping.hpp"

namespace rt {

// What a link counter has to be asked for.
struct CountSetup {
    std::uint64_t packets = 0;      // at most, where counting may end early
    double seconds_per_packet = 0;  // for estimates of time
    Stopping stopping{};
    std::uint64_t at_once = 0;  // packets between two decisions; 0: all
    double seconds = 0;         // how long (Stopping::Kind::time)
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
    std::uint64_t planned = 0;              // packets that would have been sent at most; 0: those sent
    std::optional<double> seconds{};        // how long it took
    Stopping stopping{};                    // what was allowed to end it
    std::string method{};                   // what it was counted by, "scan requests"; "" where nobody says

    // Packets sent, or bits where no packets are counted: what `planned` speaks of.
    std::uint64_t counted() const { return packets_sent > 0 ? packets_sent : bits; }
};

// Throws Error(input) for more received than sent or more errors than bits.
void require_valid(const Counts& counts, const std::string& place);

// Any counts can have been counted.
inline std::string implausible(const Counts&) {
    return {};
}

}  // namespace rt
