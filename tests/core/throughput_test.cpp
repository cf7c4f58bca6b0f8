// receiver.throughput: numbers of known counts, and what gives none.
#include <doctest/doctest.h>

#include "core/base/error.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

// 1000 frames of 1250 octets in a second: 10 Mb/s. `lost` are gone evenly, steps from `from` to `to` wholly.
TrafficFlow flow(double lost, std::size_t from = 10, std::size_t to = 10) {
    TrafficFlow out;
    out.way = "forward", out.octets = 1250, out.seconds = 1, out.offered_bps = 10e6;
    for (std::size_t i = 0; i < 10; ++i) {
        const auto came = static_cast<std::uint64_t>(i >= from && i < to ? 0 : 100 * (1 - lost));
        out.steps.push_back({0.1 * static_cast<double>(i), 100, came});
        out.sent += 100, out.received += came;
    }
    return out;
}

Outcome run(const Traffic& traffic, const Settings& settings = {}) {
    return run_inputs("receiver.throughput", {{"", traffic}}, settings);
}

TrafficSetup asked(Settings settings) {
    const Procedure& procedure = find_procedure("receiver.throughput");
    Parameters parameters(procedure.parameters);
    for (const auto& [key, text] : settings) parameters.set(key, text);
    parameters.fill_defaults();
    return std::get<TrafficSetup>(procedure.setup(parameters));
}

}  // namespace

TEST_CASE("throughput counts each frame once, over the time that it was sent") {
    Traffic traffic;
    traffic.flows = {flow(0.1)};
    traffic.flows[0].duplicates = 50, traffic.flows[0].reordered = 4;
    traffic.flows[0].latency = TrafficFlow::Latency{1e-3, 2e-3, 3e-3, 4e-3, 5e-3, 6e-3, 7e-4};
    const Outcome out = run(traffic, {{"generation", "g"}, {"phy_rate", "54 Mb/s"}, {"load", "50 %"}});
    CHECK(value(out, "throughput") == about(9e6));
    CHECK(value(out, "frame_loss") == about(10));
    CHECK(value(out, "offered_rate") == about(10e6));
    CHECK(value(out, "share_of_theoretical") == about(900.0 / 54));
    CHECK(value(out, "longest_gap") == 0);
    CHECK(value(out, "duplicates") == 50);
    CHECK(value(out, "latency_99") == about(4e-3));
    CHECK(value(out, "jitter") == about(7e-4));
    CHECK(value(out, "least_throughput") == about(9e6));
    REQUIRE(out.traces.size() == 2);
    CHECK(out.traces[0].y.size() == 10);
    CHECK(out.traces[0].y[3] == about(9e6));
    CHECK(out.traces[1].y[3] == about(10));
    CHECK(out.observed_s == std::optional(1.0));
}

TEST_CASE("of both ways the worse counts, and a gap is seen") {
    Traffic traffic;
    traffic.flows = {flow(0), flow(0, 3, 7)};
    traffic.flows[1].way = "backward";
    const Outcome out = run(traffic, {{"rate", "10 Mb/s"}});
    CHECK(value(out, "throughput_forward") == about(10e6));
    CHECK(value(out, "throughput_backward") == about(6e6));
    CHECK(value(out, "throughput") == about(6e6));
    CHECK(value(out, "frame_loss") == about(40));
    CHECK(value(out, "longest_gap") == about(0.4));
    CHECK(value(out, "least_throughput") == 0);
    CHECK(out.traces.size() == 4);
    CHECK(!out.find_result("latency_99"));
    // Nothing at all arrives: that is a number, and a bad one.
    Traffic dead;
    dead.flows = {flow(1)};
    CHECK(value(run(dead, {{"rate", "10 Mb/s"}}), "frame_loss") == 100);
    CHECK(value(run(dead, {{"rate", "10 Mb/s"}}), "throughput") == 0);
}

TEST_CASE("what the tool could not send or take is no number of the unit") {
    Traffic slow;
    slow.flows = {flow(0)};
    slow.flows[0].offered_bps = 20e6;
    const Outcome out = run(slow, {{"rate", "20 Mb/s"}});
    REQUIRE(out.invalid);
    CHECK(out.invalid->find("the sending end cannot keep up") != std::string::npos);
    CHECK(out.results.empty());
    Traffic doubtful;
    doubtful.flows = {flow(0.1)};
    doubtful.distrust = "the tool itself lost 100 frames";
    CHECK(run(doubtful, {{"rate", "10 Mb/s"}}).invalid == doubtful.distrust);
    CHECK(run(Traffic{}, {{"rate", "10 Mb/s"}}).invalid);
    Traffic nothing;
    nothing.flows = {flow(0)};
    nothing.flows[0].sent = nothing.flows[0].received = 0;
    CHECK(run(nothing, {{"rate", "10 Mb/s"}}).invalid);
}

TEST_CASE("load is a share of the theoretical rate of a mode that there is") {
    CHECK(asked({{"rate", "5 Mb/s"}}).rate_bps == 5e6);
    const TrafficSetup share = asked({{"load", "60 %"},
                                      {"generation", "ac"},
                                      {"mcs", "9"},
                                      {"streams", "2"},
                                      {"width", "80 MHz"},
                                      {"guard", "400 ns"},
                                      {"way", "both"}});
    CHECK(share.rate_bps == about(0.6 * 866.6667e6).epsilon(1e-6));
    CHECK(share.way == TrafficWay::both);
    const auto error = [](const Settings& settings) { return input_error([&] { asked(settings); }); };
    CHECK(error({}).find("either rate") != std::string::npos);
    CHECK(error({{"rate", "1 Mb/s"}, {"load", "5 %"}, {"generation", "g"}, {"phy_rate", "6 Mb/s"}})
              .find("either rate") != std::string::npos);
    CHECK(error({{"load", "60 %"}}).find("generation") != std::string::npos);
    CHECK(error({{"load", "60 %"}, {"generation", "ac"}, {"mcs", "9"}}).find("excluded") !=
          std::string::npos);
    CHECK(error({{"load", "60 %"}, {"generation", "n"}}).find("mcs") != std::string::npos);
    CHECK(error({{"rate", "1 Mb/s"}, {"octets", "10"}}).find("octets") != std::string::npos);
}
