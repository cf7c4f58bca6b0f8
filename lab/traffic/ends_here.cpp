#include <cmath>
#include <exception>
#include <thread>

#include "core/base/error.hpp"
#include "lab/traffic/ends.hpp"
#include "lab/traffic/receiver.hpp"

namespace rt::lab {
namespace {

class ReceivingHere : public ReceivingEnd {
  public:
    ReceivingHere(const std::string& where, const FlowPlan& plan)
        : end_(end_address(where)),
          receiver_(where, plan.flow, plan.octets, plan.frames, plan.step_s, plan.clock) {}
    EndAddress place() const override { return end_.at_port(receiver_.port()); }
    std::uint64_t received() const override { return receiver_.received(); }
    void finish(TrafficFlow& flow, std::int64_t begun_ns) override {
        constexpr double patience_s = 1;
        receiver_.finish(flow.sent, patience_s);
        receiver_.fill(flow, begun_ns, begun_ns != 0);
    }

  private:
    EndAddress end_;
    FrameReceiver receiver_;
};

class SendingHere : public SendingEnd {
  public:
    SendingHere(const std::string& where, const EndAddress& to, const FlowPlan& plan)
        : plan_{where.empty() ? any_like(to) : end_address(where),
                to,
                plan.flow,
                plan.octets,
                plan.frames,
                plan.rate_bps,
                plan.step_s} {
        if (plan_.from.address.ss_family != to.address.ss_family)
            fail_input("traffic from " + where + " to " + to.host() +
                       ": both ends need the same kind of address");
        flow_.steps = empty_steps(plan);
        thread_ = std::thread([this] {
            try {
                begun_ns_ = send_frames(plan_, state_, flow_);
            } catch (...) {
                trouble_ = std::current_exception();
            }
            done_ = true;
        });
    }
    ~SendingHere() override {
        state_.stop = true;
        if (thread_.joinable()) thread_.join();
    }
    bool done() const override { return done_; }
    void stop() override { state_.stop = true; }
    std::uint64_t sent() const override { return state_.sent; }
    std::int64_t finish(TrafficFlow& flow) override {
        thread_.join();
        if (trouble_) std::rethrow_exception(trouble_);
        flow.sent = flow_.sent, flow.seconds = flow_.seconds, flow.steps = std::move(flow_.steps);
        return begun_ns_;
    }

  private:
    SendPlan plan_;
    SendState state_;
    TrafficFlow flow_;
    std::int64_t begun_ns_ = 0;
    std::exception_ptr trouble_;
    std::atomic<bool> done_ = false;
    std::thread thread_;
};

}  // namespace

std::vector<TrafficFlow::Step> empty_steps(const FlowPlan& plan) {
    const double seconds =
        8 * static_cast<double>(plan.octets) * static_cast<double>(plan.frames) / plan.rate_bps;
    std::vector<TrafficFlow::Step> out(
        static_cast<std::size_t>(std::max(1.0, std::ceil(seconds / plan.step_s - 1e-6))));
    for (std::size_t i = 0; i < out.size(); ++i)
        out[i].at_s = std::round(1e9 * plan.step_s * static_cast<double>(i)) / 1e9;
    return out;
}

std::unique_ptr<ReceivingEnd> receive_here(const std::string& where, const FlowPlan& plan) {
    return std::make_unique<ReceivingHere>(where, plan);
}

std::unique_ptr<SendingEnd> send_here(const std::string& where, const EndAddress& to, const FlowPlan& plan) {
    return std::make_unique<SendingHere>(where, to, plan);
}

}  // namespace rt::lab
