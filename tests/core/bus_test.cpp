// Buses drawn from known times: every timing comes back, bytes are decoded.
#include <algorithm>
#include <cmath>
#include <random>

#include "core/base/error.hpp"
#include "core/rules/judge.hpp"
#include "core/signal/waveform.hpp"
#include "tests/about.hpp"
#include "tests/core/made_bus.hpp"
#include "tests/core/made_rule.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;
using made::Drawn;
using made::TwoWire;

namespace {

Table table_of(const Outcome& outcome, const char* name) {
    for (const auto& table : outcome.tables) {
        if (table.name == name) return table;
    }
    FAIL("no table " << name);
    return {};
}

std::string text(const Table& table, std::size_t row, std::size_t column) {
    return std::get<std::string>(table.rows[row][column]);
}

}  // namespace

TEST_CASE("two-wire bus: bytes and every timing, to a tenth of a sample") {
    TwoWire bus;
    bus.start();
    bus.byte(0x48 << 1, true);
    bus.byte(0xA5, true);
    bus.repeated_start();
    bus.byte(0x48 << 1 | 1, true);
    bus.byte(0x3C, false);
    bus.stop();
    const double step = 20e-9;
    const auto count = static_cast<std::size_t>((bus.t + 20e-6) / step);
    const Waveform wave =
        waveform_in_memory({bus.clock.volts(step, count), bus.data.volts(step, count)}, step);
    const auto out = run("bus.two-wire", wave, {{"supply", "3.3 V"}});
    const double us = 1e-6, tenth = step / 10;
    const auto is = [&](const char* name, double expected) {
        CAPTURE(name);
        CHECK(std::abs(value(out, name) - expected) < tenth);
    };
    // Ramps pass 30 % after 0.3 (rising) or 0.7 (falling) of their length.
    is("low_time_least", 5 * us + 0.3 * us - 0.7 * 0.25 * us);
    is("high_time_least", 5 * us - 0.7 * us + 0.3 * 0.25 * us);
    is("clock_rise_greatest", 0.4 * us);
    is("clock_fall_least", 0.1 * us);
    is("data_rise_greatest", 0.4 * us);
    is("start_hold_least", 5 * us + 0.075 * us - 0.175 * us);
    is("start_setup_least", 6 * us + 0.075 * us - 0.7 * us);
    is("stop_setup_least", 6 * us + 0.3 * us - 0.7 * us);
    is("data_hold_least", 1 * us + 0.075 * us - 0.175 * us);
    is("data_setup_least", 4 * us + 0.3 * us - 0.7 * us);
    is("data_valid_greatest", 1 * us + 0.7 * us - 0.175 * us);
    CHECK(value(out, "clock_frequency") == about(100e3).epsilon(1e-4));
    CHECK(value(out, "bytes") == 4);
    const Table bytes = table_of(out, "bytes");
    REQUIRE(bytes.rows.size() == 7);
    CHECK(text(bytes, 1, 2) == "0x48 write");
    CHECK(text(bytes, 2, 2) == "0xA5");
    CHECK(text(bytes, 3, 1) == "repeated start");
    CHECK(text(bytes, 4, 2) == "0x48 read");
    CHECK(text(bytes, 5, 2) == "0x3C");
    CHECK(text(bytes, 5, 3) == "no");
    // The close view of a result stands around its place.
    const Trace* view = out.find_trace("view_start_setup_least");
    REQUIRE(view);
    CHECK(view->shows == "start_setup_least");
    CHECK(view->companions.size() == 1);
    // What was measured lies between its ends, and these within the view.
    std::size_t between = 0;
    for (const auto& trace : out.traces) {
        if (!trace.interval) continue;
        CAPTURE(trace.name);
        ++between;
        CHECK(trace.interval->to - trace.interval->from ==
              about(value(out, trace.shows.c_str())).epsilon(1e-6));
        CHECK(trace.interval->from >= trace.x.front());
        CHECK(trace.interval->from <= trace.x.back());
    }
    CHECK(between > 6);
}

