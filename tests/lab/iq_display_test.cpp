// What the simulated analyser records as samples, seen with the procedures on samples.
#include "lab/simulate/iq_display.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

#include "tests/about.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

IqRecord record_of(const IqDisplay& display, const IqSetup& setup) {
    return iq_in_memory(display.samples, setup.sample_rate_hz, setup.centre_hz, display.full_scale_dbm);
}

const InputStage input{10, 30, 20};
const IqSetup setup{2.405e9, 16e6, 5e-3, 10};

}  // namespace

TEST_CASE("a line is recorded at its frequency with its level") {
    Emission emission;
    emission.lines.push_back({2.4062e9, -7.5, 1});
    const auto out = run("radio.carrier", record_of(record_samples(emission, setup, input, 1), setup));
    CHECK(value(out, "carrier_frequency") == about(2.4062e9).epsilon(1e-9));
    CHECK(value(out, "carrier_power") == about(-7.5).epsilon(0.001));
}

TEST_CASE("noise has its density, the analyser's own added") {
    Emission emission;
    emission.noise.push_back({1e9, 4e9, -110, -110});
    const auto out = run("spectrum.density", record_of(record_samples(emission, setup, input, 1), setup));
    CHECK(value(out, "median_density") == about(-110).epsilon(0.005));
    // -173.98 dBm/Hz, 20 dB noise figure, 30 dB attenuation.
    const auto own = run("spectrum.density", record_of(record_samples({}, setup, input, 1), setup));
    CHECK(value(own, "median_density") == about(-123.98).epsilon(0.005));
}

TEST_CASE("a radio sends frames with its own errors") {
    Emission emission;
    RadioErrors errors;
    errors.frequency_ppm = -13;
    errors.clock_ppm = 21;
    errors.iq_offset_db = -25;
    errors.imbalance_db = 0.5;
    errors.frame_octets = 40;
    errors.frame_gap_s = 0.3e-3;
    emission.carriers.push_back({2.405e9, 4, -40, 2e6, errors});
    const auto out = run("radio.oqpsk", record_of(record_samples(emission, setup, input, 7), setup));
    CHECK(value(out, "frames") == 2);
    CHECK(value(out, "frames_bad_check") == 0);
    CHECK(value(out, "frequency_error") == about(-13).epsilon(0.001));
    CHECK(value(out, "symbol_rate_error") == about(21).epsilon(0.05));
    CHECK(value(out, "iq_offset") == about(-25).epsilon(0.01));
    CHECK(value(out, "gain_imbalance") == about(0.5).epsilon(0.05));
    CHECK(value(out, "burst_power") == about(4).epsilon(0.01));
    const auto bursts = run("radio.bursts", record_of(record_samples(emission, setup, input, 7), setup));
    CHECK(value(bursts, "longest_burst") == about(46 * 32e-6).epsilon(0.002));
    CHECK(value(bursts, "shortest_gap") == about(0.3e-3).epsilon(0.01));
}

TEST_CASE("too much for the reference level is cut off and said") {
    Emission emission;
    emission.lines.push_back({2.405e9 + 1e6, 16, 1});
    const auto display = record_samples(emission, setup, input, 1);
    CHECK(display.overload);
    CHECK(display.full_scale_dbm == 13);
    CHECK(std::all_of(display.samples.begin(), display.samples.end(),
                      [](const auto& x) { return std::abs(x.real()) <= 1 && std::abs(x.imag()) <= 1; }));
    CHECK(run("spectrum.density", record_of(display, setup)).invalid->starts_with("overload"));
    CHECK_FALSE(record_samples({}, setup, input, 1).overload);
}

TEST_CASE("the same seed gives the same record, another one another") {
    const auto one = record_samples({}, setup, input, 3), two = record_samples({}, setup, input, 3);
    CHECK(one.samples == two.samples);
    CHECK(one.samples != record_samples({}, setup, input, 4).samples);
}
