// Spectra of complex samples: densities, filters and detectors against closed forms.
#include <doctest/doctest.h>

#include "core/dsp/density.hpp"
#include "core/dsp/iq_scan.hpp"
#include "core/dsp/peaks.hpp"
#include "tests/about.hpp"
#include "tests/core/made_signals.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

double db(double ratio) {
    return 20 * std::log10(ratio);
}

double read_at(const IqRecord& record, double frequency, const GaussianFilter& filter, Detector detector) {
    return measure_at(record, frequency, filter, {detector}).front();
}

}  // namespace

TEST_CASE("the noise bandwidth of windows is the published one") {
    const std::pair<Window, double> table[] = {{Window::rectangular, 1},
                                               {Window::hann, 1.5},
                                               {Window::hamming, 1.3628},
                                               {Window::blackman_harris, 2.0044},
                                               {Window::flat_top, 3.7702}};
    for (const auto& [window, bins] : table) {
        CAPTURE(name(window));
        CHECK(noise_bandwidth_bins(window_values(window, 4096)) == about(bins).epsilon(1e-3));
    }
}

TEST_CASE("density of white noise is flat and sums to its power, whatever window and overlap") {
    made::Samples x(200000);
    made::add_noise(x, 0.1);
    double mean = 0;
    for (const auto& v : x) mean += std::norm(v) / static_cast<double>(x.size());
    for (const Window window : {Window::rectangular, Window::hann, Window::blackman_harris}) {
        for (const double overlap : {0.0, 0.5, 0.75}) {
            const auto seen = power_density(made::record(x, 2e6, 1e9), {1000, window, overlap});
            double total = 0;
            for (const double p : seen.per_hz) total += p * seen.step_hz;
            CHECK(total == about(mean).epsilon(0.01));
            CHECK(seen.frequency_hz.front() == about(1e9 - 1e6));
            CHECK(seen.frequency_hz[500] == about(1e9));
        }
    }
}

TEST_CASE(
    "a tone stands at its frequency with its power, and the result does not depend on how work is shared") {
    auto x = made::tone(0.25, 123e3, 1e6, 100000);
    const auto record = made::record(x, 1e6);
    const auto seen = power_density(record, {2048, Window::blackman_harris, 0.5});
    double total = 0;
    for (const double p : seen.per_hz) total += p * seen.step_hz;
    CHECK(total == about(0.0625).epsilon(1e-4));
    const auto top = std::max_element(seen.per_hz.begin(), seen.per_hz.end()) - seen.per_hz.begin();
    CHECK(seen.frequency_hz[static_cast<std::size_t>(top)] == about(123e3).epsilon(0.004));
    const auto again = power_density(record, {2048, Window::blackman_harris, 0.5});
    CHECK(again.per_hz == seen.per_hz);
    CHECK(input_error([&] {
              power_density(record, {200000, Window::hann, 0.5});
          }) ==
          "the record of 100000 samples is shorter than one transform of 200000: choose a wider resolution "
          "or a "
          "longer record");
}

TEST_CASE("detectors read a steady tone alike, and noise as theory says") {
    const auto filter = GaussianFilter::with_6db(9e3);
    const auto tone = made::record(made::tone(0.3, 20e3, 200e3, 300000), 200e3);
    for (const Detector d : {Detector::peak, Detector::average, Detector::rms, Detector::sample,
                             Detector::quasi_peak, Detector::cispr_average, Detector::negative_peak}) {
        CAPTURE(name(d));
        CHECK(db(read_at(tone, 20e3, filter, d) / 0.3) == within(0.02, 0));
    }
    // Gaussian noise behind a Gaussian filter: power = density times noise bandwidth; the mean envelope of a
    // Rayleigh distribution is sqrt(pi)/2 of the rms, -1.05 dB.
    made::Samples x(600000);
    made::add_noise(x, 0.1);
    const auto noise = made::record(x, 200e3);
    const double rms = read_at(noise, 0, filter, Detector::rms),
                 average = read_at(noise, 0, filter, Detector::average);
    const double expected = 0.1 * std::sqrt(filter.noise_bandwidth_hz() / 200e3);
    CHECK(db(rms / expected) == within(0.15, 0));
    CHECK(db(average / rms) == about(-1.05).epsilon(0.05));
    CHECK(read_at(noise, 0, filter, Detector::peak) > 2 * rms);
}

TEST_CASE("the filter has the bandwidth that its name says") {
    const auto record = made::record(made::tone(1, 0, 1e6, 40000), 1e6);
    CHECK(db(read_at(record, 4.5e3, GaussianFilter::with_6db(9e3), Detector::rms)) ==
          about(-6.02).epsilon(0.005));
    CHECK(db(read_at(record, 5e3, GaussianFilter::with_3db(10e3), Detector::rms)) ==
          about(-3.01).epsilon(0.005));
    // The same with all frequencies at once.
    ScanSettings settings;
    settings.filter = GaussianFilter::with_6db(9e3);
    settings.detectors = {Detector::rms};
    settings.start_hz = -20e3, settings.stop_hz = 20e3;
    const Scan seen = scan(record, settings);
    std::size_t held = 0;
    for (std::size_t i = 0; i < seen.frequency_hz.size(); ++i) {
        const double expected = 10 * std::log10(settings.filter.power_response(seen.frequency_hz[i]));
        if (expected <= -60) continue;
        CHECK(db(seen.reading[0][i]) == within(10 * 0.005, expected));
        ++held;
    }
    CHECK(held > 8);
}

