// Ethernet and storage transmitters on signals of known times and powers.
#include <cmath>
#include <numbers>
#include <random>

#include "core/base/error.hpp"
#include "core/signal/waveform.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;

namespace {

struct On {
    double from, to;
};

// Noise-like signal (random levels each 8 ns) while on.
Waveform switched(const std::vector<On>& times, double span, double rate, double amplitude) {
    std::mt19937 random(5);
    std::vector<double> volts(static_cast<std::size_t>(span * rate));
    for (const On& on : times) {
        for (auto i = static_cast<std::size_t>(on.from * rate); i < static_cast<std::size_t>(on.to * rate);
             ++i)
            volts[i] = random() % 2 ? amplitude : -amplitude;
    }
    return waveform_in_memory(volts, 1 / rate);
}

}  // namespace

TEST_CASE("low-power idle: sleep, quiet, refresh and wake times") {
    const double us = 1e-6, rate = 100e6, sample = 1 / rate;
    const Waveform wave = switched(
        {{0, 700 * us}, {21000 * us, 21205 * us}, {42105 * us, 42325 * us}, {62900 * us, 63000 * us}}, 63e-3,
        rate, 1);
    const auto out = run("ethernet.idle", wave, {{"low_power_from", "490 us"}, {"data_from", "62.932 ms"}});
    const auto is = [&](const char* name, double expected) {
        CAPTURE(name);
        CHECK(std::abs(value(out, name) - expected) < 1.5 * sample);
    };
    is("sleep_time", 210 * us);
    is("quiet_least", 20300 * us);
    is("quiet_greatest", 20900 * us);
    is("refresh_least", 205 * us);
    is("refresh_greatest", 220 * us);
    is("wake_time", 32 * us);
    CHECK(value(out, "refreshes") == 2);
    CHECK(run("ethernet.idle", switched({{0, 1e-3}}, 1e-3, rate, 1)).invalid);
    // Whole refreshes beside quiet that the record cuts off count; the quiet is at least as long as it is
    // seen.
    const auto cut = run("ethernet.idle", switched({{5e-3, 5.21e-3}, {25e-3, 25.23e-3}}, 50e-3, rate, 1));
    CHECK(std::abs(value(cut, "refresh_least") - 210 * us) < 1.5 * sample);
    CHECK(std::abs(value(cut, "refresh_greatest") - 230 * us) < 1.5 * sample);
    CHECK(value(cut, "refreshes") == 2);
    CHECK(std::abs(value(cut, "quiet_least") - 19790 * us) < 1.5 * sample);
    CHECK(cut.find_result("quiet_greatest")->known == Known::at_least);
    CHECK(std::abs(value(cut, "quiet_greatest") - 24770 * us) < 1.5 * sample);
}

TEST_CASE("density and power of a transmitter: white noise and a sine of known power") {
    const double rate = 400e6;
    std::mt19937_64 random(4);
    std::normal_distribution<double> normal(0, 0.05);
    std::vector<double> volts;
    for (int i = 0; i < 1'000'000; ++i)
        volts.push_back(normal(random) + 0.2 * std::sin(2 * std::numbers::pi * 31.25e6 * i / rate));
    const auto out = run("ethernet.density", waveform_in_memory(volts, 1 / rate), {{"bandwidth", "1 MHz"}});
    const double sine = 0.2 * 0.2 / 2 / 100, noise = 0.05 * 0.05 / 100;  // watt in 100 ohm
    CHECK(value(out, "total_power") == about(10 * std::log10((sine + noise) * 1000)).epsilon(0.005));
    CHECK(value(out, "peak_frequency") == about(31.25e6).epsilon(0.01));
    const Trace& psd = *out.find_trace("psd");
    double sum = 0, count = 0;
    for (std::size_t i = 0; i < psd.x.size(); ++i) {
        if (psd.x[i] < 100e6 || psd.x[i] > 180e6) continue;
        sum += std::pow(10, psd.y[i] / 10), ++count;
    }
    CHECK(10 * std::log10(sum / count) == about(10 * std::log10(noise * 1000 / (rate / 2))).epsilon(0.002));
    // The line stands in one noise bandwidth.
    CHECK(value(out, "peak_density") == about(10 * std::log10(sine * 1000 / 1e6)).epsilon(0.01));
}

