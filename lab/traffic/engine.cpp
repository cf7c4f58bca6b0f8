#include "lab/traffic/engine.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <memory>
#include <vector>

#include "core/base/error.hpp"
#include "lab/clock.hpp"
#include "lab/traffic/ends.hpp"
#include "lab/traffic/frame.hpp"

namespace rt::lab {
namespace {

// One way, while it runs.
class Flow {
  public:
    Flow(const std::string& from, const std::string& to, const TrafficSetup& setup, std::string way) {
        // The number tells this traffic from one that ended before it.
        FlowPlan plan{static_cast<std::uint32_t>(realtime_ns() / 1000) | 1, setup.octets, frames_of(setup),
                      setup.rate_bps, step_of(setup)};
        if (is_agent(from) && is_agent(to))
            fail_input("one end of the traffic must be here: " + from + " and " + to + " are agents");
        if (is_agent(to)) agent_ = to;
        if (is_agent(from)) agent_ = from;
        if (!agent_.empty()) {
            plan.clock = compare_clocks(agent_);
            if (is_agent(from)) plan.clock.ns = -plan.clock.ns;
            ahead_ = plan.clock.ns;
            from_there_ = is_agent(from);
        }
        flow_.way = std::move(way), flow_.octets = setup.octets, flow_.offered_bps = setup.rate_bps;
        receiver_ = is_agent(to) ? receive_there(to, plan) : receive_here(to, plan);
        sender_ = is_agent(from) ? send_there(from, receiver_->place(), plan)
                                 : send_here(from, receiver_->place(), plan);
        same_clock_ = !is_agent(from) && !is_agent(to);
    }

    bool done() const { return sender_->done(); }
    void stop() { sender_->stop(); }
    const std::string& way() const { return flow_.way; }
    TrafficProgress progress(double seconds) const {
        return {seconds, sender_->sent(), receiver_->received()};
    }

    TrafficFlow finish() {
        const std::int64_t begun_ns = sender_->finish(flow_);
        receiver_->finish(flow_, same_clock_ ? begun_ns : 0);
        if (flow_.latency && !agent_.empty()) {
            // What one clock has gained on the other meanwhile is not known any better.
            const ClockOffset now = compare_clocks(agent_);
            const std::int64_t gained = (from_there_ ? -now.ns : now.ns) - ahead_;
            flow_.latency->uncertain_s += 1e-9 * static_cast<double>(std::llabs(gained));
        }
        while (flow_.steps.size() > 1 && flow_.steps.back().sent == 0 && flow_.steps.back().received == 0)
            flow_.steps.pop_back();
        return std::move(flow_);
    }

  private:
    TrafficFlow flow_;
    std::unique_ptr<ReceivingEnd> receiver_;
    std::unique_ptr<SendingEnd> sender_;
    bool same_clock_ = true, from_there_ = false;
    std::string agent_;       // of the end that is elsewhere
    std::int64_t ahead_ = 0;  // the receiver's clock, when it began
};

void require_setup(const TrafficSetup& setup) {
    if (setup.octets < FrameHead::octets || setup.octets > 65507)
        fail_input(fmt::format("frames carry {} to 65507 octets, not {}", FrameHead::octets, setup.octets));
    if (!(setup.rate_bps > 0) || !(setup.seconds > 0)) fail_input("traffic needs a rate and a time above 0");
    constexpr double most_frames = 1e9;
    if (setup.rate_bps * setup.seconds / (8 * static_cast<double>(setup.octets)) > most_frames)
        fail_input("more than a thousand million frames in one go: shorten the time");
}

}  // namespace

std::string text_of(const std::string& way, const TrafficProgress& p) {
    // An agent tells its part at the end only.
    std::string line = way;
    if (p.sent > 0) line += fmt::format("  {} sent", p.sent);
    if (p.received > 0) line += fmt::format("  {} received", p.received);
    if (p.received > 0 && p.sent > p.received)
        line += fmt::format("  {} on the way or lost", p.sent - p.received);
    return line;
}

std::uint64_t frames_of(const TrafficSetup& setup) {
    const double frames = setup.rate_bps * setup.seconds / (8 * static_cast<double>(setup.octets));
    return std::max<std::uint64_t>(1, static_cast<std::uint64_t>(std::llround(frames)));
}

double step_of(const TrafficSetup& setup) {
    return std::max(0.1, setup.seconds / 200);
}

Traffic run_traffic(const TrafficEnds& ends, const TrafficSetup& setup, TrafficWatch* watch) {
    require_setup(setup);
    std::vector<std::unique_ptr<Flow>> flows;
    if (setup.way != TrafficWay::backward)
        flows.push_back(std::make_unique<Flow>(ends.from, ends.to, setup, "forward"));
    if (setup.way != TrafficWay::forward)
        flows.push_back(std::make_unique<Flow>(ends.to, ends.from, setup, "backward"));
    const Stopwatch time;
    double told = 0;
    while (!std::all_of(flows.begin(), flows.end(), [](const auto& flow) { return flow->done(); })) {
        clock().sleep(0.01);
        if (!watch) continue;
        if (watch->stop)
            for (auto& flow : flows) flow->stop();
        if (time.seconds() < told + 1 || !watch->on_progress) continue;
        told = time.seconds();
        for (const auto& flow : flows) watch->on_progress(flow->way(), flow->progress(told));
    }
    Traffic out;
    for (auto& flow : flows) out.flows.push_back(flow->finish());
    for (const auto& flow : out.flows) {
        if (flow.tool_lost > 0 && !out.distrust)
            out.distrust = fmt::format("the tool itself lost {} frames {}: it cannot take so many here",
                                       flow.tool_lost, flow.way);
    }
    return out;
}

}  // namespace rt::lab
