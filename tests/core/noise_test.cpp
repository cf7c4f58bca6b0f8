// Noise from little to far too much: a value within a tolerance that grows with the noise, or none at all.
#include <cmath>
#include <functional>
#include <random>
#include <string>

#include "tests/about.hpp"
#include "tests/core/made_signals.hpp"
#include "tests/core/made_waves.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;

namespace {

struct Line {
    const char* procedure;
    const char* result;
    double truth;
    double tolerance;  // without noise
    double per_noise;  // and by noise over signal, as amplitudes
    double until_db;   // a value is given down to this ratio of powers
    Settings settings;
    std::function<Capture(double)> made;  // with noise of this part of the signal's rms
};

constexpr double rms = 0.3;

Capture samples(made::Samples x, double rate, double noise) {
    made::add_noise(x, rms * noise, 3);
    return made::record(x, rate, 2.4e9, 10.0);
}

Capture waveform(std::vector<double> v, double rate, double noise) {
    std::mt19937_64 random(5);
    std::normal_distribution<double> normal(0, rms * noise);
    for (double& value : v) value += normal(random);
    return waveform_in_memory(v, 1 / rate);
}

made::Samples keyed(double rate) {
    made::Samples x(static_cast<std::size_t>(rate * 20e-3));
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double t = std::fmod(static_cast<double>(i) / rate, 5e-3);
        if (t > 1e-3 && t < 3e-3) x[i] = std::polar(rms, 0.3 * static_cast<double>(i));
    }
    return x;
}

std::vector<double> sine(double hz, double rate, std::size_t count) {
    std::vector<double> v(count);
    for (std::size_t i = 0; i < count; ++i)
        v[i] = rms * std::sqrt(2.0) * std::sin(2 * made::pi * hz * static_cast<double>(i) / rate);
    return v;
}

std::vector<double> bits(double rate) {
    std::mt19937_64 random(9);
    std::vector<bool> b(4000);
    for (auto&& bit : b) bit = random() & 1;
    made::Switching s;
    s.edges_s = made::edges_of(b, 0.4e-9, [](std::size_t) { return 0.0; });
    s.low = -rms, s.high = rms, s.rise_s = 0.15e-9;
    return made::volts(s, rate, static_cast<std::size_t>(4000 * 0.4e-9 * rate));
}

std::vector<double> square(double rate) {
    made::Switching s;
    for (int k = 1; k < 200; ++k) s.edges_s.push_back(k * 100e-9);
    s.low = -rms, s.high = rms, s.rise_s = 10e-9;
    return made::volts(s, rate, static_cast<std::size_t>(20e-6 * rate));
}

const std::vector<Line> lines{
    {"radio.carrier",
     "carrier_frequency",
     2.4e9 + 123456.7,
     1e-3,
     0.02,
     6,
     {},
     [](double n) { return samples(made::tone(rms, 123456.7, 1e6, 100000), 1e6, n); }},
    {"radio.carrier",
     "carrier_power",
     10 + 20 * std::log10(rms),
     0.001,
     0.01,
     6,
     {},
     [](double n) { return samples(made::tone(rms, 123456.7, 1e6, 100000), 1e6, n); }},
    {"radio.bursts",
     "longest_burst",
     2e-3,
     2e-6,
     80e-6,
     6,
     {},
     [](double n) { return samples(keyed(2e6), 2e6, n); }},
    {"radio.bursts", "bursts", 4, 1e-9, 0, 6, {}, [](double n) { return samples(keyed(2e6), 2e6, n); }},
    {"radio.bursts",
     "burst_power",
     10 + 20 * std::log10(rms),
     0.02,
     2.5,
     6,
     {},
     [](double n) { return samples(keyed(2e6), 2e6, n); }},
    {"tone.quality",
     "frequency",
     1e3,
     1e-5,
     0.01,
     3,
     {},
     [](double n) { return waveform(sine(1e3, 48e3, 48000), 48e3, n); }},
    {"tone.quality",
     "level",
     rms,
     1e-5,
     0.004,
     3,
     {},
     [](double n) { return waveform(sine(1e3, 48e3, 48000), 48e3, n); }},
    {"pulse.edges",
     "amplitude",
     2 * rms,
     1e-3,
     0.2,
     14,
     {},
     [](double n) { return waveform(square(1e9), 1e9, n); }},
    {"pulse.edges",
     "rise_time",
     10e-9,
     0.1e-9,
     12e-9,
     14,
     {},
     [](double n) { return waveform(square(1e9), 1e9, n); }},
    {"serial.clock",
     "symbol_rate",
     2.5e9,
     100,
     2e4,
     10,
     {{"symbol_rate", "2.5 GHz"}},
     [](double n) { return waveform(bits(20e9), 20e9, n); }},
    {"serial.eye",
     "eye_amplitude",
     2 * rms,
     1e-3,
     0.03,
     10,
     {{"symbol_rate", "2.5 GHz"}},
     [](double n) { return waveform(bits(20e9), 20e9, n); }},
};

}  // namespace

TEST_CASE("from little noise to far too much: a value within its tolerance, or none") {
    for (const auto& line : lines) {
        CAPTURE(std::string(line.procedure));
        CAPTURE(std::string(line.result));
        bool gave_up = false;
        for (const double snr_db : {60., 30., 20., 14., 10., 6., 3., 0., -3., -10.}) {
            CAPTURE(snr_db);
            const double noise = std::pow(10, -snr_db / 20);
            const auto out = run(line.procedure, line.made(noise), line.settings);
            const Result* result = out.find_result(line.result);
            gave_up = !result;
            CHECK((result || snr_db < line.until_db));
            if (result)
                CHECK(result->value.value == within(line.tolerance + line.per_noise * noise, line.truth));
        }
        CHECK(gave_up);
    }
}
