#include <fmt/core.h>

#include <chrono>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/formats/traffic_csv.hpp"
#include "lab/session/session.hpp"
#include "lab/traffic/ends.hpp"

namespace rt::lab {
namespace {

using std::chrono::milliseconds;

constexpr std::string_view scheme = "agent:";
constexpr milliseconds patience(5000);

// Lines to an agent and back.
class Agent {
  public:
    explicit Agent(const std::string& where)
        : session_(open_session(parse_address("tcp://" + where.substr(scheme.size())), patience)) {
        const auto colon = where.rfind(':');
        host_ = where.substr(scheme.size(), colon - scheme.size());
    }
    const std::string& host() const { return host_; }

    std::string ask(const std::string& question, milliseconds longest = patience) {
        session_->write(question + "\n");
        if (!session_->answers(longest)) {
            session_->write("SYSTem:ERRor?\n");
            fail_bench("the agent at " + session_->peer() + " does not answer " + in_quotes(question) + ": " +
                       std::string(trim(session_->read_until('\n', patience))));
        }
        return std::string(trim(session_->read_until('\n', longest)));
    }
    // A block with a table of traffic.
    TrafficFlow ask_flow(const std::string& question, milliseconds longest) {
        session_->write(question + "\n");
        const std::string head = session_->read_exactly(2, longest);
        const auto digits = head[0] == '#' && head[1] > '0' && head[1] <= '9' ? head[1] - '0' : 0;
        const auto length =
            digits ? to_double(session_->read_exactly(static_cast<std::size_t>(digits), patience))
                   : std::nullopt;
        if (!length || !(*length >= 0 && *length < 1e8))
            fail_bench("the agent at " + session_->peer() + " answers " + in_quotes(question) +
                       " by no block");
        const std::string text = session_->read_exactly(static_cast<std::size_t>(*length), patience);
        session_->read_until('\n', patience);
        const Traffic traffic = parse_traffic_csv(text, "the answer of the agent at " + session_->peer());
        if (traffic.distrust) fail_bench("the agent at " + session_->peer() + ": " + *traffic.distrust);
        return traffic.flows.front();
    }

  private:
    std::unique_ptr<Session> session_;
    std::string host_;
};

std::string text_of(const FlowPlan& plan) {
    return fmt::format("{},{},{},{},{},{},{},{}", plan.flow, plan.octets, plan.frames, exact(plan.rate_bps),
                       exact(plan.step_s), plan.clock.known ? 1 : 0, plan.clock.ns, plan.clock.within_ns);
}

class ReceivingThere : public ReceivingEnd {
  public:
    ReceivingThere(const std::string& where, const FlowPlan& plan) : agent_(where) {
        const auto port = to_double(agent_.ask("RECeive:BEGin? " + text_of(plan)));
        if (!port || *port < 1 || *port > 65535) fail_bench("the agent names no port to send to");
        place_ = end_address(agent_.host()).at_port(static_cast<unsigned short>(*port));
    }
    EndAddress place() const override { return place_; }
    std::uint64_t received() const override { return 0; }  // not asked for while it runs
    void finish(TrafficFlow& flow, std::int64_t) override {
        const TrafficFlow came =
            agent_.ask_flow("RECeive:END? " + std::to_string(flow.sent), patience + milliseconds(2000));
        flow.received = came.received, flow.duplicates = came.duplicates, flow.reordered = came.reordered;
        flow.damaged = came.damaged, flow.tool_lost = came.tool_lost, flow.latency = came.latency;
        for (std::size_t i = 0; i < std::min(flow.steps.size(), came.steps.size()); ++i)
            flow.steps[i].received = came.steps[i].received;
    }

  private:
    Agent agent_;
    EndAddress place_;
};

class SendingThere : public SendingEnd {
  public:
    SendingThere(const std::string& where, const EndAddress& to, const FlowPlan& plan)
        : agent_(where),
          seconds_(8 * static_cast<double>(plan.octets) * static_cast<double>(plan.frames) / plan.rate_bps) {
        agent_.ask(fmt::format("SEND:BEGin? \"{}\",{},{}", to.host(), to.port(), text_of(plan)));
    }
    bool done() const override { return stopped_ || watch_.seconds() > seconds_; }
    void stop() override { stopped_ = true; }
    std::uint64_t sent() const override { return 0; }
    std::int64_t finish(TrafficFlow& flow) override {
        const TrafficFlow went =
            agent_.ask_flow(stopped_ ? "SEND:STOP?" : "SEND:END?",
                            patience + milliseconds(static_cast<long>(2000 * seconds_ + 2000)));
        flow.sent = went.sent, flow.seconds = went.seconds, flow.steps = went.steps;
        return 0;
    }

  private:
    Agent agent_;
    double seconds_;
    Stopwatch watch_;
    bool stopped_ = false;
};

}  // namespace

bool is_agent(const std::string& where) {
    return where.starts_with(scheme);
}

ClockOffset compare_clocks(const std::string& agent) {
    Agent there(agent);
    ClockOffset out{false, 0, 0};
    constexpr int exchanges = 24;
    for (int i = 0; i < exchanges; ++i) {
        const std::int64_t sent = realtime_ns();
        const std::string answer = there.ask("CLOCk?");
        const std::int64_t back = realtime_ns();
        const auto theirs = to_double(answer);
        if (!theirs) fail_bench("the agent at " + agent + " tells no time: " + in_quotes(answer));
        const std::int64_t within = (back - sent + 1) / 2;
        if (out.known && within >= out.within_ns) continue;
        out = {true, static_cast<std::int64_t>(std::stoll(answer)) - (sent + (back - sent) / 2), within};
    }
    return out;
}

std::unique_ptr<ReceivingEnd> receive_there(const std::string& agent, const FlowPlan& plan) {
    return std::make_unique<ReceivingThere>(agent, plan);
}

std::unique_ptr<SendingEnd> send_there(const std::string& agent, const EndAddress& to, const FlowPlan& plan) {
    return std::make_unique<SendingThere>(agent, to, plan);
}

}  // namespace rt::lab
