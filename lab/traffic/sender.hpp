// The sending end of traffic.
#pragma once

#include <atomic>
#include <cstdint>
#include <string>

#include "core/signal/traffic.hpp"
#include "lab/traffic/sockets.hpp"

namespace rt::lab {

struct SendPlan {
    EndAddress from, to;  // with the port of the receiving end
    std::uint32_t flow = 0;
    std::uint64_t octets = 0, frames = 0;
    double rate_bps = 0;  // payload
    double step_s = 0;
};

struct SendState {
    std::atomic<std::uint64_t> sent = 0;
    std::atomic<bool> stop = false;
};

// Sends the frames, evenly, and says in the flow what was sent when; gives when the first was
// (CLOCK_REALTIME). Throws Error(input) for frames that do not fit, Error(bench) for other trouble.
std::int64_t send_frames(const SendPlan& plan, SendState& state, TrafficFlow& flow);

// CLOCK_REALTIME now.
std::int64_t realtime_ns();

}  // namespace rt::lab
