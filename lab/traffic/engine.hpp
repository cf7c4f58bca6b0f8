// Sends frames of UDP from one end to another and counts what arrives.
#pragma once

#include <atomic>
#include <cstdint>
#include <functional>
#include <string>

#include "core/signal/traffic.hpp"

namespace rt::lab {

struct TrafficEnds {
    std::string from = "127.0.0.1";
    // Each an address or an interface of this machine ("10.0.0.5", "eth1"), or an agent on another one
    // ("agent:HOST:PORT"), whose end is there.
    std::string to = "127.0.0.1";
};

struct TrafficProgress {
    double seconds = 0;  // since it began
    std::uint64_t sent = 0, received = 0;
};

// "forward  1200 sent  1198 received  2 on the way or lost": what an end tells while it goes on.
std::string text_of(const std::string& way, const TrafficProgress& progress);

struct TrafficWatch {
    // Called about once a second, from another thread than run_traffic()'s.
    std::function<void(const std::string& way, const TrafficProgress&)> on_progress;
    std::atomic<bool> stop = false;  // ends it early, with what came until then
};

// Throws Error(input) for an end that is not there and frames that do not fit, Error(bench) where frames
// cannot be sent or an agent does not answer. Frames are paced evenly, in groups of what has become due
// within a tenth of a millisecond; where the machine cannot keep up, sent_bps() says what it reached.
Traffic run_traffic(const TrafficEnds& ends, const TrafficSetup& setup, TrafficWatch* watch = nullptr);

// How many frames make up the setup's traffic one way, and the length of a step.
std::uint64_t frames_of(const TrafficSetup& setup);
double step_of(const TrafficSetup& setup);

}  // namespace rt::lab
