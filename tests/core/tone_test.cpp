// Quality of tones on sums of sines and noise.
#include <doctest/doctest.h>

#include "tests/about.hpp"
#include "tests/core/made_signals.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

struct Sine {
    double amplitude, frequency, phase = 0;
};

std::vector<double> volts_of(const std::vector<Sine>& sines, double noise_rms, double rate, std::size_t count,
                             double offset = 0) {
    std::vector<double> out;
    std::mt19937_64 random(4);
    std::normal_distribution<double> normal(0, noise_rms > 0 ? noise_rms : 1);
    for (std::size_t i = 0; i < count; ++i) {
        double v = offset + (noise_rms > 0 ? normal(random) : 0);
        for (const auto& s : sines)
            v += s.amplitude * std::sin(2 * made::pi * s.frequency * static_cast<double>(i) / rate + s.phase);
        out.push_back(v);
    }
    return out;
}

Waveform wave_of(const std::vector<Sine>& sines, double noise_rms, double rate, std::size_t count,
                 double offset = 0) {
    return waveform_in_memory(volts_of(sines, noise_rms, rate, count, offset), 1 / rate);
}

}  // namespace

TEST_CASE("level, THD, THD+N and SINAD of a tone that fits no transform") {
    const double f = 997.31, noise = 1e-3;
    const auto wave = wave_of({{1.5, f}, {0.015, 2 * f, 1}, {0.006, 3 * f, 2}, {0.003, 5 * f, 0.3}}, noise,
                              48e3, 96000, 0.2);
    const auto out = run("tone.quality", wave);
    const double harmonic = 0.015 * 0.015 + 0.006 * 0.006 + 0.003 * 0.003, fundamental = 1.5 * 1.5;
    const double in_band = 2 * noise * noise * (20000 - 20) / 24000;
    CHECK(value(out, "frequency") == about(f).epsilon(1e-7));
    CHECK(value(out, "level") == about(1.5 / std::sqrt(2.0)).epsilon(1e-5));
    CHECK(value(out, "thd") == about(100 * std::sqrt(harmonic / fundamental)).epsilon(0.002));
    const double whole = std::sqrt((harmonic + in_band) / (fundamental + harmonic + in_band));
    CHECK(value(out, "thd_n") == about(100 * whole).epsilon(0.005));
    CHECK(value(out, "sinad") == about(-20 * std::log10(whole)).epsilon(0.001));
    CHECK(value(out, "snr") == about(10 * std::log10(fundamental / in_band)).epsilon(0.003));
    CHECK(value(out, "offset") == about(0.2).epsilon(1e-4));
    // Out-of-band noise does not count.
    const auto narrow = run("tone.quality", wave, {{"highest", "10 kHz"}});
    CHECK(value(narrow, "snr") ==
          about(10 * std::log10(fundamental / (2 * noise * noise * 9980 / 24000))).epsilon(0.003));
}

TEST_CASE("a clean tone shows the quantisation of its samples: 16 bits give 98 dB") {
    auto volts = volts_of({{32760, 1234.5}}, 0, 48e3, 96000);
    for (double& v : volts) v = std::round(v);
    CHECK(value(run("tone.quality", waveform_in_memory(volts, 1 / 48e3),
                    {{"lowest", "0 Hz"}, {"highest", "24 kHz"}}),
                "sinad") == about(98.1).epsilon(0.003));
}

TEST_CASE("what is no tone is refused") {
    const auto noise = run("tone.quality", wave_of({}, 0.1, 48e3, 48000));
    REQUIRE(noise.invalid);
    CHECK(noise.invalid->starts_with("no tone"));
    CHECK(*run("tone.quality", wave_of({}, 0, 48e3, 48000)).invalid == "the waveform holds no tone");
    CHECK(input_error([] {
              run("tone.quality", wave_of({{1, 100}}, 0, 48e3, 1900), {{"frequency", "100 Hz"}});
          }).find("fewer than five periods") != std::string::npos);
}

TEST_CASE("response of a first-order high-pass from a stepped tone") {
    std::vector<double> volts;
    const double rate = 48e3, corner = 60;
    const std::vector<double> steps{25, 40, 63, 100, 250, 1000, 4000, 16000};
    double phase = 0;
    for (const double f : steps) {
        const double gain = 1 / std::sqrt(1 + (corner / f) * (corner / f));
        for (int i = 0; i < 19200; ++i) {
            volts.push_back(gain * std::sin(phase));
            phase += 2 * made::pi * f / rate;
        }
    }
    const auto out = run("tone.response", waveform_in_memory(volts, 1 / rate));
    const Trace& trace = *out.find_trace("response");
    REQUIRE(trace.x.size() == steps.size());
    for (std::size_t i = 0; i < steps.size(); ++i) {
        CAPTURE(steps[i]);
        CHECK(trace.x[i] == about(steps[i]).epsilon(1e-3));
        const double expected = -10 * std::log10(1 + std::pow(corner / steps[i], 2)) +
                                10 * std::log10(1 + std::pow(corner / 1000, 2));
        CHECK(trace.y[i] == within(0.02, expected));
    }
}