TEST_CASE("pulses read as CISPR 16-1-1 says: peak by the impulse bandwidth, average by the rate") {
    // A pulse of unit area: sqrt(2) A Bimp, average sqrt(2) A rate, rms sqrt(2) A sqrt(rate Bnoise), as
    // amplitudes with the factor 2 of the analytic signal.
    const double rate = 1.2e6, pulses = 1000;
    std::vector<std::complex<float>> samples(600000);
    for (std::size_t i = 600; i < samples.size(); i += 1200) samples[i] = 1.0F;
    const auto record = iq_in_memory(samples, rate, 0, {}, 10);
    const auto filter = GaussianFilter::with_6db(120e3);
    const double area = 1 / rate;
    CHECK(db(read_at(record, 0, filter, Detector::peak) / (area * 1.064 * 120e3)) == within(0.1, 0));
    CHECK(db(read_at(record, 0, filter, Detector::average) / (area * pulses)) == within(0.05, 0));
    CHECK(db(read_at(record, 0, filter, Detector::rms) /
             (area * std::sqrt(pulses * filter.noise_bandwidth_hz()))) == within(0.05, 0));
    // All bins at once agree with one frequency.
    ScanSettings settings;
    settings.filter = filter;
    settings.detectors = {Detector::quasi_peak, Detector::average, Detector::peak};
    settings.start_hz = -100e3, settings.stop_hz = 100e3;
    const auto long_record = [&] {
        std::vector<std::complex<float>> more(1200000);
        for (std::size_t i = 600; i < more.size(); i += 12000) more[i] = 1.0F;
        return iq_in_memory(more, rate, 0, {}, 10);
    }();
    const Scan seen = scan(long_record, settings);
    const double one = read_at(long_record, 0, filter, Detector::quasi_peak);
    for (const double volts : seen.reading[0]) CHECK(db(volts / one) == within(0.3, 0));
}

TEST_CASE("what cannot be measured is refused") {
    const auto brief = made::record(made::tone(0.5, 0, 1e6, 100000), 1e6);
    const auto filter = GaussianFilter::with_6db(120e3);
    CHECK(input_error([&] { read_at(brief, 0, filter, Detector::quasi_peak); }) ==
          "the record of 100 ms is too short for the quasi-peak detector with its meter, which needs 700 ms "
          "to settle");
    CHECK(input_error([&] { read_at(brief, 0, GaussianFilter::with_6db(600e3), Detector::peak); }) ==
          "a resolution bandwidth of 600 kHz (6 dB) is too wide for a sample rate of 1 MHz: choose at most "
          "half of it");
    CHECK(input_error([&] { read_at(brief, 0, GaussianFilter::with_6db(10e3), Detector::quasi_peak); }) ==
          "quasi-peak is defined for bandwidths of 200 Hz, 9 kHz and 120 kHz (6 dB), not for 10 kHz");
    CHECK(input_error([&] {
              read_at(brief, 0, GaussianFilter::with_6db(10), Detector::peak);
          }).find("too short") != std::string::npos);
}

TEST_CASE("clipped samples are noticed, a tone of full scale is not") {
    made::Samples noise(50000);
    made::add_noise(noise, 0.5);
    auto clipped = noise;
    for (auto& v : clipped)
        v = made::Complex(std::clamp(v.real(), -1.0, 1.0), std::clamp(v.imag(), -1.0, 1.0));
    const auto read = [](const IqRecord& r) {
        r.read(0, static_cast<std::size_t>(r.size()));
        return r.samples->clipped();
    };
    CHECK(read(made::record(clipped, 1e6)));
    CHECK_FALSE(read(made::record(noise, 1e6)));
    CHECK_FALSE(read(made::record(made::tone(1, 125e3, 1e6, 50000), 1e6)));
    CHECK_FALSE(read(made::record(made::tone(1, 1234, 1e6, 50000), 1e6)));
}

TEST_CASE("peaks stand out by their prominence") {
    const std::vector<double> x{0, 1, 2, 3, 4, 5, 6, 7, 8, 9}, level{0, 10, 4, 8, 2, 9, 9, 1, 3, 0};
    const auto peaks = find_peaks(level, 3);
    REQUIRE(peaks.size() == 3);
    CHECK(peaks[0].at == 1);
    CHECK(peaks[0].prominence == 10);
    CHECK(peaks[1].at == 5);  // the middle of a flat top
    CHECK(peaks[1].prominence == 7);
    CHECK(peaks[2].at == 3);
    CHECK(peaks[2].prominence == 4);
    CHECK(merged(peaks, x, 3).size() == 2);
}
