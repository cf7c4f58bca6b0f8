// Distortion of transmitters: constructed from the test sequence with known faults.
#include "core/serial/distortion.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "core/serial/test_symbols.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;

namespace {

struct Sent {
    int levels = 3;
    double rate = 200e6 / 3, ppm = 0;
    double disturber_v = 0, disturber_hz = 0;
    double spike_v = 0;  // added around the middle of symbol 900
    double cubic = 0;    // part of the amplitude missing at its peak
    double noise = 0;
    bool inverted = false;
};

constexpr double sample_rate = 1e9;

// 1 V peak; edges are error functions a quarter symbol wide; the sequence begins in its middle.
Waveform wave_of(const Sent& s, double periods) {
    const auto symbols = transmitter_test_symbols(s.levels);
    const double interval = 1 / (s.rate * (1 + s.ppm * 1e-6)), sigma = interval / 4;
    const auto count = static_cast<std::size_t>((periods * 2047 + 40) * interval * sample_rate);
    const auto level = [&](std::ptrdiff_t k) {
        const double size = symbols[static_cast<std::size_t>(k + 1234) % 2047] / ((s.levels - 1) / 2.0);
        return s.inverted ? -size : size;
    };
    std::mt19937_64 random(8);
    std::normal_distribution<double> normal(0, 1);
    std::vector<double> out(count);
    for (std::size_t i = 0; i < count; ++i) {
        const double t = static_cast<double>(i) / sample_rate, place = t / interval + 5.3;
        const auto k = static_cast<std::ptrdiff_t>(place);
        double v = level(k - 2);
        for (std::ptrdiff_t edge = k - 1; edge <= k + 2; ++edge) {
            const double away = (place - static_cast<double>(edge)) * interval;
            v += (level(edge) - level(edge - 1)) * 0.5 * (1 + std::erf(away / sigma / std::numbers::sqrt2));
        }
        v *= 1 - s.cubic * v * v;
        const double off = place - 900.5;
        if (std::abs(off) < 0.5) v += s.spike_v * 0.5 * (1 + std::cos(2 * std::numbers::pi * off));
        v += s.disturber_v * std::sin(2 * std::numbers::pi * s.disturber_hz * t + 1);
        out[i] = v + s.noise * normal(random);
    }
    return waveform_in_memory(out, 1 / sample_rate);
}

}  // namespace

TEST_CASE("the test sequence has 2047 symbols with as many ones as a shift register gives") {
    const auto three = transmitter_test_symbols(3), five = transmitter_test_symbols(5);
    CHECK(three.size() == 2047);
    const auto count = [](const std::vector<int>& all, int value) {
        return std::count(all.begin(), all.end(), value);
    };
    // A register of 11 stages gives 1024 ones: so many symbols are odd.
    CHECK(count(three, 0) == 1023);
    CHECK(count(three, 1) + count(three, -1) == 1024);
    CHECK(count(five, 1) + count(five, -1) == 1024);
    CHECK(count(five, 2) + count(five, -2) + count(five, 0) == 1023);
    CHECK(std::abs(count(three, 1) - count(three, -1)) <= 1);
}

TEST_CASE("a linear transmitter has no distortion, whatever the rate, the disturber and the polarity") {
    Sent s;
    s.ppm = 87;
    s.disturber_v = 2.7, s.disturber_hz = 200e6 / 18 * (1 - 23e-6);
    s.inverted = true;
    const auto out = run("ethernet.distortion", wave_of(s, 2),
                         {{"symbol_rate", "66.666667 MHz"}, {"disturber", "11.111111 MHz"}});
    CHECK(value(out, "peak_distortion") < 0.1e-3);
    CHECK(value(out, "rate_error") == about(87).epsilon(0.002));
    CHECK(value(out, "disturber_amplitude") == about(5.4).epsilon(1e-4));
    CHECK(value(out, "disturber_frequency") == about(s.disturber_hz).epsilon(1e-7));
    CHECK(value(out, "symbols") == 2 * 2047);
}

TEST_CASE("a spike on one symbol is the distortion, at its time") {
    Sent s;
    s.ppm = -40;
    s.spike_v = 12e-3;
    s.disturber_v = 2.7, s.disturber_hz = 200e6 / 18;
    const auto out = run("ethernet.distortion", wave_of(s, 1),
                         {{"symbol_rate", "66.666667 MHz"}, {"disturber", "11.111111 MHz"}});
    // The fit of 131 unknowns to 2047 values takes their share of it, give or take.
    CHECK(value(out, "peak_distortion") == about(12e-3 * (1 - 131.0 / 2047)).epsilon(0.03));
    const double interval = 1 / (s.rate * (1 + s.ppm * 1e-6));
    CHECK(std::abs(value(out, "peak_distortion_at") - (900.5 - 5.3) * interval) < 0.06 * interval);
}

