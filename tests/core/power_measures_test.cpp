// Channel power, bandwidths, markers, carrier and final emission readings on signals with known truth.
#include <doctest/doctest.h>

#include "core/rules/judge.hpp"
#include "tests/about.hpp"
#include "tests/core/made_rule.hpp"
#include "tests/core/made_signals.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

// White noise only between -half and half: a signal whose bandwidths are known exactly.
IqRecord band_of_noise(double half, double power_db, double rate, std::size_t count) {
    made::Samples x(count);
    std::mt19937_64 random(7);
    std::uniform_real_distribution<double> turn(0, 2 * made::pi);
    // A comb of tones with random phases, 50 Hz apart in a record of 20 ms periods.
    const double step = 50;
    const auto lines = static_cast<int>(half / step);
    std::vector<double> phases;
    for (int k = -lines; k <= lines; ++k) phases.push_back(turn(random));
    const auto period = static_cast<std::size_t>(rate / step);
    made::Samples one(period);
    const double amplitude = std::sqrt(std::pow(10, power_db / 10) / (2 * lines + 1));
    for (std::size_t n = 0; n < period; ++n) {
        for (int k = -lines; k <= lines; ++k) {
            one[n] += std::polar(amplitude, phases[static_cast<std::size_t>(k + lines)] +
                                                2 * made::pi * k * step * static_cast<double>(n) / rate);
        }
    }
    for (std::size_t n = 0; n < count; ++n) x[n] = one[n % period];
    return made::record(x, rate, 868e6, 10.0);
}

}  // namespace

TEST_CASE("channel power and occupied bandwidth of a band of noise") {
    const auto record = band_of_noise(25e3, -20, 200e3, 200000);
    // -20 dB below full scale at +10 dBm.
    const auto power = run("spectrum.channel-power", record,
                           {{"centre", "868 MHz"},
                            {"channel_bandwidth", "60 kHz"},
                            {"spacing", "60 kHz"},
                            {"neighbours", "one"},
                            {"density_window", "10 kHz"}});
    CHECK(value(power, "channel_power") == about(-10).epsilon(0.002));
    CHECK(value(power, "mean_density") == about(-10 - 10 * std::log10(60e3)).epsilon(0.001));
    CHECK(value(power, "highest_density") == about(-10 - 10 * std::log10(5)).epsilon(0.01));
    CHECK(value(power, "adjacent_low") < -80);
    const auto width =
        run("spectrum.occupied-bandwidth", record, {{"bandwidth", "500 Hz"}, {"down", "26 dB"}});
    CHECK(value(width, "occupied_bandwidth") == about(0.99 * 50e3).epsilon(0.005));
    CHECK(std::abs(value(width, "centre_offset")) < 100);
    CHECK(value(width, "power") == about(-10).epsilon(0.002));
    CHECK(value(width, "level_bandwidth") == about(50.9e3).epsilon(0.01));
    CHECK(
        input_error([&] {
            run("spectrum.channel-power", record, {{"centre", "868 MHz"}, {"channel_bandwidth", "300 kHz"}});
        }) ==
        "the channel from 867.85 MHz to 868.15 MHz is wider than the trace, which covers 867.9 MHz to "
        "868.0999 MHz");
}

TEST_CASE("adjacent channels are told apart") {
    // Three tones: the channel, one 20 dB lower in the next channel up, one 30 dB lower two channels down.
    auto x = made::tone(0.5, 0, 1e6, 200000);
    const auto up = made::tone(0.05, 100e3, 1e6, x.size()),
               down = made::tone(0.5 * std::pow(10, -1.5), -200e3, 1e6, x.size());
    for (std::size_t i = 0; i < x.size(); ++i) x[i] += up[i] + down[i];
    const auto out = run("spectrum.channel-power", made::record(x, 1e6, 1e9, 0.0),
                         {{"centre", "1 GHz"}, {"channel_bandwidth", "80 kHz"}, {"spacing", "100 kHz"}});
    CHECK(value(out, "channel_power") == about(-6.02).epsilon(0.003));
    CHECK(value(out, "adjacent_high") == about(-20).epsilon(0.002));
    CHECK(value(out, "alternate_low") == about(-30).epsilon(0.002));
    CHECK(value(out, "adjacent_low") < -100);
    CHECK(value(out, "alternate_power") == about(-36.02).epsilon(0.002));
}

TEST_CASE("markers find peaks between points and their distance") {
    auto x = made::tone(0.4, 12.3e3, 200e3, 100000);
    const auto second = made::tone(0.04, -40.1e3, 200e3, x.size());
    for (std::size_t i = 0; i < x.size(); ++i) x[i] += second[i];
    made::add_noise(x, 1e-4);
    const auto out = run("spectrum.markers", made::record(x, 200e3, 0, 0.0),
                         {{"bandwidth", "1 kHz"}, {"prominence", "10 dB"}});
    CHECK(value(out, "peak_level") == about(-7.96).epsilon(0.01));
    CHECK(value(out, "peak_frequency") == about(12.3e3).epsilon(1e-4));
    CHECK(value(out, "delta_level") == about(-20).epsilon(0.005));
    CHECK(value(out, "delta_frequency") == about(-52.4e3).epsilon(1e-4));
    CHECK(value(out, "peak_width") == about(1000).epsilon(0.03));
}

