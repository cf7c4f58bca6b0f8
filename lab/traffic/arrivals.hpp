// What becomes of the frames of one flow as they arrive: each counted once, repeated and late ones told.
#pragma once

#include <cstdint>
#include <vector>

#include "core/signal/traffic.hpp"
#include "lab/traffic/frame.hpp"

namespace rt::lab {

class Arrivals {
  public:
    // Of so many frames of this length, in steps of so many seconds, on a clock that is ahead of the
    // sender's.
    Arrivals(std::uint32_t flow, std::uint64_t octets, std::uint64_t frames, double step_s,
             ClockOffset clock = {});

    // A payload that arrived then (CLOCK_REALTIME); its first octets will do, `length` says how long it was.
    void take(std::span<const std::byte> payload, std::size_t length, std::int64_t at_ns);
    std::uint64_t received() const { return received_; }

    // Fills in what arrived. `begun_ns` is when the first frame was sent, where that was this clock's. As
    // many steps as the flow has already, or more where frames came later.
    void fill(TrafficFlow& flow, std::int64_t begun_ns, bool same_clock) const;

  private:
    std::uint32_t flow_;
    std::uint64_t octets_;
    double step_s_;
    ClockOffset clock_;
    std::vector<bool> seen_;
    std::uint64_t received_ = 0, duplicates_ = 0, reordered_ = 0, damaged_ = 0, next_ = 0;
    // By time since the first arrival; what the beginning was is known at the end only.
    std::int64_t first_ns_ = 0;
    std::vector<std::uint64_t> by_millisecond_;
    // Latencies by 2 % of their size, from 100 ns.
    std::vector<std::uint64_t> by_latency_;
    std::int64_t least_ns_ = 0, greatest_ns_ = 0, last_transit_ns_ = 0;
    double jitter_ns_ = 0;
    bool any_latency_ = false, backward_clock_ = false;
};

}  // namespace rt::lab
