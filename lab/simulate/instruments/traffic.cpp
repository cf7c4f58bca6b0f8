#include "lab/simulate/instruments/traffic.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/bench/numbers.hpp"
#include "lab/formats/traffic_csv.hpp"
#include "lab/now.hpp"
#include "lab/simulate/random.hpp"
#include "lab/traffic/engine.hpp"

namespace rt::lab {
namespace {

std::string as_string(const std::string& text) {
    return "\"" + text + "\"";
}

std::string traffic_block(const Traffic& traffic) {
    return block_of(traffic_csv(traffic));
}

const std::vector<std::string> ways{"FORWard", "BACKward", "BOTH"};

}  // namespace

void TrafficInstrument::forget() {
    from_ = to_ = "127.0.0.1";
    setup_ = TrafficSetup{};
    passed_.reset();
}

void TrafficInstrument::add_to(ScpiTree& tree) {
    const auto end = [this, &tree](const char* pattern, std::string& value) {
        tree.on(
            pattern,
            [this, &value](const ScpiArguments& a) {
                std::string wanted = unquoted(only_argument(a));
                try {
                    require_end(wanted);
                } catch (const Error& error) {
                    std::string why = error.message();
                    std::replace(why.begin(), why.end(), '"', '\'');
                    throw ScpiError{-224, "Illegal parameter value;" + why};
                }
                value = std::move(wanted);
            },
            [&value](const auto&) { return as_string(value); });
    };
    end("TRAFfic:FROM", from_);
    end("TRAFfic:TO", to_);
    const auto number = [&tree](const char* pattern, double& value, ScpiRange range) {
        tree.on(
            pattern,
            [&value, range](const ScpiArguments& a) {
                value = scpi_number(only_argument(a), ScpiUnit::plain, range);
            },
            [&value](const auto&) { return exact(value); });
    };
    number("TRAFfic:RATE", setup_.rate_bps, {1, 1e11, 1e6});
    number("TRAFfic:TIME", setup_.seconds, {1e-3, 1e6, 1});
    tree.on(
        "TRAFfic:LENGth",
        [this](const ScpiArguments& a) {
            setup_.octets =
                static_cast<std::uint64_t>(scpi_number(only_argument(a), ScpiUnit::plain, {32, 65507, 1400}));
        },
        [this](const auto&) { return std::to_string(setup_.octets); });
    tree.on(
        "TRAFfic:WAY",
        [this](const ScpiArguments& a) {
            setup_.way = static_cast<TrafficWay>(scpi_word(only_argument(a), ways));
        },
        [this](const auto&) { return ways[static_cast<std::size_t>(setup_.way)].substr(0, 4); });
    // What goes wrong is told where the counts are asked for: "*OPC?" behind this must answer.
    tree.on_command("INITiate:[IMMediate]", [this](const auto&) {
        passed_.reset();
        failed_.clear();
        try {
            passed_ = pass();
        } catch (const Error& error) {
            failed_ = error.message();
        }
    });
    tree.on_query("FETCh:TRAFfic", [this](const auto&) {
        if (!failed_.empty()) return block_of(std::string(traffic_failed) + failed_ + "\n");
        if (!passed_) throw ScpiError{-230, "Data corrupt or stale"};
        return traffic_block(*passed_);
    });
}

TrafficAgent::TrafficAgent(std::string listen) : listen_(std::move(listen)) {
    add_common_commands(tree_, "Rare Tally,traffic,here,1.0", [this] { forget(); });
    add_to(tree_);
    tree_.on_query("CLOCk", [](const auto&) { return std::to_string(realtime_ns()); });
    // For a sender elsewhere: RECeive:BEGin? answers the port, RECeive:END? what came.
    tree_.on_query("RECeive:BEGin", [this](const ScpiArguments& a) {
        receiver_.reset();
        receiver_ = receive_here(listen_, plan_of(a, 0));
        return std::to_string(receiver_->place().port());
    });
    tree_.on_query("RECeive:END", [this](const ScpiArguments& a) {
        if (!receiver_) throw ScpiError{-230, "Data corrupt or stale"};
        TrafficFlow flow = told_;
        flow.sent = static_cast<std::uint64_t>(scpi_number(only_argument(a), ScpiUnit::plain, {0, 1e10, 0}));
        receiver_->finish(flow, 0);
        receiver_.reset();
        flow.sent = std::max(flow.sent, flow.received);
        return traffic_block({{std::move(flow)}, {}});
    });
    // For a receiver elsewhere.
    tree_.on_query("SEND:BEGin", [this](const ScpiArguments& a) {
        if (a.size() != 10) throw ScpiError{-109, "Missing parameter"};
        const FlowPlan plan = plan_of(a, 2);
        const double port = scpi_number(a[1], ScpiUnit::plain, {1, 65535, 1});
        sender_.reset();
        sender_ = send_here("", end_address(unquoted(a[0])).at_port(static_cast<unsigned short>(port)), plan);
        return std::string("1");
    });
    for (const bool stops : {false, true})
        tree_.on_query(stops ? "SEND:STOP" : "SEND:END", [this, stops](const auto&) {
            if (!sender_) throw ScpiError{-230, "Data corrupt or stale"};
            if (stops) sender_->stop();
            TrafficFlow flow = told_;
            Traffic out;
            try {
                sender_->finish(flow);
            } catch (const Error& error) {
                out.distrust = error.message();
                flow.seconds = 1;
            }
            sender_.reset();
            out.flows.push_back(std::move(flow));
            return traffic_block(out);
        });
}

// Flow, octets, frames, rate, step, clocks, from this argument on.
FlowPlan TrafficAgent::plan_of(const ScpiArguments& a, std::size_t first) {
    if (a.size() != first + 8) throw ScpiError{-109, "Missing parameter"};
    const auto number = [&](std::size_t i, double least, double most) {
        return scpi_number(a[first + i], ScpiUnit::plain, {least, most, least});
    };
    FlowPlan plan;
    plan.flow = static_cast<std::uint32_t>(number(0, 1, 4294967295.0));
    plan.octets = static_cast<std::uint64_t>(number(1, 32, 65507));
    plan.frames = static_cast<std::uint64_t>(number(2, 1, 1e9));
    plan.rate_bps = number(3, 1, 1e11), plan.step_s = number(4, 1e-3, 1e5);
    constexpr double years_ns = 9e15;  // a hundred days: what a number of a message holds exactly
    plan.clock.known = number(5, 0, 1) == 1;
    plan.clock.ns = static_cast<std::int64_t>(number(6, -years_ns, years_ns));
    plan.clock.within_ns = static_cast<std::int64_t>(number(7, 0, years_ns));
    told_ = {};
    told_.way = "forward", told_.octets = plan.octets, told_.offered_bps = plan.rate_bps;
    told_.seconds = 8 * static_cast<double>(plan.octets) * static_cast<double>(plan.frames) / plan.rate_bps;
    told_.steps = empty_steps(plan);
    return plan;
}

void TrafficAgent::require_end(const std::string& where) const {
    if (!is_agent(where)) end_address(where);
}

Traffic TrafficAgent::pass() {
    TrafficWatch watch;
    watch.on_progress = [](const std::string& way, const TrafficProgress& p) { tell_now(text_of(way, p)); };
    return run_traffic({from_, to_}, setup_, &watch);
}

SimulatedTraffic::SimulatedTraffic(std::shared_ptr<Stage> stage, std::string port)
    : ScpiInstrument(std::move(stage), "traffic", port), port_(std::move(port)) {
    add_to(tree_);
}

Traffic SimulatedTraffic::pass() {
    stage_->spend(setup_.seconds);
    note_overload(false);
    const auto receiver = stage_->receiver(port_);
    const auto reception = stage_->reception(port_);
    const bool heard = reception && stage_->powered() && stage_->associated(port_);
    const double through = heard ? 1 - reception->loss : 0;
    // Lost frames are sent again until there is no time for it.
    const double room = heard ? receiver->most_bps * through : 0;
    const double share = std::min(through > 0.1 ? 1.0 : through, room / setup_.rate_bps);
    Traffic out;
    for (const bool back : {false, true}) {
        if (setup_.way == (back ? TrafficWay::forward : TrafficWay::backward)) continue;
        TrafficFlow flow;
        flow.way = back ? "backward" : "forward";
        flow.octets = setup_.octets, flow.offered_bps = setup_.rate_bps, flow.seconds = setup_.seconds;
        const std::string key = stage_->state_text() + flow.way;
        Random random(seed_of(stage_->options().seed, key, visits_[key]++));
        const double step_s = step_of(setup_), frames = static_cast<double>(frames_of(setup_));
        const auto steps = static_cast<std::size_t>(std::max(1.0, std::ceil(setup_.seconds / step_s - 1e-9)));
        for (std::size_t i = 0; i < steps; ++i) {
            const auto upto = [&](std::size_t step) {
                const double part = std::min(1.0, step_s * static_cast<double>(step) / setup_.seconds);
                return static_cast<std::uint64_t>(std::llround(frames * part));
            };
            TrafficFlow::Step step{std::round(1e9 * step_s * static_cast<double>(i)) / 1e9,
                                   upto(i + 1) - upto(i), 0};
            const double n = static_cast<double>(step.sent);
            const double spread = std::sqrt(n * share * (1 - share)) * random.normal();
            step.received = static_cast<std::uint64_t>(std::clamp(std::round(n * share + spread), 0.0, n));
            flow.sent += step.sent, flow.received += step.received;
            flow.steps.push_back(step);
        }
        if (flow.received > 0) {
            const double air_s = 8 * static_cast<double>(setup_.octets) / receiver->most_bps;
            TrafficFlow::Latency latency;
            latency.least_s = 0.2e-3 + air_s, latency.half_s = latency.least_s + air_s / through;
            latency.most_90_s = latency.least_s + 3 * air_s / through;
            latency.most_99_s = latency.least_s + 8 * air_s / through;
            latency.most_999_s = latency.least_s + 20 * air_s / through;
            latency.greatest_s = latency.least_s + 40 * air_s / through, latency.jitter_s = air_s / through;
            flow.latency = latency;
        }
        out.flows.push_back(std::move(flow));
    }
    return out;
}

}  // namespace rt::lab
