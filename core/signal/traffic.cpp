#include "core/signal/traffic.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"

namespace rt {

const char* name(TrafficWay way) {
    return way == TrafficWay::forward ? "forward" : way == TrafficWay::backward ? "backward" : "both";
}

double TrafficFlow::sent_bps() const {
    return seconds > 0 ? 8 * static_cast<double>(octets) * static_cast<double>(sent) / seconds : 0;
}

double TrafficFlow::received_bps() const {
    return seconds > 0 ? 8 * static_cast<double>(octets) * static_cast<double>(received) / seconds : 0;
}

double TrafficFlow::step_s() const {
    return steps.size() > 1 ? steps[1].at_s - steps[0].at_s : seconds;
}

double TrafficFlow::longest_gap_s() const {
    std::size_t longest = 0, now = 0;
    for (const auto& step : steps) {
        now = step.received == 0 && step.sent > 0 ? now + 1 : 0;
        longest = std::max(longest, now);
    }
    return static_cast<double>(longest) * step_s();
}

void require_valid(const Traffic& traffic, const std::string& place) {
    for (const auto& flow : traffic.flows) {
        if (flow.received > flow.sent)
            fail_input(place, fmt::format("{} frames received of {} sent {}: more than were sent",
                                          flow.received, flow.sent, flow.way));
        if (flow.octets == 0) fail_input(place, "frames " + flow.way + " have no length");
        if (!(flow.seconds > 0) || !std::isfinite(flow.seconds))
            fail_input(place, "the traffic " + flow.way + " took no time");
        for (std::size_t i = 1; i < flow.steps.size(); ++i) {
            const double apart = flow.steps[i].at_s - flow.steps[i - 1].at_s;
            if (std::abs(apart - flow.step_s()) > 1e-6 * flow.step_s())
                fail_input(place, "the steps " + flow.way + " are not of even length");
        }
    }
}

}  // namespace rt
