// Three levels that take turns: what stands in signals made from their symbols, and what is refused.
#include <cmath>
#include <random>

#include "core/synthesis/stress.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

constexpr double rate = 125e6, sampling = 5e9, interval = 1 / rate;
constexpr double whole_of_inner = 1.522719;  // 10 % to 90 % over 20 % to 80 % of an error function

// Scrambled idle: ones through x^11 + x^9 + 1; a one is the next level of middle, high, middle, low.
std::vector<std::int8_t> idle(std::size_t count) {
    unsigned state = 0x7ff, place = 0;
    std::vector<std::int8_t> out;
    constexpr std::int8_t turn[]{1, 2, 1, 0};
    for (std::size_t i = 0; i < count; ++i) {
        const unsigned key = (state >> 10 ^ state >> 8) & 1;
        state = (state << 1 | key) & 0x7ff;
        if (!key) ++place;  // 1 xor key
        out.push_back(turn[place % 4]);
    }
    return out;
}

// 2047 symbols with an odd number of steps go around four times.
Stress transmitter() {
    Stress s;
    s.symbols = idle(4 * 2047);
    s.levels_v = {-1, 0, 1};
    s.symbol_rate_hz = rate, s.sample_rate_hz = sampling;
    s.rise_s = s.fall_s = 4e-9 / whole_of_inner;
    return s;
}

Outcome measured(const Stress& s, const Settings& settings = {}) {
    return run("ethernet.mlt3", stressed_turn(s).wave, settings);
}

}  // namespace

TEST_CASE("levels, times and jitter of a transmitter are those that it was made with") {
    Stress s = transmitter();
    s.levels_v = {-0.97, 0.01, 1.03};
    s.rise_s = 3.4e-9 / whole_of_inner, s.fall_s = 4.6e-9 / whole_of_inner;
    s.duty_cycle_ui = 0.3e-9 / interval;
    s.random_ui = 0.05e-9 / interval;
    const Outcome out = measured(s);
    CHECK_FALSE(out.invalid);
    CHECK(value(out, "amplitude_positive") == about(1.02).epsilon(1e-3));
    CHECK(value(out, "amplitude_negative") == about(0.98).epsilon(1e-3));
    CHECK(value(out, "amplitude_symmetry") == about(1.02 / 0.98).epsilon(1e-3));
    CHECK(value(out, "middle_level") == within(1e-3, 0.01));
    // What rises: to the positive level, and back from the negative one.
    for (const char* name : {"rise_positive", "fall_negative"})
        CHECK(value(out, name) == within(0.05e-9, 3.4e-9));
    for (const char* name : {"fall_positive", "rise_negative"})
        CHECK(value(out, name) == within(0.05e-9, 4.6e-9));
    CHECK(value(out, "edge_difference") == within(0.1e-9, 1.2e-9));
    CHECK(value(out, "overshoot") < 0.5);
    CHECK(value(out, "duty_cycle_distortion") == within(0.02e-9, 0.3e-9));
    // 0.3 ns and some seven sigma of 4,000 edges.
    CHECK(value(out, "jitter_peak_to_peak") == within(0.06e-9, 0.65e-9));
    CHECK(value(out, "rate_error") == within(0.5, 0));
    CHECK(value(out, "order_violations") == 0);
    // A clock that is off by 60 ppm.
    s.symbol_rate_hz = rate * (1 + 60e-6);
    CHECK(value(measured(s), "rate_error") == within(2, 60));
}