TEST_CASE("two-wire bus: a late data edge is found where it is") {
    TwoWire bus;
    bus.start();
    bus.byte(0x20, true);
    for (int k = 0; k < 4; ++k) bus.bit(k % 2 == 0);
    const double late = bus.t;
    bus.bit(true, 4.2e-6);  // 0.8 us before the clock rises
    for (int k = 0; k < 4; ++k) bus.bit(false);
    bus.stop();
    const double step = 20e-9;
    const auto count = static_cast<std::size_t>((bus.t + 20e-6) / step);
    const auto out =
        run("bus.two-wire",
            waveform_in_memory({bus.clock.volts(step, count), bus.data.volts(step, count)}, step));
    CHECK(value(out, "data_setup_least") == about(0.8e-6 + 0.3e-6 - 0.7e-6).epsilon(0.01));
    const Table timings = table_of(out, "timings");
    const auto row = std::find_if(timings.rows.begin(), timings.rows.end(),
                                  [](const auto& r) { return std::get<std::string>(r[0]) == "data_setup"; });
    REQUIRE(row != timings.rows.end());
    CHECK(std::get<double>((*row)[5]) == about(late + 4.2e-6 + 0.7e-6).epsilon(1e-3));
}

TEST_CASE("two-wire bus: how many of a timing are beyond a limit, with transfer, byte and bit") {
    TwoWire bus;
    bus.start();
    bus.byte(0x20, true);
    for (int k = 0; k < 4; ++k) bus.bit(k % 2 == 0);
    bus.bit(true, 4.2e-6);  // 0.4 us of set-up
    for (int k = 0; k < 4; ++k) bus.bit(false);
    bus.repeated_start();
    bus.byte(0x21, true);
    for (int k = 0; k < 8; ++k) bus.bit(k % 2 == 0);
    bus.bit(true, 4.1e-6);  // 0.5 us, at the bit of the acknowledge
    bus.stop();
    const double step = 20e-9;
    const auto count = static_cast<std::size_t>((bus.t + 20e-6) / step);
    const auto out = run(
        "bus.two-wire", waveform_in_memory({bus.clock.volts(step, count), bus.data.volts(step, count)}, step),
        {{"supply", "3.3 V"}});
    const auto judged = [&](const char* result, const Bound& bound) {
        static const Rulebook book;
        const Rule rule = made_rule(result, Unit::second, bound);
        return judge({&book, &rule}, out, {});
    };
    const Finding setup = judged("data_setup_least", {1e-6, {}});
    CHECK(setup.verdict == Verdict::fail);
    CHECK(setup.points_beyond == 2);
    CHECK(setup.points_judged > 10);
    CAPTURE(setup.reason);
    const auto first = setup.reason.find("transfer 1, byte 2, bit 5"),
               second = setup.reason.find("transfer 2, acknowledge of byte 2");
    REQUIRE(first != std::string::npos);
    REQUIRE(second != std::string::npos);
    CHECK(first < second);  // the worse one first
    CHECK(setup.reason.starts_with("2 of "));
    // Within the limit nothing is counted; a maximum counts from the other end.
    CHECK(judged("data_setup_least", {0.1e-6, {}}).points_beyond == 0);
    CHECK(judged("data_setup_least", {0.1e-6, {}}).reason.empty());
    CHECK(judged("data_valid_greatest", {{}, 4e-6}).points_beyond == 1);
    CHECK(judged("acknowledge_valid_greatest", {{}, 4e-6}).points_beyond == 1);
}

TEST_CASE("two-wire bus: a clock that is held low, and its duty cycle") {
    const auto measured = [](double held, double low) {
        TwoWire bus;
        bus.start();
        for (int n = 0; n < 3; ++n) {
            for (int k = 0; k < 9; ++k) {
                const double now = n == 1 && k == 8 ? low + held : low;
                bus.set(k % 2, bus.t + 1e-6);
                bus.clock.to(true, bus.t + now, TwoWire::rise);
                bus.clock.to(false, bus.t + now + 5e-6, TwoWire::fall);
                bus.t += now + 5e-6;
            }
        }
        bus.stop();
        const double step = 20e-9;
        const auto count = static_cast<std::size_t>((bus.t + 20e-6) / step);
        return run("bus.two-wire",
                   waveform_in_memory({bus.clock.volts(step, count), bus.data.volts(step, count)}, step),
                   {{"supply", "3.3 V"}});
    };
    const auto held = measured(40e-6, 6e-6);
    CHECK(value(held, "clock_stretches") == 1);
    CHECK(value(held, "clock_stretch_greatest") == about(40e-6).epsilon(1e-3));
    const Table table = table_of(held, "clock_stretches");
    REQUIRE(table.rows.size() == 1);
    CHECK(text(table, 0, 1) == "transfer 1, acknowledge of byte 2");
    // Between the middles: the rise's is 0.5 us behind its beginning, the fall's 0.125 us.
    const double high = 5e-6 - 0.5e-6 + 0.125e-6;
    CHECK(value(held, "duty_cycle_greatest") == about(100 * high / 11e-6).epsilon(1e-3));
    CHECK(value(held, "duty_cycle_least") == about(100 * high / 51e-6).epsilon(1e-3));
    const auto even = measured(0, 4.5e-6);
    CHECK(value(even, "clock_stretches") == 0);
    CHECK(value(even, "clock_stretch_greatest") == 0);
    CHECK(value(even, "duty_cycle") == about(100 * high / 9.5e-6).epsilon(1e-3));
}

