// Bursts and spectrum sharing on signals whose times are known.
#include <doctest/doctest.h>

#include "tests/about.hpp"
#include "tests/core/made_signals.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

constexpr double rate = 2e6;

struct On {
    double start, length, amplitude = 0.3;
};

IqRecord keyed(const std::vector<On>& bursts, double seconds, double noise = 1e-3) {
    made::Samples x(static_cast<std::size_t>(seconds * rate));
    for (const auto& burst : bursts) {
        const auto from = static_cast<std::size_t>(burst.start * rate),
                   to = from + static_cast<std::size_t>(burst.length * rate);
        for (std::size_t i = from; i < std::min(to, x.size()); ++i)
            x[i] = std::polar(burst.amplitude, 0.37 * static_cast<double>(i));
    }
    if (noise > 0) made::add_noise(x, noise);
    return made::record(x, rate, 2.44e9, 20.0);
}

}  // namespace

TEST_CASE("bursts, duty cycle, gaps and power") {
    const auto out = run("radio.bursts", keyed({{1e-3, 2e-3}, {5e-3, 1e-3, 0.1}, {8e-3, 0.5e-3}}, 10e-3),
                         {{"gain", "2 dB"}});
    CHECK(value(out, "bursts") == 3);
    CHECK(value(out, "duty_cycle") == about(35).epsilon(0.002));
    CHECK(value(out, "longest_burst") == about(2e-3).epsilon(0.001));
    CHECK(value(out, "shortest_burst") == about(0.5e-3).epsilon(0.003));
    CHECK(value(out, "shortest_gap") == about(2e-3).epsilon(0.001));
    CHECK(value(out, "gap_surplus") == within(1e-3 * 0.003, 0));
    const double power = 20 + 20 * std::log10(0.3);
    CHECK(value(out, "burst_power") == about(power).epsilon(0.002));
    CHECK(value(out, "burst_power_eirp") == about(power + 2).epsilon(0.002));
    CHECK(value(out, "medium_utilisation") == about(std::pow(10, (power + 2) / 10) / 100 * 35).epsilon(0.01));
    CHECK(out.tables.front().rows.size() == 3);
}

TEST_CASE("hold-off joins, the shortest length leaves out, ends cut off") {
    const std::vector<On> bursts{{0, 1e-3}, {2e-3, 0.2e-3}, {2.21e-3, 0.2e-3}, {4e-3, 3e-6}, {6e-3, 5e-3}};
    const auto joined =
        run("radio.bursts", keyed(bursts, 8e-3), {{"hold_off", "20 us"}, {"shortest_burst", "10 us"}});
    CHECK(value(joined, "bursts") == 1);
    CHECK(value(joined, "shortest_burst") == about(0.41e-3).epsilon(0.005));
    CHECK(value(joined, "longest_burst") == about(2e-3).epsilon(0.005));
    CHECK(joined.find_result("longest_burst")->known == Known::at_least);
    CHECK(value(joined, "duty_cycle") == about(100 * (1 + 0.41 + 2) / 8).epsilon(0.005));
    CHECK(value(run("radio.bursts", keyed(bursts, 8e-3)), "bursts") == 3);
    // A linear voltage ramp of 1 ms; the mean power of the burst, ramps and all, is 0.778 of that between
    // them.
    made::Samples x(20000);
    for (std::size_t i = 4000; i < 16000; ++i) {
        const double t = static_cast<double>(std::min(i - 4000, 15999 - i)) / 2000;
        x[i] = 0.5 * std::min(t, 1.0);
    }
    const auto ramp = run("radio.bursts", made::record(x, rate, 0, 0.0), {{"trigger_level", "-30 dB"}});
    CHECK(value(ramp, "rise_time") == about(0.558e-3).epsilon(0.01));
    CHECK(value(ramp, "fall_time") == about(0.558e-3).epsilon(0.01));
}

