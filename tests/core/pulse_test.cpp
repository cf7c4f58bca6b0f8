// Levels, edges and widths of signals drawn from straight lines, and clocks with a known wander.
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "tests/about.hpp"
#include "tests/core/made_waves.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

// Corner by corner: each a time in samples and a voltage, straight lines between.
std::vector<double> drawn(const std::vector<std::pair<double, double>>& corners) {
    std::vector<double> out;
    std::size_t next = 1;
    for (double i = 0; i <= corners.back().first; ++i) {
        while (next + 1 < corners.size() && corners[next].first < i) ++next;
        const auto [x0, y0] = corners[next - 1];
        const auto [x1, y1] = corners[next];
        out.push_back(y0 + (y1 - y0) * (i - x0) / (x1 - x0));
    }
    return out;
}

// Pulses of 1000 samples high in 2500: 40 samples up, 80 down, at 1 ns.
std::vector<double> pulses(int count, double overshoot = 0) {
    std::vector<std::pair<double, double>> corners{{0, 0.5}};
    for (int k = 0; k < count; ++k) {
        const double at = 500 + 2500.0 * k;
        corners.insert(corners.end(), {{at, 0.5}, {at + 40, 2.5 + overshoot}, {at + 60, 2.5}});
        corners.insert(corners.end(), {{at + 980, 2.5}, {at + 1060, 0.5}});
    }
    corners.emplace_back(500 + 2500.0 * count, 0.5);
    return drawn(corners);
}

Outcome measured(const std::vector<double>& volts, const Settings& settings = {}) {
    return run("pulse.edges", waveform_in_memory(volts, 1e-9), settings);
}

}  // namespace

TEST_CASE("levels, edges and widths of trapezoids") {
    const auto out = measured(pulses(10));
    CHECK(value(out, "low") == about(0.5).epsilon(0.002));
    CHECK(value(out, "high") == about(2.5).epsilon(0.001));
    // 10 % to 90 % of a straight edge is eight tenths of it.
    CHECK(value(out, "rise_time") == about(32e-9).epsilon(0.005));
    CHECK(value(out, "fall_time") == about(64e-9).epsilon(0.005));
    CHECK(value(out, "steepest_rise") == about(2.0 / 40e-9).epsilon(0.01));
    CHECK(value(out, "period") == about(2500e-9).epsilon(1e-5));
    CHECK(value(out, "frequency") == about(400e3).epsilon(1e-5));
    // Half way up at 20, half way down at 1020.
    CHECK(value(out, "shortest_high") == about(1000e-9).epsilon(1e-4));
    CHECK(value(out, "duty_cycle") == about(40).epsilon(1e-3));
    CHECK(value(out, "edges") == 20);
    CHECK(value(out, "not_monotonic") == 0);
    const auto narrower = measured(pulses(10), {{"edge_span", "20-80"}});
    CHECK(value(narrower, "rise_time") == about(24e-9).epsilon(0.005));
    CHECK(value(measured(pulses(10), {{"edge_span", "30-70"}}), "fall_time") == about(32e-9).epsilon(0.005));
}

TEST_CASE("overshoot, and an edge that goes back on its way") {
    const auto out = measured(pulses(10, 0.3));
    CHECK(value(out, "overshoot_high") == about(15).epsilon(0.01));
    CHECK(value(out, "overshoot_low") == within(0.05, 0));
    CHECK(value(out, "high") == about(2.5).epsilon(0.002));
    auto dented = pulses(10);
    // In the sixth rise, a dent of 0.3 V (15 % of the amplitude) at half height, and back again.
    for (int i = 0; i < 8; ++i)
        dented[static_cast<std::size_t>(500 + 5 * 2500 + 22 + i)] = 1.6 - 0.3 * (i < 4);
    CHECK(value(measured(dented), "not_monotonic") == 1);
    CHECK(value(measured(dented, {{"reversal", "30 %"}}), "not_monotonic") == 0);
}

TEST_CASE("the extreme of each time has its place") {
    auto volts = pulses(6);
    // The third pulse is cut short by 300 samples.
    for (int i = 700; i < 1100; ++i) volts[static_cast<std::size_t>(500 + 2 * 2500 + i)] = 0.5;
    const auto out = measured(volts);
    CHECK(value(out, "shortest_high") == about(680e-9).epsilon(0.005));
    for (const auto& row : out.tables.front().rows) {
        if (std::get<std::string>(row[0]) != "high_width") continue;
        CHECK(std::get<double>(row[1]) == 6);
        CHECK(std::get<double>(row[6]) == about(5520e-9).epsilon(1e-3));
    }
}

