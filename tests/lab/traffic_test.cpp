// Frames counted as they arrive, sent between two ends of this machine, and the table they are kept as.
#include <doctest/doctest.h>

#include <cmath>
#include <vector>

#include "lab/captures/capture_file.hpp"
#include "lab/formats/traffic_csv.hpp"
#include "lab/traffic/arrivals.hpp"
#include "lab/traffic/engine.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

constexpr std::int64_t second = 1000000000;

// A frame of 100 octets of flow 7.
std::vector<std::byte> frame(std::uint64_t sequence, std::int64_t sent_ns, std::uint32_t flow = 7) {
    std::vector<std::byte> out(100);
    write_head({flow, 100, sequence, sent_ns}, out);
    return out;
}

TrafficFlow ten_steps() {
    TrafficFlow out;
    out.way = "forward", out.octets = 100, out.seconds = 1, out.sent = 1000;
    for (int i = 0; i < 10; ++i) out.steps.push_back({0.1 * i, 100, 0});
    return out;
}

std::string broken(std::string text, const std::string& what, const std::string& with) {
    const auto at = text.find(what);
    REQUIRE(at != std::string::npos);
    text.replace(at, what.size(), with);
    return input_error([&] { parse_traffic_csv(text, "t.csv"); });
}

}  // namespace

TEST_CASE("each frame counts once; repeated, late, foreign and damaged ones are told") {
    Arrivals arrivals(7, 100, 1000, 0.1);
    const auto take = [&](std::uint64_t sequence, std::int64_t transit_ns, std::uint32_t flow = 7) {
        const std::int64_t sent = static_cast<std::int64_t>(sequence) * 1000000;
        arrivals.take(frame(sequence, sent, flow), 100, sent + transit_ns);
    };
    // All but every tenth, 20 us on the way; 5 and 6 change places, 8 comes three times.
    for (std::uint64_t i = 0; i < 1000; ++i) {
        if (i % 10 == 9 || i == 5) continue;
        take(i, 20000);
        if (i == 6) take(5, 2020000);
        if (i == 8) take(8, 30000), take(8, 40000);
    }
    take(3, 20000, 8);                                      // another traffic's
    arrivals.take(frame(999, 0), 99, second);               // cut off
    arrivals.take(frame(1000, 0), 100, second);             // more than were sent
    arrivals.take(std::vector<std::byte>(10), 10, second);  // somebody else's
    CHECK(arrivals.received() == 900);
    TrafficFlow flow = ten_steps();
    arrivals.fill(flow, 0, true);
    CHECK(flow.received == 900);
    CHECK(flow.duplicates == 2);
    CHECK(flow.reordered == 1);
    CHECK(flow.damaged == 2);
    for (const auto& step : flow.steps) CHECK(step.received == 90);
    REQUIRE(flow.latency);
    CHECK(flow.latency->least_s == about(20e-6));
    CHECK(flow.latency->half_s == about(20e-6).epsilon(0.02));  // by 2 % of its size
    CHECK(flow.latency->most_99_s == about(20e-6).epsilon(0.02));
    CHECK(flow.latency->greatest_s == about(2.02e-3));
    CHECK(flow.latency->uncertain_s == 0);
    // Where nobody knows what one clock is ahead of the other by, latency is none, not a wrong one.
    Arrivals unknown(7, 100, 1000, 0.1, {false, 0, 0});
    for (std::uint64_t i = 0; i < 900; ++i) unknown.take(frame(i, 5 * second), 100, 5 * second + 20000);
    TrafficFlow elsewhere = ten_steps();
    unknown.fill(elsewhere, 0, false);
    CHECK(!elsewhere.latency);
    CHECK(elsewhere.received == 900);
}

TEST_CASE("latency between two clocks is what their comparison leaves of it, with what it leaves open") {
    // The receiver's clock is 3 s behind, known within 40 us; frames need 20 us, which may come out as less
    // than none.
    const ClockOffset behind{true, -3 * second + 35000, 40000};
    Arrivals arrivals(7, 100, 1000, 0.1, behind);
    for (std::uint64_t i = 0; i < 900; ++i) {
        const std::int64_t sent = 10 * second + static_cast<std::int64_t>(i) * 1000000;
        arrivals.take(frame(i, sent), 100, sent - 3 * second + (i % 3 ? 20000 : 120000));
    }
    TrafficFlow flow = ten_steps();
    arrivals.fill(flow, 0, false);
    REQUIRE(flow.latency);
    CHECK(flow.latency->least_s == 0);
    CHECK(flow.latency->greatest_s == about(85e-6));
    CHECK(flow.latency->uncertain_s == about(40e-6));
    CHECK(std::abs(flow.latency->greatest_s - 120e-6) <= flow.latency->uncertain_s);
    // It stands in the file, and comes back.
    flow.way = "forward", flow.octets = 100, flow.sent = 1000, flow.seconds = 1;
    Traffic traffic;
    traffic.flows.push_back(flow);
    const Traffic again = parse_traffic_csv(traffic_csv(traffic), "t.csv");
    REQUIRE(again.flows.at(0).latency);
    CHECK(again.flows[0].latency->uncertain_s == about(40e-6));
    // A clock that was set meanwhile: frames that came long before they were sent.
    Arrivals jumped(7, 100, 1000, 0.1, behind);
    jumped.take(frame(0, 10 * second), 100, 7 * second + 20000);
    jumped.take(frame(1, 10 * second), 100, 6 * second);
    TrafficFlow none = ten_steps();
    jumped.fill(none, 0, false);
    CHECK(!none.latency);
}