TEST_CASE("four-wire bus in all modes: words both ways and timings") {
    for (int mode = 0; mode < 4; ++mode) {
        CAPTURE(mode);
        const bool rest = mode >= 2, trailing = mode % 2 == 1;
        const double ns = 1e-9, step = 2 * ns, ramp = 10 * ns, half = 250 * ns;
        Drawn clock(rest), select(true), out(false), in(false);
        double t = 1000 * ns;
        const auto word = [&](int sent, int received) {
            select.to(false, t, ramp);
            t += 400 * ns;
            bool sent_now = false, received_now = false;
            for (int k = 7; k >= 0; --k) {
                // Data changes 100 ns behind the shifting edge (or before the first edge), the peripheral's
                // 60 ns later.
                const double shift = trailing ? t : t - half;
                const bool a = sent >> k & 1, b = received >> k & 1;
                if (a != sent_now) out.to(a, shift + 100 * ns, ramp);
                if (b != received_now) in.to(b, shift + 160 * ns, ramp);
                sent_now = a, received_now = b;
                clock.to(!rest, t, ramp);
                clock.to(rest, t + half, ramp);
                t += 2 * half;
            }
            select.to(true, t + 50 * ns, ramp);
            t += 1000 * ns;
        };
        // All words end in zero, so that every word begins from the same level.
        word(0x96, 0x3C);
        word(0x5A, 0xF0);
        const auto count = static_cast<std::size_t>(t / step);
        const Waveform wave = waveform_in_memory({clock.volts(step, count), select.volts(step, count),
                                                  out.volts(step, count), in.volts(step, count)},
                                                 step);
        const std::string text_mode = std::to_string(mode);
        const auto seen = run(
            "bus.four-wire", wave,
            {{"mode", text_mode.c_str()}, {"out_channel", "3"}, {"in_channel", "4"}, {"supply", "3.3 V"}});
        const Table words = table_of(seen, "words");
        REQUIRE(words.rows.size() == 2);
        CHECK(text(words, 0, 2) == "0x96");
        CHECK(text(words, 0, 3) == "0x3C");
        CHECK(text(words, 1, 2) == "0x5A");
        CHECK(text(words, 1, 3) == "0xF0");
        CHECK(value(seen, "clock_frequency") == about(2e6).epsilon(0.001));
        CHECK(value(seen, "select_setup_least") == about(396 * ns).epsilon(0.003));
        CHECK(value(seen, "out_setup_least") == about(half - 104 * ns).epsilon(0.005));
        CHECK(value(seen, "in_setup_least") == about(half - 164 * ns).epsilon(0.005));
        CHECK(value(seen, "out_hold_least") == about(half + 96 * ns).epsilon(0.005));
        // Without a mode it is found, by the data of either side; the other one of the same rest level is
        // refused.
        for (const char* side : {"out_channel", "in_channel"}) {
            CAPTURE(side);
            const char* channel = side[0] == 'o' ? "3" : "4";
            const auto found = run("bus.four-wire", wave, {{side, channel}, {"supply", "3.3 V"}});
            CHECK(value(found, "mode") == mode);
            CHECK(value(found, "words") == 2);
        }
        const std::string other = std::to_string(mode ^ 1);
        const auto refused =
            run("bus.four-wire", wave, {{"out_channel", "3"}, {"mode", other.c_str()}, {"supply", "3.3 V"}});
        REQUIRE(refused.invalid);
        CHECK(refused.invalid->find("set mode " + text_mode) != std::string::npos);
        // Without data only the clock's rest can be told, and nothing depends on more.
        const auto clock_only = run("bus.four-wire", wave, {{"supply", "3.3 V"}});
        CHECK_FALSE(clock_only.find_result("mode"));
        CHECK(value(clock_only, "select_setup_least") == value(seen, "select_setup_least"));
        // A mode that has the clock rest elsewhere is not that of this record.
        const auto wrong = run("bus.four-wire", wave, {{"mode", rest ? "0" : "2"}, {"supply", "3.3 V"}});
        REQUIRE(wrong.invalid);
        CHECK(wrong.invalid->find(rest ? "the clock rests high" : "the clock rests low") == 0);
        // One threshold for both directions is allowed.
        const auto single = run("bus.four-wire", wave,
                                {{"mode", text_mode.c_str()},
                                 {"supply", "3.3 V"},
                                 {"lower_threshold", "50 %"},
                                 {"upper_threshold", "50 %"}});
        CHECK(value(single, "clock_frequency") == about(2e6).epsilon(0.001));
    }
}

