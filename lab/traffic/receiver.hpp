// The receiving end of traffic.
#pragma once

#include <cstdint>
#include <memory>
#include <string>

#include "core/signal/traffic.hpp"
#include "lab/traffic/frame.hpp"

namespace rt::lab {

// Listens, in a thread of its own, and counts.
class FrameReceiver {
  public:
    // Listens at this address or interface. `port` 0 takes a free one.
    FrameReceiver(const std::string& where, std::uint32_t flow, std::uint64_t octets, std::uint64_t frames,
                  double step_s, ClockOffset clock = {}, unsigned short port = 0);
    ~FrameReceiver();

    std::string host() const;
    unsigned short port() const;
    std::uint64_t received() const;
    // Waits until so many have come, but no longer than this, and stops listening.
    void finish(std::uint64_t wanted, double patience_s);
    void fill(TrafficFlow& flow, std::int64_t begun_ns, bool same_clock) const;

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rt::lab
