#include "lab/traffic/arrivals.hpp"

#include <algorithm>
#include <cmath>
#include <cstdlib>

namespace rt::lab {
namespace {

constexpr double least_bin_ns = 100, ratio = 1.02;

std::size_t bin_of(std::int64_t ns) {
    if (static_cast<double>(ns) <= least_bin_ns) return 0;
    return static_cast<std::size_t>(std::log(static_cast<double>(ns) / least_bin_ns) / std::log(ratio)) + 1;
}

}  // namespace

Arrivals::Arrivals(std::uint32_t flow, std::uint64_t octets, std::uint64_t frames, double step_s,
                   ClockOffset clock)
    : flow_(flow), octets_(octets), step_s_(step_s), clock_(clock), seen_(frames, false) {}

void Arrivals::take(std::span<const std::byte> payload, std::size_t length, std::int64_t at_ns) {
    const auto head = read_head(payload);
    if (!head || head->flow != flow_) return;  // a stranger's, or of an earlier traffic
    if (head->length != length || length != octets_ || head->sequence >= seen_.size()) {
        ++damaged_;
        return;
    }
    if (seen_[head->sequence]) {
        ++duplicates_;
        return;
    }
    seen_[head->sequence] = true;
    if (head->sequence < next_) ++reordered_;
    next_ = std::max(next_, head->sequence + 1);
    if (received_++ == 0) first_ns_ = at_ns;
    const auto since = static_cast<std::size_t>(std::max<std::int64_t>(0, at_ns - first_ns_) / 1000000);
    if (since < 100000000) {  // a day and more: the clock was set
        if (since >= by_millisecond_.size()) by_millisecond_.resize(since + 1);
        ++by_millisecond_[since];
    }
    std::int64_t transit = at_ns - head->sent_ns - clock_.ns;
    if (transit < 0) {
        // Quicker than two clocks can be told apart, or a clock that was set.
        if (-transit > 2 * clock_.within_ns) {
            backward_clock_ = true;
            return;
        }
        transit = 0;
    }
    const std::size_t bin = bin_of(transit);
    if (bin >= by_latency_.size()) by_latency_.resize(bin + 1);
    ++by_latency_[bin];
    if (any_latency_)
        jitter_ns_ += (static_cast<double>(std::llabs(transit - last_transit_ns_)) - jitter_ns_) / 16;
    least_ns_ = any_latency_ ? std::min(least_ns_, transit) : transit;
    greatest_ns_ = std::max(greatest_ns_, transit);
    last_transit_ns_ = transit, any_latency_ = true;
}

void Arrivals::fill(TrafficFlow& flow, std::int64_t begun_ns, bool same_clock) const {
    flow.received = received_, flow.duplicates = duplicates_, flow.reordered = reordered_;
    flow.damaged = damaged_;
    // On another clock the first arrival is taken as the beginning.
    const double first_s = same_clock && received_ > 0 ? 1e-9 * static_cast<double>(first_ns_ - begun_ns) : 0;
    for (std::size_t ms = 0; ms < by_millisecond_.size(); ++ms) {
        if (by_millisecond_[ms] == 0 || flow.steps.empty()) continue;
        const double at = first_s + 1e-3 * static_cast<double>(ms);
        const auto step = static_cast<std::size_t>(std::max(0.0, at) / step_s_);
        flow.steps[std::min(step, flow.steps.size() - 1)].received += by_millisecond_[ms];
    }
    if (!clock_.known || !any_latency_ || backward_clock_) return;
    std::uint64_t all = 0;
    for (const auto count : by_latency_) all += count;
    const auto quantile = [&](double share) {
        const double wanted = share * static_cast<double>(all);
        double seen = 0;
        for (std::size_t bin = 0; bin < by_latency_.size(); ++bin) {
            seen += static_cast<double>(by_latency_[bin]);
            if (seen >= wanted)
                return 1e-9 * std::clamp(least_bin_ns * std::pow(ratio, static_cast<double>(bin)),
                                         static_cast<double>(least_ns_), static_cast<double>(greatest_ns_));
        }
        return 1e-9 * static_cast<double>(greatest_ns_);
    };
    TrafficFlow::Latency latency;
    latency.least_s = 1e-9 * static_cast<double>(least_ns_);
    latency.half_s = quantile(0.5), latency.most_90_s = quantile(0.9), latency.most_99_s = quantile(0.99);
    latency.most_999_s = quantile(0.999), latency.greatest_s = 1e-9 * static_cast<double>(greatest_ns_);
    latency.jitter_s = 1e-9 * jitter_ns_;
    latency.uncertain_s = 1e-9 * static_cast<double>(clock_.within_ns);
    flow.latency = latency;
}

}  // namespace rt::lab