TEST_CASE("a carrier is measured to a fraction of a hertz, a modulated one refused") {
    auto x = made::tone(0.1, 12345.678, 1e6, 100000);
    made::add_noise(x, 0.01);
    const auto out = run("radio.carrier", made::record(x, 1e6, 2.4e9, 3.0), {{"centre", "2.40001 GHz"}});
    // Cramer-Rao bound of the frequency: sqrt(6 / (SNR N)) fs / (2 pi N) = 0.0012 Hz here.
    CHECK(value(out, "carrier_frequency") == about(2.4e9 + 12345.678).epsilon(1e-11));
    CHECK(value(out, "frequency_offset") == about(2345.678).epsilon(1e-5));
    CHECK(value(out, "frequency_error") == about(0.97737).epsilon(1e-4));
    CHECK(value(out, "carrier_power") == about(-17).epsilon(0.001));
    CHECK(value(out, "carrier_to_rest") == about(20).epsilon(0.01));
    made::Oqpsk frame;
    const auto wrong = run("radio.carrier", made::record(frame.make(), 16e6), {});
    REQUIRE(wrong.invalid);
    CHECK(wrong.invalid->starts_with("no unmodulated carrier"));
    CHECK(wrong.results.empty());
}

TEST_CASE("spurious emission beside a carrier") {
    auto x = made::tone(0.5, 0, 10e6, 200000);
    for (const auto& [f, db] : {std::pair{2e6, -60.0}, std::pair{-3.1e6, -70.0}}) {
        const auto more = made::tone(std::pow(10, db / 20), f, 10e6, x.size());
        for (std::size_t i = 0; i < x.size(); ++i) x[i] += more[i];
    }
    const auto out =
        run("radio.spurious", made::record(x, 10e6, 1e9, 0.0),
            {{"bandwidth", "10 kHz"}, {"carrier", "1 GHz"}, {"exclude", "1 MHz"}, {"threshold", "-90 dBm"}});
    CHECK(value(out, "highest_level") == about(-60).epsilon(0.002));
    CHECK(value(out, "highest_frequency") == about(1.002e9).epsilon(1e-5));
    CHECK(value(out, "peaks_found") == 2);
}

TEST_CASE("a final reading stands at the true maximum and is judged with its own detector") {
    // A line of 60 dBuV, keyed on and off (20 %): the detectors differ, the limits of both are asked.
    const double rate = 100e3, amplitude = 0.2;
    made::Samples x = made::tone(amplitude, 3.3e3, rate, 300000);
    for (std::size_t i = 0; i < x.size(); ++i) x[i] *= (i / 200) % 5 == 0 ? 1 : 0;
    // |x| = 1 is 60 dBuV + 13.98 dB.
    const double reference = 60 + 20 * std::log10(1 / amplitude) - 106.98970004336019;
    const auto record = made::record(x, rate, 10e6, reference);
    const auto out = run("emission.final", record, {{"frequency", "10.001 MHz"}, {"bandwidth", "9 kHz"}});
    CHECK(value(out, "frequency") == about(10.0033e6).epsilon(2e-5));
    CHECK(value(out, "peak") == about(60).epsilon(0.001));
    CHECK(value(out, "average") == about(60 + 20 * std::log10(0.2)).epsilon(0.005));
    CHECK(value(out, "rms") == about(60 + 10 * std::log10(0.2)).epsilon(0.005));
    CHECK(value(out, "quasi_peak") < 60);
    CHECK(value(out, "quasi_peak") > value(out, "rms"));
    CHECK(value(out, "level") == value(out, "quasi_peak"));
    Rulebook book;
    book.id = "b";
    Rule rule = made_rule("emission", Unit::dbuv,
                          LimitLine({{5e6, 30e6, 50, 50, Interpolation::linear}}, Sense::upper));
    rule.detector = Detector::average;
    const auto finding = judge({&book, &rule}, out, {});
    CHECK(finding.verdict == Verdict::pass);
    CHECK(*finding.value == about(value(out, "average")));
    const auto brief =
        run("emission.final", made::record(made::tone(0.1, 0, rate, 50000), rate, 10e6, reference),
            {{"frequency", "10 MHz"}, {"bandwidth", "9 kHz"}, {"detector", "peak"}});
    CHECK_FALSE(brief.find_result("quasi_peak"));
    CHECK(brief.notes.front().find("shorter than their meter needs") != std::string::npos);
}
