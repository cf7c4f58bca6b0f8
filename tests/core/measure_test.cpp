#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "core/base/error.hpp"
#include "core/catalogue/catalogue.hpp"
#include "core/dsp/resolution.hpp"
#include "core/measure/procedure.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

// Flat `level` (dBm in 100 kHz) within `half_width` of 2440 MHz, `floor` outside; points 25 kHz apart.
Spectrum band(double half_width, double level, double floor, double span = 20e6) {
    Spectrum s;
    s.unit = Unit::dbm;
    s.detector = Detector::rms;
    s.resolution_bandwidth_hz = 100e3;
    for (double f = -span / 2; f <= span / 2; f += 25e3) {
        s.frequency_hz.push_back(2440e6 + f);
        s.level.push_back(std::abs(f) <= half_width ? level : floor);
    }
    return s;
}

Outcome mask(Spectrum s) {
    const auto& procedure = find_procedure("radio.mask");
    Parameters p(procedure.parameters);
    p.set("centre", "2440 MHz");
    p.fill_defaults();
    return measure(procedure, std::move(s), p);
}

}  // namespace

TEST_CASE("a Gaussian filter has its closed-form bandwidths") {
    const auto three = GaussianFilter::with_3db(100e3);
    CHECK(three.power_response(50e3) == about(0.5));
    CHECK(three.noise_bandwidth_hz() == about(106.447e3).epsilon(1e-5));  // sqrt(pi / (4 ln 2)) B3
    const auto six = GaussianFilter::with_6db(9e3);
    CHECK(six.power_response(4.5e3) == about(0.25));
    CHECK(six.noise_bandwidth_hz() == about(0.7527 * 9e3).epsilon(1e-4));
    CHECK(GaussianFilter::customary(120e3).power_response(60e3) == about(0.25));
    CHECK(GaussianFilter::customary(100e3).power_response(50e3) == about(0.5));
    CHECK(10 * std::log10(six.power_response(six.reach_hz())) == about(-150));
}

TEST_CASE("noise of any scatter is no carrier of a mask, a carrier above it is one") {
    // Levels of power averaged over so many independent values: chi-squared with twice as many degrees.
    for (const double values : {1.0, 2.0, 4.0, 16.0}) {
        CAPTURE(values);
        std::mt19937_64 random(7);
        std::gamma_distribution<double> power(values, 1 / values);
        int noise = 0, carriers = 0;
        for (int i = 0; i < 300; ++i) {
            Spectrum s = band(1e6, -107, -107);
            for (auto& level : s.level) level += 10 * std::log10(power(random));
            noise += mask(s).invalid ? 0 : 1;
            const std::size_t middle = s.level.size() / 2;
            s.level[middle] = std::max(s.level[middle], -107 + 16.0);
            carriers += mask(s).invalid ? 0 : 1;
        }
        CHECK(noise <= 1);
        CHECK(carriers == 300);
    }
}

TEST_CASE("channel power of a flat band is density times width") {
    // 2 MHz at -10 dBm in a noise bandwidth of 106.447 kHz: -10 + 10 log10(2.025 MHz / 106.447 kHz) = 2.793
    // dBm; 81 points of 25 kHz stand for 2.025 MHz.
    const Outcome outcome = mask(band(1e6, -10, -200));
    REQUIRE(outcome.find_result("channel_power"));
    CHECK(outcome.find_result("channel_power")->value.value == about(2.793).epsilon(0.001));
    CHECK(outcome.find_result("reference_level")->value.value == -10);
    CHECK(outcome.find_trace("psd")->reference_level == -10);
    // 3 dB more density is 3 dB more power; disjoint halves add up.
    CHECK(mask(band(1e6, -7, -200)).find_result("channel_power")->value.value == about(5.793).epsilon(0.001));
}