TEST_CASE("a transmitter with five levels and compression: as a direct fit says") {
    // The cubic of a PAM3 signal at its symbol middles keeps three levels, at crossings it does not: numpy's
    // lstsq on the exact waveform gives 7.5 mV for 2 % at ten phases, 1.33 mV in the middle.
    Sent s;
    s.cubic = 0.02;
    const auto out = run("ethernet.distortion", wave_of(s, 1), {{"symbol_rate", "66.666667 MHz"}});
    CHECK(value(out, "peak_distortion") == about(7.5e-3).epsilon(0.03));
    const Trace* phases = out.find_trace("phases");
    REQUIRE(phases);
    CHECK(*std::min_element(phases->y.begin(), phases->y.end()) < 1.8e-3);
    Sent five;
    five.levels = 5, five.rate = 125e6, five.noise = 1e-3;
    const auto noisy =
        run("ethernet.distortion", wave_of(five, 1), {{"symbol_rate", "125 MHz"}, {"levels", "5"}});
    CHECK(value(noisy, "distortion_rms") == about(1e-3 * std::sqrt(1 - 129.0 / 2047)).epsilon(0.1));
}

TEST_CASE("what the disturber does to the transmitter is what it adds to the distortion") {
    const Settings settings{{"symbol_rate", "66.666667 MHz"}, {"disturber", "11.111111 MHz"}};
    Sent quiet, loud;
    quiet.spike_v = 4e-3, loud.spike_v = 10e-3;  // the transmitter is worse while it is disturbed
    loud.disturber_v = 2.7, loud.disturber_hz = 200e6 / 18;
    const auto out =
        run_inputs("ethernet.distortion",
                   {{"disturbed", wave_of(loud, 1)}, {"undisturbed", wave_of(quiet, 1)}}, settings);
    const double share = 1 - 131.0 / 2047;
    CHECK(value(out, "peak_distortion") == about(10e-3 * share).epsilon(0.03));
    CHECK(value(out, "undisturbed_distortion") == about(4e-3 * share).epsilon(0.03));
    CHECK(value(out, "disturber_effect") == about(6e-3 * share).epsilon(0.06));
    REQUIRE(out.find_trace("undisturbed_distortion"));
    // Exchanged: there is no disturber where one is expected.
    const auto exchanged =
        run_inputs("ethernet.distortion",
                   {{"disturbed", wave_of(quiet, 1)}, {"undisturbed", wave_of(loud, 1)}}, settings);
    REQUIRE(exchanged.invalid);
    CHECK(exchanged.invalid->find("switch the generator on") != std::string::npos);
    CHECK(exchanged.results.empty());
    // The record without it is another signal: nothing can be said of its effect, and nothing is.
    const Waveform noise = waveform_in_memory(std::vector<double>(70000, 0.0), 1 / sample_rate);
    const auto other = run_inputs("ethernet.distortion",
                                  {{"disturbed", wave_of(loud, 1)}, {"undisturbed", noise}}, settings);
    CHECK(other.invalid);
    CHECK(other.results.empty());
}

TEST_CASE("another signal than the test sequence has no verdict") {
    std::mt19937 random(3);
    std::vector<double> volts;
    for (int i = 0; i < 60000; ++i) {
        const double level = static_cast<double>(random() % 3) - 1;
        for (int k = 0; k < 15; ++k) volts.push_back(level);
    }
    const Settings settings{{"symbol_rate", "66.666667 MHz"}};
    const auto other = run("ethernet.distortion", waveform_in_memory(volts, 1e-9), settings);
    REQUIRE(other.invalid);
    CHECK(other.invalid->find("expected: the test sequence") == 0);
    CHECK(other.results.empty());
    const auto quiet = run("ethernet.distortion", wave_of({}, 1),
                           {{"symbol_rate", "66.666667 MHz"}, {"disturber", "11.111111 MHz"}});
    REQUIRE(quiet.invalid);
    CHECK(quiet.invalid->find("expected: a disturber") == 0);
    const auto brief = run("ethernet.distortion", wave_of({}, 0.5), settings);
    REQUIRE(brief.invalid);
    CHECK(brief.invalid->find("shorter than the test sequence") != std::string::npos);
}