TEST_CASE("percentiles and jitter of known latencies") {
    Arrivals arrivals(7, 100, 100000, 0.1);
    // 1 us to 100 ms in even steps of the logarithm: the p-th percentile is 10^(-6 + 5 p).
    for (std::uint64_t i = 0; i < 100000; ++i) {
        const auto transit = static_cast<std::int64_t>(
            1e3 * std::pow(10, 5 * static_cast<double>((i * 7919) % 100000) / 100000));
        arrivals.take(frame(i, 0), 100, transit);
    }
    TrafficFlow flow = ten_steps();
    flow.sent = 100000;
    arrivals.fill(flow, 0, true);
    REQUIRE(flow.latency);
    CHECK(flow.latency->half_s == about(std::pow(10, -3.5)).epsilon(0.02));
    CHECK(flow.latency->most_90_s == about(std::pow(10, -1.5)).epsilon(0.02));
    CHECK(flow.latency->most_99_s == about(std::pow(10, -1.05)).epsilon(0.02));
    // RFC 3550: differences that are always 16 us settle at 16 us.
    Arrivals two(7, 100, 10000, 0.1);
    for (std::uint64_t i = 0; i < 10000; ++i) two.take(frame(i, 0), 100, i % 2 ? 100000 : 84000);
    two.fill(flow, 0, true);
    CHECK(flow.latency->jitter_s == about(16e-6).epsilon(1e-6));
}

TEST_CASE("frames between two addresses of this machine arrive, both ways at once") {
    TrafficSetup setup;
    setup.rate_bps = 20e6, setup.octets = 500, setup.seconds = 0.5, setup.way = TrafficWay::both;
    const Traffic traffic = run_traffic({"127.0.0.1", "127.0.0.2"}, setup);
    REQUIRE(!traffic.distrust);
    REQUIRE(traffic.flows.size() == 2);
    for (const auto& flow : traffic.flows) {
        CHECK(flow.sent == 2500);
        CHECK(flow.received == 2500);
        CHECK(flow.duplicates + flow.reordered + flow.damaged + flow.tool_lost == 0);
        // Never faster than asked for; slower as far as the machine stands still.
        CHECK(flow.sent_bps() < 21e6);
        REQUIRE(flow.latency);
        CHECK(flow.latency->least_s > 0);
        std::uint64_t sent = 0, received = 0;
        for (const auto& step : flow.steps) sent += step.sent, received += step.received;
        CHECK(sent == 2500);
        CHECK(received == 2500);
    }
    const auto error = [&](const std::string& from, const std::string& to, TrafficSetup one) {
        return input_error([&] { run_traffic({from, to}, one); });
    };
    CHECK(error("eth77", "127.0.0.1", setup).find("\"eth77\" is neither an address nor an interface") !=
          std::string::npos);
    CHECK(error("::1", "127.0.0.1", setup).find("the same kind of address") != std::string::npos);
    TrafficSetup small = setup;
    small.octets = 20;
    CHECK(error("127.0.0.1", "127.0.0.1", small).find("32 to 65507") != std::string::npos);
    CHECK(error("agent:127.0.0.1:1", "agent:127.0.0.1:2", setup).find("must be here") != std::string::npos);
    CHECK_THROWS_WITH_AS(run_traffic({"127.0.0.1", "agent:127.0.0.1:1"}, setup),
                         doctest::Contains("127.0.0.1:1"), Error);
}

TEST_CASE("what was counted is kept as a table and read again") {
    TestFolder folder;
    Traffic traffic;
    traffic.flows = {ten_steps(), ten_steps()};
    traffic.flows[1].way = "backward";
    traffic.flows[0].received = 990, traffic.flows[0].duplicates = 3, traffic.flows[0].offered_bps = 8e5;
    traffic.flows[0].latency = TrafficFlow::Latency{1e-6, 2e-6, 3e-6, 4e-6, 5e-6, 6e-6, 7e-7};
    traffic.flows[0].steps[4].received = 90;
    traffic.distrust = "made so";
    const auto file = write_capture(folder / "t", Capture(traffic)).file;
    const auto again = std::get<Traffic>(read_capture(file));
    CHECK(traffic_csv(again) == traffic_csv(traffic));
    CHECK(again.flows[0].latency->most_99_s == 4e-6);
    CHECK(!again.flows[1].latency);
    traffic.distrust.reset();
    const std::string text = traffic_csv(traffic);
    CHECK(broken(text, "# forward sent: 1000", "# forward sent: few").find("is no number") !=
          std::string::npos);
    CHECK(broken(text, "# forward sent: 1000", "# forward sent: 900").find("more than were sent") !=
          std::string::npos);
    CHECK(broken(text, "# forward octets: 100\n", "").find("forward octets") != std::string::npos);
    CHECK(broken(text, "forward,0.1,", "sideways,0.1,").find("sideways") != std::string::npos);
    CHECK(broken(text, "forward,0.1,", "forward,0.15,").find("even length") != std::string::npos);
    CHECK(broken(text, "# forward jitter: ", "# forward other: ").find("in part") != std::string::npos);
    CHECK(input_error([] { parse_traffic_csv("way,time [s],sent,received\n", "t.csv"); }).find("remarks") !=
          std::string::npos);
}
