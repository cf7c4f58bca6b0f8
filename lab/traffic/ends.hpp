// Both ends of one flow of traffic, wherever they are.
#pragma once

#include <memory>
#include <string>

#include "core/signal/traffic.hpp"
#include "lab/traffic/frame.hpp"
#include "lab/traffic/sender.hpp"

namespace rt::lab {

// What both ends of a flow agree on.
struct FlowPlan {
    std::uint32_t flow = 0;
    std::uint64_t octets = 0, frames = 0;
    double rate_bps = 0, step_s = 0;
    ClockOffset clock = {};
};

class ReceivingEnd {
  public:
    virtual ~ReceivingEnd() = default;
    virtual EndAddress place() const = 0;  // where frames are to be sent
    virtual std::uint64_t received() const = 0;
    // Waits until all of these have come, but no longer than a second, and fills in what came; `begun_ns` is
    // when the first was sent, 0 when that was another clock's.
    virtual void finish(TrafficFlow& flow, std::int64_t begun_ns) = 0;
};

class SendingEnd {
  public:
    virtual ~SendingEnd() = default;
    virtual bool done() const = 0;
    virtual void stop() = 0;
    virtual std::uint64_t sent() const = 0;
    // Fills in what was sent when; gives when the first was, 0 for another clock. Throws what sending met.
    virtual std::int64_t finish(TrafficFlow& flow) = 0;
};

// An end here: an address or an interface.
std::unique_ptr<ReceivingEnd> receive_here(const std::string& where, const FlowPlan& plan);
// `where` may be empty: whatever leads there.
std::unique_ptr<SendingEnd> send_here(const std::string& where, const EndAddress& to, const FlowPlan& plan);

// An end of an agent on another machine: "agent:HOST:PORT". Throws Error(bench) where nobody answers.
bool is_agent(const std::string& where);
// What the agent's clock is ahead of the one here by. It is asked again and again; the quickest exchange
// tells most.
ClockOffset compare_clocks(const std::string& agent);
std::unique_ptr<ReceivingEnd> receive_there(const std::string& agent, const FlowPlan& plan);
std::unique_ptr<SendingEnd> send_there(const std::string& agent, const EndAddress& to, const FlowPlan& plan);

// Steps of a flow of this plan, none counted yet.
std::vector<TrafficFlow::Step> empty_steps(const FlowPlan& plan);

}  // namespace rt::lab
