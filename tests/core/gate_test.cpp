// Spectra of bursts alone, against what the bursts were made of.
#include <cmath>
#include <complex>
#include <numbers>
#include <random>

#include "core/base/error.hpp"
#include "core/dsp/frames.hpp"
#include "core/signal/iq_record.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;

namespace {

// A tone 1 MHz above the centre, on for 100 us of every 500 us, over noise; 10 MHz, full scale 0 dBm. Between
// the bursts another tone stands 2 MHz below the centre.
IqRecord gated_tone(double level, double between, double noise_rms) {
    const double rate = 10e6;
    std::mt19937 random(7);
    std::normal_distribution<double> normal(0, noise_rms / std::numbers::sqrt2);
    std::vector<std::complex<float>> x;
    for (int n = 0; n < 200000; ++n) {
        const double t = n / rate, place = std::fmod(t, 500e-6);
        const bool on = place >= 200e-6 && place < 300e-6;
        std::complex<double> value(normal(random), normal(random));
        value += on ? std::polar(level, 2 * std::numbers::pi * 1e6 * t)
                    : std::polar(between, -2 * std::numbers::pi * 2e6 * t);
        x.emplace_back(value);
    }
    return iq_in_memory(std::move(x), rate, 2.44e9, 0);
}

}  // namespace

TEST_CASE("gated, a burst has the power that it has while it is on") {
    const IqRecord record = gated_tone(0.1, 0, 1e-4);
    const Settings wide{{"channel_bandwidth", "1 MHz"},
                        {"neighbours", "none"},
                        {"centre", "2.441 GHz"},
                        {"bandwidth", "200 kHz"}};
    // On for a fifth of the time: 7 dB less on the average.
    CHECK(value(run("spectrum.channel-power", record, wide), "channel_power") ==
          about(-20 - 6.99).epsilon(0.002));
    Settings gated = wide;
    gated.emplace_back("gate", "bursts");
    CHECK(value(run("spectrum.channel-power", record, gated), "channel_power") == about(-20).epsilon(0.001));
    CHECK(value(run("spectrum.density", record, {{"gate", "bursts"}, {"transform_size", "512"}}),
                "total_power") == about(-20).epsilon(0.001));
}

TEST_CASE("what stands between bursts is not seen through the gate") {
    const IqRecord record = gated_tone(0.1, 0.001, 1e-5);
    const Settings span{{"bandwidth", "200 kHz"}, {"start", "2.4375 GHz"}, {"stop", "2.4385 GHz"}};
    const auto all = run("radio.spurious", record, span);
    CHECK(value(all, "highest_level") > -60.1);  // and more where a burst is switched
    Settings gated = span;
    for (const auto& setting :
         Settings{{"gate", "bursts"}, {"gate_delay", "20 us"}, {"gate_length", "60 us"}})
        gated.push_back(setting);
    CHECK(value(run("radio.spurious", record, gated), "highest_level") < -75);
}

TEST_CASE("gates that cannot be kept end in a reason") {
    const IqRecord record = gated_tone(0.1, 0, 1e-4);
    Settings narrow{{"channel_bandwidth", "1 MHz"},
                    {"neighbours", "none"},
                    {"centre", "2.441 GHz"},
                    {"bandwidth", "1 kHz"},
                    {"gate", "bursts"}};
    const auto none = run("spectrum.channel-power", record, narrow);
    REQUIRE(none.invalid);
    CHECK(none.invalid->find("the longest part of a burst to use is 1") != std::string::npos);
    const auto nothing = run("spectrum.channel-power", record,
                             {{"channel_bandwidth", "1 MHz"},
                              {"centre", "2.441 GHz"},
                              {"neighbours", "none"},
                              {"gate", "bursts"},
                              {"trigger_power", "-5 dBm"}});
    REQUIRE(nothing.invalid);
    CHECK(*nothing.invalid == "gate: no burst reaches the trigger level of -5 dBm");
    const Settings weighted{{"bandwidth", "120 kHz"}, {"detector", "quasi-peak"}, {"gate", "bursts"}};
    CHECK_THROWS_AS(run("spectrum.markers", record, weighted), Error);
    Spectrum spectrum;
    spectrum.frequency_hz = {1, 2, 3};
    spectrum.level = {1, 2, 1};
    CHECK_THROWS_AS(run("spectrum.markers", spectrum, {{"gate", "bursts"}}), Error);
}

TEST_CASE("frames stand wholly within their gates") {
    const Frames frames(1000, 100, 30, 1.0, {{10.5, 150}, {200, 290}, {700, 2000}});
    // The first gate holds those at 11 and 41, the second is too short.
    CHECK(frames.run(0, frames.count(), 99).sample == 11);
    CHECK(frames.run(0, frames.count(), 99).frames == 2);
    CHECK(frames.run(2, frames.count(), 99).sample == 700);
    CHECK(frames.run(2, frames.count(), 99).frames == 7);
    CHECK(frames.run(4, frames.count(), 2).sample == 760);
    CHECK(frames.run(4, frames.count(), 2).frames == 2);
    CHECK(frames.count() == 9);
    CHECK(Frames(1000, 100, 30, 1.0, {}).count() == 31);
    CHECK(Frames(1000, 100, 30, 1.0, {{0, 99}}).count() == 0);
}