TEST_CASE("thresholds: a voltage, a part of the amplitude, and one that is never crossed") {
    CHECK(value(measured(pulses(10), {{"threshold", "1 V"}}), "shortest_high") ==
          about(1000e-9 + 10e-9 + 20e-9).epsilon(1e-3));
    CHECK(value(measured(pulses(10), {{"threshold_part", "75 %"}}), "shortest_high") ==
          about(1000e-9 - 10e-9 - 20e-9).epsilon(1e-3));
    const auto above = measured(pulses(10), {{"threshold", "3 V"}});
    REQUIRE(above.invalid);
    CHECK(above.invalid->find("never crosses 3 V") != std::string::npos);
    CHECK(input_error([] {
              measured(pulses(10), {{"hysteresis", "60 %"}});
          }).find("hysteresis") != std::string::npos);
}

TEST_CASE("period and cycle-to-cycle jitter of a clock with alternating periods") {
    // Rising edges 10 ns apart, every second one 30 ps late: periods of 10.03 and 9.97 ns in turn.
    made::Switching s;
    for (int k = 0; k < 4000; ++k) {
        s.edges_s.push_back(20e-9 + k * 10e-9 + (k % 2 ? 30e-12 : 0));
        s.edges_s.push_back(20e-9 + k * 10e-9 + 5e-9);
    }
    s.rise_s = 0.5e-9;
    const double rate = 10e9;
    const auto out = run("serial.clock", waveform_in_memory(made::volts(s, rate, 400000), 1 / rate),
                         {{"symbol_rate", "200 MHz"}});
    CHECK(value(out, "rate_error") == within(0.5, 0));
    CHECK(value(out, "period_jitter_rms") == about(30e-12).epsilon(0.02));
    CHECK(value(out, "period_jitter_peak_to_peak") == about(60e-12).epsilon(0.03));
    CHECK(value(out, "cycle_to_cycle_rms") == about(60e-12).epsilon(0.02));
    CHECK(value(out, "cycle_to_cycle_peak") == about(60e-12).epsilon(0.03));
}

TEST_CASE("the profile of a spread-spectrum clock: deviation and rate of the modulation") {
    // 100 MHz, down by up to 5000 ppm in a triangle of 32 kHz: its phase added up step by step.
    const double f0 = 100e6, modulation = 32e3, rate = 2e9;
    std::vector<double> volts;
    double phase = 0;
    for (int i = 0; i < 600000; ++i) {
        const double turns = modulation * i / rate;
        const double triangle = 2 * std::abs(turns - std::floor(turns) - 0.5);
        phase += f0 * (1 - 0.005 * triangle) / rate;
        volts.push_back(std::sin(2 * std::numbers::pi * phase));
    }
    const auto out = run("serial.clock", waveform_in_memory(volts, 1 / rate), {{"symbol_rate", "200 MHz"}});
    CHECK(value(out, "spread_frequency") == about(modulation).epsilon(0.005));
    // The low-pass at 500 kHz rounds the tips a little.
    CHECK(value(out, "spread_lowest") == about(-5000).epsilon(0.03));
    CHECK(value(out, "spread_highest") == within(5000 * 0.03, 0));
    CHECK(value(out, "rate_error") == about(-2500).epsilon(0.02));
}

TEST_CASE("the tilt of long states is told") {
    // 4 V steps of 200 samples; the high state falls by 0.2 V along its way, the low one rises by 0.1 V.
    std::vector<double> volts;
    for (int i = 0; i < 4000; ++i) {
        const double along = (i % 200) / 200.0;
        volts.push_back(i / 200 % 2 ? 2 - 0.2 * along : -2 + 0.1 * along);
    }
    const auto out = run("pulse.edges", waveform_in_memory(volts, 1e-9));
    const double amplitude = value(out, "amplitude");
    CHECK(value(out, "droop_high") == about(100 * 0.2 / amplitude).epsilon(0.02));
    CHECK(value(out, "droop_low") == about(100 * 0.1 / amplitude).epsilon(0.02));
}