TEST_CASE("radio.mask refuses what is no carrier on the channel, and shows no number then") {
    const Outcome noise = mask(band(1e6, -97, -100));
    REQUIRE(noise.invalid);
    CHECK(*noise.invalid ==
          "seen: no carrier: at most -97 dBm there, -100 dBm around it; expected: a carrier within 1 MHz of "
          "2.44 GHz that stands 6 dB above that");
    CHECK(noise.results.empty());
    Spectrum elsewhere = band(1e6, -60, -100);
    elsewhere.level[700] = -10;  // 7.5 MHz above
    const Outcome wrong = mask(elsewhere);
    REQUIRE(wrong.invalid);
    CHECK(wrong.invalid->starts_with(
        "seen: the strongest signal, -10 dBm, at 2.4475 GHz; expected: a carrier within 1 MHz of 2.44 GHz"));
    Spectrum overloaded = band(1e6, -10, -100);
    overloaded.distrust = "too much";
    CHECK(mask(overloaded).invalid == "too much");
    Spectrum volts = band(1e6, -10, -100);
    volts.unit = Unit::dbuv;
    CHECK(input_error([&] { mask(volts); }) == "radio.mask needs levels in dBm, the capture has dBuV");
}

TEST_CASE("emission.scan keeps every point and finds the highest") {
    const auto& procedure = find_procedure("emission.scan");
    Spectrum s;
    s.unit = Unit::dbuv;
    s.frequency_hz = {1e6, 2e6, 3e6};
    s.level = {10, 45, 30};
    const Outcome outcome = measure(procedure, s, Parameters(procedure.parameters));
    CHECK(outcome.find_result("highest_level")->value == Quantity{45, Unit::dbuv});
    CHECK(outcome.find_result("highest_level_frequency")->value == Quantity{2e6, Unit::hertz});
    CHECK(outcome.traces[0].y == std::vector<double>{10, 45, 30});
    CHECK(outcome.notes.size() == 2);  // neither detector nor bandwidth stated
}

TEST_CASE("parameters are checked when they are set") {
    const auto& procedure = find_procedure("emission.scan");
    Parameters p(procedure.parameters);
    CHECK(input_error([&] { p.set("bandwith", "9 kHz"); }) ==
          "unknown parameter \"bandwith\": did you mean \"bandwidth\"?");
    CHECK(input_error([&] { p.set("bandwidth", "9 V"); }) ==
          "parameter bandwidth: \"9 V\" is a voltage: write a frequency such as \"150 kHz\"");
    CHECK(input_error([&] { p.set("detector", "quasi-pick"); }) ==
          "parameter detector: unknown detector \"quasi-pick\": did you mean \"quasi-peak\"?");
    CHECK(input_error([&] { p.set("points", "1.5"); }) ==
          "parameter points: \"1.5\" is not a whole number from 1 up");
    CHECK(input_error([&] { procedure.setup(p); }) ==
          "parameter start is missing (lower end of the band): set it, or name a rule that presets it");
    p.set("start", "30 MHz");
    p.set("stop", "150 kHz");
    CHECK(input_error([&] { procedure.setup(p); }) ==
          "the band runs backwards: 30 MHz to 150 kHz; write the lower frequency first");
    CHECK(input_error([] { find_procedure("emission.scam"); }) ==
          "unknown procedure \"emission.scam\": did you mean \"emission.scan\"?");
}

TEST_CASE("without points a line between two of them loses at most 0.4 dB") {
    const auto& procedure = find_procedure("emission.scan");
    Parameters p(procedure.parameters);
    for (const auto& [name, value] :
         {std::pair{"start", "150 kHz"}, {"stop", "30 MHz"}, {"bandwidth", "9 kHz"}, {"detector", "peak"}}) {
        p.set(name, value);
    }
    p.fill_defaults();
    const auto setup = std::get<SpectrumSetup>(procedure.setup(p));
    const double loss = -10 * std::log10(GaussianFilter::with_6db(9e3).power_response(setup.step_hz() / 2));
    CHECK(loss < 0.4);
    CHECK(setup.unit == Unit::dbuv);
}