TEST_CASE("overshoot is the peak behind an edge over the level that settles") {
    const auto plain = stressed_turn(transmitter()).wave.volts();
    // What a first-order low-pass leaves, added once more: of a step it makes a peak that is worked out here.
    const auto raised = [](const std::vector<double>& v, double much) {
        constexpr double tau_s = 1.5e-9;
        const double keep = std::exp(-1 / (tau_s * sampling));
        double low = v.front();
        std::vector<double> out;
        for (const double x : v) {
            low = keep * low + (1 - keep) * x;
            out.push_back(x + much * (x - low));
        }
        return out;
    };
    for (const double much : {0.1, 0.4}) {
        CAPTURE(much);
        std::vector<double> step(2000);
        for (std::size_t i = 0; i < step.size(); ++i)
            step[i] = 0.5 * std::erfc(-(static_cast<double>(i) - 1000) / sampling / (4e-9 / 2.5631031) /
                                      std::sqrt(2.0));
        const auto one = raised(step, much);
        const double peak = *std::max_element(one.begin(), one.end()) - 1;
        const auto out = run("ethernet.mlt3", waveform_in_memory(raised(plain, much), 1 / sampling));
        CHECK(value(out, "overshoot") == within(0.3, 100 * peak));
    }
}

TEST_CASE("noise, other sample rates and short records: what is still told, and what no more") {
    Stress s = transmitter();
    for (const double volts : {0.01, 0.05, 0.08}) {
        CAPTURE(volts);
        s.noise_v = volts;
        const Outcome out = measured(s);
        CHECK_FALSE(out.invalid);
        CHECK(value(out, "amplitude_positive") == about(1).epsilon(0.01));
        CHECK(value(out, "duty_cycle_distortion") < 0.1e-9);
    }
    s.noise_v = 0;
    for (const double hz : {1.1e9, 2.5e9, 20e9}) {
        CAPTURE(hz);
        s.sample_rate_hz = hz;
        const Outcome out = measured(s);
        CHECK(value(out, "amplitude_negative") == about(1).epsilon(2e-3));
        CHECK(value(out, "edge_longest") == within(0.25e-9, 4e-9));
    }
    s.sample_rate_hz = 0.9e9;  // too slow for edges of 3 ns
    const Outcome slow = measured(s);
    CHECK_FALSE(slow.find_result("edge_longest"));
    CHECK(slow.lacking.at("edge_longest").find("1 ns") != std::string::npos);
    // Cut off in the middle of a symbol at both ends; few edges say nothing of a span.
    const auto whole = stressed_turn(transmitter()).wave;
    Waveform part = whole;
    part.channels[0] = part_of(whole.channels[0], 777, 60000);
    const Outcome few = run("ethernet.mlt3", part);
    CHECK_FALSE(few.find_result("jitter_peak_to_peak"));
    CHECK(value(few, "amplitude_positive") == about(1).epsilon(1e-3));
}

TEST_CASE("what is no turn of three levels is refused") {
    const auto refused = [](const Waveform& wave, const std::string& words, const Settings& settings = {}) {
        const Outcome out = run("ethernet.mlt3", wave, settings);
        REQUIRE(out.invalid);
        CHECK_MESSAGE(out.invalid->find(words) != std::string::npos, *out.invalid);
        CHECK(out.results.empty());
    };
    Stress s = transmitter();
    // Any of three levels in any order, as 100BASE-T1 sends them.
    std::mt19937 random(5);
    for (auto& symbol : s.symbols) symbol = static_cast<std::int8_t>(random() % 3);
    refused(stressed_turn(s).wave, "do not take turns");
    s = transmitter();
    for (auto& symbol : s.symbols) symbol = symbol == 1 ? 0 : symbol;
    refused(stressed_turn(s).wave, "");
    s = transmitter();
    s.levels_v = {-1, 0.5, 1};
    refused(stressed_turn(s).wave, "no three even levels");
    s = transmitter();
    s.symbol_rate_hz = 1.1 * rate;
    refused(stressed_turn(s).wave, "");
    refused(waveform_in_memory(std::vector<double>(50000, 0.1), 1e-9), "");
    // A transmitter that misses a level now and then is seen.
    s = transmitter();
    for (std::size_t i = 900; i < s.symbols.size(); i += 2000)
        for (std::size_t k = i; k < i + 30; ++k) s.symbols[k] = static_cast<std::int8_t>(2 - s.symbols[k]);
    const Outcome seen = run("ethernet.mlt3", stressed_turn(s).wave);
    CHECK(value(seen, "order_violations") >= 2);
}