TEST_CASE("two-wire bus: the worst level counts, not the mean of all") {
    TwoWire bus;
    std::vector<double> acknowledges;
    bus.start();
    for (const int value : {0x90, 0x00, 0xA5, 0x3C, 0xFE, 0x10}) {
        for (int k = 7; k >= 0; --k) bus.bit(value >> k & 1);
        acknowledges.push_back(bus.t + 1e-6);
        bus.bit(false);
    }
    bus.stop();
    const double step = 20e-9;
    const auto count = static_cast<std::size_t>((bus.t + 20e-6) / step);
    const auto clock = bus.clock.volts(step, count);
    auto data = bus.data.volts(step, count);
    for (double& v : data) v = std::max(v, 0.11);
    // The device pulls to 0.60 V only, also where the controller has held the line low before and goes on to.
    for (const double from : acknowledges) {
        for (auto i = static_cast<std::size_t>(from / step);
             i < static_cast<std::size_t>((from + 9e-6) / step); ++i)
            data[i] = std::max(data[i], 0.60);
    }
    const Settings supply{{"supply", "3.3 V"}};
    const auto out = run("bus.two-wire", waveform_in_memory({clock, data}, step), supply);
    CHECK(value(out, "data_low_level") == about(0.60).epsilon(0.001));
    CHECK(value(out, "data_high_level") == about(3.3).epsilon(0.001));
    CHECK(value(out, "clock_low_level") == within(0.001, 0));
    CHECK(value(out, "bytes") == 6);
    CHECK(std::get<double>(table_of(out, "levels").rows[2][3]) > acknowledges.front());
    // Swapped lines have starts, but nothing is clocked.
    const auto swapped = run("bus.two-wire", waveform_in_memory({data, clock}, step), supply);
    REQUIRE(swapped.invalid);
    CHECK(swapped.results.empty());
    INFO(*swapped.invalid);
    CHECK(swapped.invalid->find("swapped") != std::string::npos);
}

TEST_CASE("noise is no bus and has no edges, however large it is") {
    std::mt19937_64 random(8);
    for (const double sigma : {0.3, 0.8, 1.65, 5.0}) {
        CAPTURE(sigma);
        std::normal_distribution<double> normal(1.65, sigma);
        std::vector<double> a(20000), b(20000);
        for (auto& v : a) v = normal(random);
        for (auto& v : b) v = normal(random);
        const Waveform wave = waveform_in_memory({a, b}, 20e-9);
        CHECK(run("bus.two-wire", wave, {{"supply", "3.3 V"}}).invalid);
        CHECK(run("bus.two-wire", wave).invalid);
        CHECK(run("bus.four-wire", wave, {{"supply", "3.3 V"}}).invalid);
        CHECK(run("pulse.edges", wave).invalid);
    }
    // 2 mV of noise on a constant voltage, as a converter of 0.5 mV a step sees it.
    std::normal_distribution<double> little(3.3, 2e-3);
    std::vector<double> still(50000);
    for (auto& v : still) v = std::round(little(random) / 0.5e-3) * 0.5e-3;
    CHECK(run("pulse.edges", waveform_in_memory(still, 1e-8)).invalid);
    // What switches is measured in noise too: a clock of slow edges, a sine, and one with a twentieth of
    // noise.
    std::normal_distribution<double> normal(0, 0.05);
    std::vector<double> sine(20000), slow(20000);
    for (std::size_t i = 0; i < sine.size(); ++i) {
        sine[i] = std::sin(static_cast<double>(i) * 0.0321) + normal(random);
        slow[i] = std::clamp(1.7 * std::asin(std::sin(static_cast<double>(i) * 0.0321)), -1.0, 1.0) +
                  normal(random);
    }
    CHECK_FALSE(run("pulse.edges", waveform_in_memory(sine, 1e-8)).invalid);
    CHECK_FALSE(run("pulse.edges", waveform_in_memory(slow, 1e-8)).invalid);
}

