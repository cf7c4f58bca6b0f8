// Numbered, time-stamped frames sent through a unit: what came of them, each way.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace rt {

enum class TrafficWay { forward, backward, both };
const char* name(TrafficWay way);

// What a traffic instrument has to be asked for.
struct TrafficSetup {
    double rate_bps = 1e6;        // offered each way, bits of the frames' payload a second
    std::uint64_t octets = 1400;  // payload of a frame
    double seconds = 1;
    TrafficWay way = TrafficWay::forward;
};

// One way. Payload bits are counted; headers are not.
struct TrafficFlow {
    std::string way;  // "forward", "backward"
    std::uint64_t octets = 0;
    double offered_bps = 0;  // asked for
    double seconds = 0;      // from the first frame sent to the last
    std::uint64_t sent = 0;
    std::uint64_t received = 0;  // each once
    std::uint64_t duplicates = 0;
    std::uint64_t reordered = 0;  // came behind one that was sent later
    std::uint64_t damaged = 0;    // came with another content or length
    std::uint64_t tool_lost = 0;  // dropped for want of room at the receiving end of the tool
    // From sending to receiving, where both ends have the same clock, or clocks that were compared.
    struct Latency {
        double least_s = 0, half_s = 0, most_90_s = 0, most_99_s = 0, most_999_s = 0, greatest_s = 0;
        double jitter_s = 0;     // mean deviation of neighbours, RFC 3550, 6.4.1
        double uncertain_s = 0;  // of all but the jitter, where the clocks of both ends had to be compared
    };
    std::optional<Latency> latency;
    struct Step {
        double at_s = 0;  // its beginning
        std::uint64_t sent = 0, received = 0;
    };
    std::vector<Step> steps;  // of even length, by when frames were sent and came

    double sent_bps() const;
    double received_bps() const;
    double step_s() const;         // length of a step
    double longest_gap_s() const;  // longest time without a frame received, in whole steps
};

struct Traffic {
    using Setup = TrafficSetup;
    static constexpr const char* kind = "traffic";
    static constexpr const char* needed =
        "counts of traffic";  // what a procedure says that takes nothing else

    std::vector<TrafficFlow> flows;
    std::optional<std::string> distrust{};  // why it cannot be trusted, if it cannot
};

// Throws Error(input) for more received than sent, steps that are not even or times that are none.
void require_valid(const Traffic& traffic, const std::string& place);

// Any counts can have been counted.
inline std::string implausible(const Traffic&) {
    return {};
}

}  // namespace rt