TEST_CASE("edges of bursts: fast, slow, beside a neighbour, and where noise hides their foot") {
    // Voltage ramps of a length up and down, flat for 2 ms.
    const auto ramped = [](double ramp_s, double gap_s, double noise, int bursts = 3) {
        made::Samples x;
        const auto ramp = static_cast<std::size_t>(ramp_s * rate),
                   flat = static_cast<std::size_t>(2e-3 * rate);
        const auto gap = static_cast<std::size_t>(gap_s * rate);
        x.resize(gap);
        for (int n = 0; n < bursts; ++n) {
            for (std::size_t i = 0; i < ramp; ++i)
                x.push_back(0.5 * (static_cast<double>(i) + 0.5) / static_cast<double>(ramp));
            x.resize(x.size() + flat, 0.5);
            for (std::size_t i = ramp; i-- > 0;)
                x.push_back(0.5 * (static_cast<double>(i) + 0.5) / static_cast<double>(ramp));
            x.resize(x.size() + gap);
        }
        if (noise > 0) made::add_noise(x, noise);
        return run("radio.bursts", made::record(x, rate, 2.44e9, 20.0), {{"trigger_level", "-15 dB"}});
    };
    for (const double ramp : {5e-6, 20e-6, 100e-6, 400e-6, 1000e-6}) {
        CAPTURE(ramp);
        const auto out = ramped(ramp, ramp > 100e-6 ? 5e-3 : 100e-6, 1e-3);
        CHECK(value(out, "bursts") == 3);
        // The mean power of the burst, ramps above the trigger with it, is what 10 % and 90 % count from.
        const double low = std::pow(10, -15.0 / 20), above = ramp * (1 - low);
        const double energy = 2 * ramp * (1 - low * low * low) / 3 + 2e-3;
        const double mean = energy / (2 * above + 2e-3);
        const double expected = ramp * (std::sqrt(0.9 * mean) - std::sqrt(0.1 * mean));
        const double tolerance = std::max(0.02, 0.5e-6 / expected);  // a sample, and the mean over three
        CHECK(value(out, "rise_time") == about(expected).epsilon(tolerance));
        CHECK(value(out, "fall_time") == about(expected).epsilon(tolerance));
    }
    // 6 dB above noise there is no 10 %: no time, rather than 0.
    const auto hidden = ramped(20e-6, 1e-3, 0.25);
    CHECK_FALSE(hidden.invalid);
    CHECK_FALSE(hidden.find_result("rise_time"));
    CHECK_FALSE(hidden.find_result("fall_time"));
}

TEST_CASE("silence is no burst") {
    const auto out = run("radio.bursts", keyed({}, 2e-3), {{"trigger_power", "0 dBm"}});
    REQUIRE(out.invalid);
    CHECK(*out.invalid == "no burst reaches the trigger level of 0 dBm");
    CHECK(out.results.empty());
    made::Samples x(1000, 0.1);
    CHECK(input_error([&] {
              run("radio.bursts", made::record(x, rate), {{"trigger_power", "0 dBm"}});
          }).starts_with("parameter trigger_power needs a record with a reference level"));
}

TEST_CASE("occupancy, idle share and reaction to interference") {
    // Occupancies of 4 ms (two bursts with a pause of 30 us in each), idle 0.3 ms, one idle of 0.15 ms.
    std::vector<On> bursts;
    double t = 1e-3;
    for (int i = 0; i < 8; ++i) {
        bursts.push_back({t, 2e-3});
        bursts.push_back({t + 2.03e-3, 1.97e-3});
        t += 4e-3 + (i == 3 ? 0.15e-3 : 0.3e-3);
    }
    // Interference at 30 ms; the occupancy under way ends, then two short signals remain.
    const double last = bursts.back().start + bursts.back().length;
    bursts.push_back({last + 10e-3, 0.1e-3});
    bursts.push_back({last + 40e-3, 0.1e-3});
    const auto out = run("radio.occupancy", keyed(bursts, last + 60e-3),
                         {{"pause", "50 us"}, {"interference_start", "34 ms"}, {"control_length", "0.2 ms"}});
    CHECK(value(out, "longest_occupancy") == about(4e-3).epsilon(0.001));
    CHECK(value(out, "shortest_idle") == about(0.15e-3).epsilon(0.01));
    CHECK(value(out, "smallest_idle_share") == about(100 * 0.15 / 4).epsilon(0.01));
    CHECK(value(out, "reaction_time") == about(last - 34e-3).epsilon(0.001));
    CHECK(value(out, "control_share") == about(100 * 0.2 / 50).epsilon(0.02));
    CHECK(out.find_trace("idle_histogram"));
    const auto still_on =
        run("radio.occupancy", keyed({{1e-3, 20e-3}}, 10e-3), {{"interference_start", "5 ms"}});
    // Still on at the end: it takes at least so long, enough to fail and never to pass.
    REQUIRE(still_on.find_result("reaction_time"));
    CHECK(still_on.find_result("reaction_time")->known == Known::at_least);
    CHECK(value(still_on, "reaction_time") == about(5e-3).epsilon(0.001));
    CHECK(input_error([&] {
              run("radio.occupancy", keyed({{1e-3, 2e-3}}, 5e-3), {{"interference_start", "9 ms"}});
          }) == "parameter interference_start: what is measured lasts from 0 s to 5 ms");
}