TEST_CASE("rules of a test mode refuse another signal") {
    // A clock of 100 MHz instead of random symbols, data instead of a clock, short runs instead of long ones.
    std::vector<double> clock, data;
    std::mt19937 random(3);
    for (int i = 0; i < 200000; ++i) {
        clock.push_back(i / 5 % 2 ? 0.5 : -0.5);
        if (i % 5 == 0)
            data.push_back(random() % 2 ? 0.5 : -0.5);
        else
            data.push_back(data.back());
    }
    const auto of = [](const std::vector<double>& v) { return waveform_in_memory(v, 1e-9); };
    const Settings random_wanted{{"expected", "random"}, {"bandwidth", "100 kHz"}};
    REQUIRE(run("ethernet.density", of(clock), random_wanted).invalid);
    CHECK(run("ethernet.density", of(clock), random_wanted).invalid->find("expected: random symbols") == 0);
    CHECK_FALSE(run("ethernet.density", of(data), random_wanted).invalid);
    const Settings clock_wanted{{"expected", "clock-pattern"}};
    CHECK_FALSE(run("serial.clock", of(clock), clock_wanted).invalid);
    REQUIRE(run("serial.clock", of(data), clock_wanted).invalid);
    CHECK(run("serial.clock", of(data), clock_wanted).invalid->find("expected: a clock pattern") == 0);
    const Settings runs_wanted{{"expected", "even-runs"}, {"first", "1 ns"}, {"second", "4 ns"}};
    CHECK_FALSE(run("ethernet.droop", of(clock), runs_wanted).invalid);
    REQUIRE(run("ethernet.droop", of(data), runs_wanted).invalid);
}

TEST_CASE("averaged over periods noise goes and distortion stays; what does not repeat is told") {
    Sent s;
    s.cubic = 0.02;
    const Settings rate{{"symbol_rate", "66.666667 MHz"}};
    const double clean = value(run("ethernet.distortion", wave_of(s, 16), rate), "peak_distortion");
    s.noise = 2e-3;
    const Waveform noisy = wave_of(s, 16);
    const auto once = run("ethernet.distortion", noisy, rate);
    CHECK(value(once, "noise_rms") == about(2e-3).epsilon(0.1));  // interpolation and fit take a little
    CHECK(value(once, "peak_distortion") > clean + 6e-3);         // 300,000 values: 4.5 standard deviations
    auto averaging = rate;
    averaging.emplace_back("average", "yes");
    const auto mean = run("ethernet.distortion", noisy, averaging);
    // A quarter of the noise is left: 16 periods.
    CHECK(value(mean, "peak_distortion") < clean + 4.5 * 2e-3 / 4);
    CHECK(value(mean, "peak_distortion") > clean - 1e-3);
    CHECK(value(mean, "periods") == 16);
    CHECK(value(mean, "noise_rms") == about(2e-3).epsilon(0.1));
    REQUIRE_FALSE(mean.notes.empty());
    CHECK(mean.notes.back().find("no disturber") != std::string::npos);
    CHECK(std::any_of(mean.notes.begin(), mean.notes.end(),
                      [](const auto& note) { return note.starts_with("averaged over 16 periods"); }));
    const auto single = run("ethernet.distortion", wave_of(s, 1), averaging);
    REQUIRE(single.invalid);
    CHECK(single.invalid->starts_with("nothing to average"));
}

TEST_CASE("with a phase for each sample of the record its samples are what is looked at") {
    Sent s;
    Waveform wave = wave_of(s, 1);
    std::vector<float> volts(wave.channels[0]->size());
    wave.channels[0]->read(0, volts);
    std::vector<double> glitched(volts.begin(), volts.end());
    glitched[9007] += 20e-3;  // on one sample alone: no band-limited curve between samples has that height
    const auto at = [&](const char* phases) {
        return run("ethernet.distortion", waveform_in_memory(glitched, 1 / sample_rate),
                   {{"symbol_rate", "66.666667 MHz"}, {"phases", phases}});
    };
    // 1 GHz are 15 samples a symbol.
    const auto all = at("15");
    CHECK(value(all, "peak_distortion") == about(20e-3 * (1 - 129.0 / 2047)).epsilon(0.03));
    CHECK(value(all, "peak_distortion_at") == about(9007e-9).epsilon(1e-5));
    const Trace* phases = all.find_trace("phases");
    REQUIRE(phases);
    CHECK(phases->x.size() == 15);
    CHECK(value(at("1"), "peak_distortion") < 2e-3);
}