TEST_CASE("lines without traffic have no verdict") {
    const std::vector<double> still(1000, 3.3);
    auto moving = still;
    for (std::size_t i = 0; i < moving.size(); ++i) moving[i] = i / 50 % 2 ? 3.3 : 0;
    CHECK(run("bus.two-wire", waveform_in_memory({still, moving}, 1e-8), {{"supply", "3.3 V"}}).invalid);
    const auto none = run("bus.two-wire", waveform_in_memory({moving, still}, 1e-8));
    REQUIRE(none.invalid);
    CHECK(none.invalid->find("no start condition") != std::string::npos);
    CHECK(run("bus.four-wire", waveform_in_memory({moving, still}, 1e-8)).invalid);
    CHECK_THROWS_AS(run("bus.two-wire", waveform_in_memory({moving}, 1e-8)), Error);
}

TEST_CASE("two-wire bus: spikes are counted with their place, and fast falls stand against the supply") {
    TwoWire bus;
    bus.start();
    bus.byte(0x48 << 1, true);
    bus.byte(0xA5, true);
    bus.stop();
    const double step = 5e-9;
    const auto count = static_cast<std::size_t>((bus.t + 20e-6) / step);
    auto clock = bus.clock.volts(step, count), data = bus.data.volts(step, count);
    // Six samples high on the low clock, seven low on the idle data.
    const std::size_t at_clock = static_cast<std::size_t>(28e-6 / step),
                      at_data = static_cast<std::size_t>(8e-6 / step);
    for (std::size_t i = 0; i < 6; ++i) clock[at_clock + i] = 3.3;
    for (std::size_t i = 0; i < 7; ++i) data[at_data + i] = 0;
    const auto out = run("bus.two-wire", waveform_in_memory({clock, data}, step), {{"supply", "3.3 V"}});
    CHECK(value(out, "spikes") == 2);
    const Table spikes = table_of(out, "spikes");
    REQUIRE(spikes.rows.size() == 2);
    CHECK(std::get<double>(spikes.rows[0][0]) == about(28e-6).epsilon(1e-3));
    CHECK(text(spikes, 0, 1) == "SCL");
    CHECK(text(spikes, 0, 3) == "high");
    CHECK(std::get<double>(spikes.rows[0][2]) == about(6 * step).epsilon(0.02));
    CHECK(text(spikes, 1, 1) == "SDA");
    CHECK(text(spikes, 1, 3) == "low");
    // An input that lets spikes through clocks a bit too many; one that suppresses them sees the bytes.
    CHECK(value(out, "high_time_least") < 50e-9);
    const auto filtered = run("bus.two-wire", waveform_in_memory({clock, data}, step),
                              {{"supply", "3.3 V"}, {"suppress_spikes", "yes"}});
    CHECK(value(filtered, "spikes") == 2);
    const Table bytes = table_of(filtered, "bytes");
    REQUIRE(bytes.rows.size() == 4);
    CHECK(text(bytes, 1, 2) == "0x48 write");
    CHECK(text(bytes, 2, 2) == "0xA5");
    for (const char* name : {"high_time_least", "low_time_least", "data_fall_least", "fall_share_least"}) {
        CAPTURE(name);
        CHECK(value(filtered, name) > 1e-9);
    }
    // 30 % to 70 % in 0.1 us against 20 ns x 3.3 / 5.5; spikes fall within a sample.
    const auto plain = run(
        "bus.two-wire", waveform_in_memory({bus.clock.volts(step, count), bus.data.volts(step, count)}, step),
        {{"supply", "3.3 V"}});
    CHECK(value(plain, "fall_share_least") == about(100e-9 / (20e-9 * 3.3 / 5.5)).epsilon(0.01));
    CHECK(value(plain, "spikes") == 0);
    for (const Result& result : plain.results) {
        CAPTURE(result.name);
        // A spike lifts the mean of the low time it stands in, as it does that of a device.
        if (result.name == "spikes" || result.name == "clock_low_level") continue;
        CHECK(value(filtered, result.name.c_str()) == about(result.value.value).epsilon(1e-6));
    }
    // What lasts longer is no spike.
    const auto longer = run("bus.two-wire", waveform_in_memory({clock, data}, step),
                            {{"supply", "3.3 V"}, {"suppress_spikes", "yes"}, {"spike_width", "20 ns"}});
    CHECK(value(longer, "high_time_least") < 50e-9);
}
