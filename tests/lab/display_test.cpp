// The simulated analyser against closed forms.
#include "lab/simulate/spectrum_display.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "core/dsp/resolution.hpp"
#include "tests/about.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

SpectrumSetup setup_of(double centre, double span, std::size_t points, double bandwidth, Detector detector,
                       double dwell) {
    SpectrumSetup setup;
    setup.start_hz = centre - span / 2;
    setup.stop_hz = centre + span / 2;
    setup.points = points;
    setup.resolution_bandwidth_hz = bandwidth;
    setup.detector = detector;
    setup.dwell_s = dwell;
    return setup;
}

double mean(const std::vector<double>& values) {
    return std::accumulate(values.begin(), values.end(), 0.0) / static_cast<double>(values.size());
}

// Mean level of the noise floor alone.
double floor_dbm(Detector detector, double bandwidth, double attenuation, double dwell = 0.1) {
    const auto setup = setup_of(100e6, 50e6, 2001, bandwidth, detector, dwell);
    return mean(show({}, setup, {0, attenuation, 20}, 1).level_dbm);
}

}  // namespace

TEST_CASE("a line reads its level at its frequency and the filter's shape beside it") {
    Emission emission;
    emission.lines.push_back({10e6, -40, 1});
    const auto setup = setup_of(10e6, 18e3, 9, 9e3, Detector::rms, 0.02);
    const auto display = show(emission, setup, {-10, 10, 20}, 1);
    const auto filter = GaussianFilter::with_6db(9e3);
    for (std::size_t i = 0; i < 9; ++i) {
        const double offset = setup.step_hz() * static_cast<double>(i) - 9e3;
        CAPTURE(offset);
        CHECK(display.level_dbm[i] ==
              about(-40 + 10 * std::log10(filter.power_response(offset))).epsilon(0.002));
    }
    CHECK_FALSE(display.overload);
}

TEST_CASE("noise reads density times noise bandwidth; each detector has its factor") {
    // -173.975 dBm/Hz + 20 dB noise figure + 10 dB attenuation, in 1.0645 x 100 kHz: -93.70 dBm.
    const double expected = -173.975 + 20 + 10 + 10 * std::log10(1.0645 * 100e3);
    CHECK(floor_dbm(Detector::rms, 100e3, 10) == about(expected).epsilon(0.0005));
    // Mean of a Rayleigh envelope: 20 log10(sqrt(pi) / 2) = -1.05 dB below rms.
    CHECK(floor_dbm(Detector::average, 100e3, 10) - expected == about(-1.05).epsilon(0.03));
    // Mean of the logarithm of single samples: -2.51 dB.
    CHECK(floor_dbm(Detector::sample, 100e3, 10) - expected == about(-2.51).epsilon(0.08));
    // The largest of n = 100 exponential powers is 10 log10(H_n) = 7.15 dB in power; its mean level is lower.
    const double peak = floor_dbm(Detector::peak, 100e3, 10, 1e-3) - expected;
    CHECK(peak > 6.4);
    CHECK(peak < 7.2);
    CHECK(floor_dbm(Detector::negative_peak, 100e3, 10) < expected - 10);
}

TEST_CASE("ten times the bandwidth is 10 dB more noise, 10 dB more attenuation too; lines stay") {
    CHECK(floor_dbm(Detector::rms, 1e6, 10) - floor_dbm(Detector::rms, 100e3, 10) == about(10).epsilon(0.01));
    CHECK(floor_dbm(Detector::rms, 100e3, 20) - floor_dbm(Detector::rms, 100e3, 10) ==
          about(10).epsilon(0.01));
    Emission line;
    line.lines.push_back({100e6, -30, 1});
    for (const double bandwidth : {1e3, 100e3}) {
        const auto setup = setup_of(100e6, 10e3, 3, bandwidth, Detector::peak, 0.1);
        CHECK(show(line, setup, {0, 10, 20}, 1).level_dbm[1] == about(-30).epsilon(0.002));
    }
}

TEST_CASE("bursts read full level in peak and their share in average") {
    Emission bursts;
    bursts.lines.push_back({10e6, -40, 0.25});
    const auto level = [&](Detector detector) {
        return show(bursts, setup_of(10e6, 1e3, 3, 9e3, detector, 1), {-10, 0, 20}, 5).level_dbm[1];
    };
    CHECK(level(Detector::peak) == about(-40).epsilon(0.005));
    CHECK(level(Detector::average) == about(-40 + 20 * std::log10(0.25)).epsilon(0.02));  // mean envelope
    CHECK(level(Detector::rms) == about(-40 + 10 * std::log10(0.25)).epsilon(0.02));      // mean power
}