TEST_CASE("droop of exponential runs") {
    const double rate = 1e9, tau = 2e-6;
    std::vector<double> volts;
    for (int k = 0; k < 6; ++k) {
        for (int i = 0; i < 1000; ++i) volts.push_back((k % 2 ? -0.9 : 1.0) * std::exp(-i / rate / tau));
    }
    const Waveform wave = waveform_in_memory(volts, 1 / rate);
    const double expected = 100 * (1 - std::exp(-0.5e-6 / tau));
    const auto out = run("ethernet.droop", wave);
    CHECK(value(out, "droop_positive") == about(expected).epsilon(0.01));
    CHECK(value(out, "droop_negative") == about(expected).epsilon(0.01));
    // From 100 ns to 400 ns behind the crossing.
    const auto fixed = run("ethernet.droop", wave, {{"first", "100 ns"}, {"second", "400 ns"}});
    CHECK(value(fixed, "droop_positive") == about(100 * (1 - std::exp(-0.3e-6 / tau))).epsilon(0.005));
    CHECK(run("ethernet.droop", wave, {{"second", "2 us"}}).invalid);
}

TEST_CASE("droop behind edges of finite steepness") {
    // 46 % in 500 ns: tau = 811 ns. The edge goes straight from the end of one run to the peak of the next.
    const double tau = 0.5e-6 / -std::log(0.54);
    for (const double rate : {1e9, 250e6}) {
        for (const double edge : {0.0, 4e-9, 20e-9, 60e-9}) {
            CAPTURE(rate);
            CAPTURE(edge);
            std::vector<double> volts;
            const double run_s = 1.2e-6;
            const double rest = std::exp(-(run_s - edge) / tau);
            for (std::size_t i = 0; static_cast<double>(i) / rate < 6 * run_s; ++i) {
                const double t = static_cast<double>(i) / rate, within = std::fmod(t, run_s);
                const double sign = static_cast<int>(t / run_s) % 2 ? -1 : 1;
                volts.push_back(sign * (within < edge ? -rest + (1 + rest) * within / edge
                                                      : std::exp(-(within - edge) / tau)));
            }
            const auto out = run("ethernet.droop", waveform_in_memory(volts, 1 / rate));
            CHECK(value(out, "droop_positive") == about(46).epsilon(0.005));
            CHECK(value(out, "droop_negative") == about(46).epsilon(0.005));
        }
    }
}

TEST_CASE("out-of-band sequences: bursts and gaps by kind") {
    const double ns = 1e-9, rate = 20e9;
    std::vector<On> on;
    double t = 2000 * ns;
    const auto sequence = [&](double gap, double burst, int count) {
        for (int k = 0; k < count; ++k) {
            on.push_back({t, t + burst});
            t += burst + gap;
        }
        t += 3000 * ns;
    };
    sequence(320 * ns, 106.7 * ns, 6);
    sequence(107 * ns, 105 * ns, 6);
    const auto out = run("storage.out-of-band", switched(on, t + 1000 * ns, rate, 0.25));
    const auto is = [&](const char* name, double expected) {
        CAPTURE(name);
        CHECK(std::abs(value(out, name) - expected) < 0.1 * ns);
    };
    is("burst_greatest", 106.7 * ns);
    is("burst_least", 105 * ns);
    is("init_gap_least", 320 * ns);
    is("init_gap_greatest", 320 * ns);
    is("wake_gap_least", 107 * ns);
    CHECK(value(out, "init_sequences") == 1);
    CHECK(value(out, "wake_sequences") == 1);
    CHECK(value(out, "fewest_bursts") == 6);
    CHECK(value(out, "lowest_amplitude") == about(0.5));
    // The first and the last burst of a record, with idle beside them, are timed as the others.
    const auto ends = run("storage.out-of-band",
                          switched({{500 * ns, 590 * ns}, {910 * ns, 1016 * ns}, {1336 * ns, 1466 * ns}},
                                   3000 * ns, rate, 0.25));
    CHECK(std::abs(value(ends, "burst_least") - 90 * ns) < 0.1 * ns);
    CHECK(std::abs(value(ends, "burst_greatest") - 130 * ns) < 0.1 * ns);
    // Cut off by an end of the record they are not.
    const auto cut =
        run("storage.out-of-band",
            switched({{0, 40 * ns}, {360 * ns, 466 * ns}, {786 * ns, 892 * ns}, {1212 * ns, 1250 * ns}},
                     1250 * ns, rate, 0.25));
    CHECK(std::abs(value(cut, "burst_least") - 106 * ns) < 0.1 * ns);
    const auto none = run("storage.out-of-band", switched({{100 * ns, 2000 * ns}}, 3000 * ns, rate, 0.25));
    REQUIRE(none.invalid);
    CHECK(none.invalid->starts_with("no out-of-band sequence"));
}