TEST_CASE("overload by the span, by the whole port, and not below") {
    Emission emission;
    emission.lines.push_back({10e6, 0, 1});
    const auto near = setup_of(10e6, 1e6, 101, 9e3, Detector::peak, 0.01);
    const auto far = setup_of(50e6, 1e6, 101, 9e3, Detector::peak, 0.01);
    CHECK_FALSE(show(emission, near, {0, 20, 20}, 1).overload);
    const auto over = show(emission, near, {-10, 20, 20}, 1);
    CHECK(over.overload);
    CHECK(*std::max_element(over.level_dbm.begin(), over.level_dbm.end()) ==
          -7);  // stops 3 dB above the reference
    CHECK_FALSE(show(emission, far, {-40, 20, 20}, 1).overload);
    CHECK(show(emission, far, {-40, 0, 20}, 1).overload);  // 0 dBm at the mixer
}

TEST_CASE("weighting detectors read a steady line as it is and a pulsed one between average and peak") {
    Emission steady, pulsed;
    steady.lines.push_back({100e6, -60, 1});
    pulsed.lines.push_back({100e6, -60, 0.12});
    const InputStage input{-40, 0, 10};
    const auto level = [&](const Emission& emission, Detector detector) {
        return show(emission, setup_of(100e6, 2, 3, 120e3, detector, 0.5), input, 5).level_dbm[1];
    };
    CHECK(level(steady, Detector::quasi_peak) == about(-60).epsilon(0.005));
    CHECK(level(steady, Detector::cispr_average) == about(-60).epsilon(0.005));
    // Bursts of 120 us every millisecond: the charge of 1 ms and the discharge of 550 ms keep quasi-peak
    // within 1 dB of the peak; the meter behind the average reads the share on, 20 log10(0.12) = -18.4 dB.
    const double quasi = level(pulsed, Detector::quasi_peak);
    CHECK(quasi < level(pulsed, Detector::peak) - 0.05);
    CHECK(quasi > -61.2);
    CHECK(level(pulsed, Detector::cispr_average) == about(-78.4).epsilon(0.006));
}

TEST_CASE("the same seed gives the same display") {
    const auto setup = setup_of(10e6, 1e6, 101, 9e3, Detector::peak, 0.01);
    CHECK(show({}, setup, {}, 3).level_dbm == show({}, setup, {}, 3).level_dbm);
    CHECK(show({}, setup, {}, 3).level_dbm != show({}, setup, {}, 4).level_dbm);
}

TEST_CASE("the spectrum of O-QPSK holds its whole power, with nulls where they belong") {
    const double chip = 2e6;
    double sum = 0, third = 0;
    for (double f = -20e6; f <= 20e6; f += 10e3) {
        sum += oqpsk_density(f, chip) * 10e3;
        third += oqpsk_regrowth_density(f, chip) * 10e3;
    }
    CHECK(sum == about(1).epsilon(0.001));
    CHECK(third == about(1).epsilon(0.003));  // the table ends at ten chip rates
    CHECK(oqpsk_density(0, chip) == about(16 / (M_PI * M_PI * chip)));
    CHECK(oqpsk_density(1.5e6, chip) < 1e-6 * oqpsk_density(0, chip));  // first null at 0.75 of the chip rate
    CHECK(oqpsk_density(0.5e6, chip) == about(1 / chip).epsilon(0.001));            // the removable pole
    CHECK(oqpsk_regrowth_density(2.5e6, chip) > 100 * oqpsk_density(2.5e6, chip));  // products fill the nulls
}

TEST_CASE("a carrier's channel power is what it was given") {
    Emission emission;
    emission.carriers.push_back({2440e6, 3, -100, 2e6});
    const auto setup = setup_of(2440e6, 20e6, 801, 100e3, Detector::rms, 0.01);
    const auto display = show(emission, setup, {10, 30, 20}, 1);
    double power = 0;
    for (const double level : display.level_dbm) power += std::pow(10, level / 10);
    power *= setup.step_hz() / GaussianFilter::with_3db(100e3).noise_bandwidth_hz();
    CHECK(10 * std::log10(power) == about(3).epsilon(0.02));
}
