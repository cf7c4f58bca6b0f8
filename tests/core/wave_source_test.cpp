// Which signal of a record is meant: channels, differences, delays and parts.
#include "core/measure/wave_source.hpp"

#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/catalogue/catalogue.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

constexpr double pi = std::numbers::pi;

std::vector<double> sine(double cycles_per_sample, double shift, std::size_t count = 2000) {
    std::vector<double> out;
    for (std::size_t i = 0; i < count; ++i)
        out.push_back(std::sin(2 * pi * cycles_per_sample * (static_cast<double>(i) - shift)));
    return out;
}

Parameters with(const Settings& settings) {
    Parameters p(find_procedure("tone.quality").parameters);
    for (const auto& [name, text] : settings) p.set(name, text);
    p.fill_defaults();
    return p;
}

double largest_difference(const std::vector<double>& a, const std::vector<double>& b, std::size_t margin) {
    double worst = 0;
    for (std::size_t i = margin; i + margin < a.size(); ++i) worst = std::max(worst, std::abs(a[i] - b[i]));
    return worst;
}

}  // namespace

TEST_CASE("channels alone, their difference and their common mode") {
    const Waveform wave = waveform_in_memory({sine(0.01, 0), sine(0.02, 5)}, 1e-9);
    const auto volts = [&](const char* channel) {
        return signal_of(wave, with({{"channel", channel}})).volts();
    };
    const auto one = sine(0.01, 0), two = sine(0.02, 5);
    auto difference = one, common = one;
    for (std::size_t i = 0; i < one.size(); ++i)
        difference[i] = one[i] - two[i], common[i] = (one[i] + two[i]) / 2;
    CHECK(largest_difference(volts("2"), two, 0) < 1e-6);
    CHECK(largest_difference(volts("1-2"), difference, 0) < 1e-6);
    CHECK(largest_difference(volts("2 - 1"), difference, 0) > 1);
    CHECK(largest_difference(volts("(1+2)/2"), common, 0) < 1e-6);
    const auto wrong = [&](const char* channel) { return input_error([&] { volts(channel); }); };
    CHECK(wrong("3").find("no channel 3, it has 2") != std::string::npos);
    CHECK(wrong("first").find("write 1, 1-2 or (1+2)/2") != std::string::npos);
    CHECK(wrong("0").find("is none") != std::string::npos);
}

TEST_CASE("deskew takes a delay of the second channel out, also between samples") {
    for (const double delay : {3.0, 3.37, -2.6}) {
        CAPTURE(delay);
        const Waveform wave = waveform_in_memory({sine(0.05, 0), sine(0.05, delay)}, 1e-9);
        Parameters p = with({{"channel", "1-2"}});
        p.set_quantity("deskew", {delay * 1e-9, Unit::second});
        const auto left = signal_of(wave, p).volts();
        double worst = 0;
        for (std::size_t i = 40; i + 40 < left.size(); ++i) worst = std::max(worst, std::abs(left[i]));
        CHECK(worst < 1e-3);
    }
}

TEST_CASE("a probe's ratio, and a part of the record with its time") {
    const Waveform wave = waveform_in_memory(sine(0.01, 0), 1e-6);
    const Signal part = signal_of(wave, with({{"from", "500 us"}, {"to", "700 us"}, {"probe_ratio", "10"}}));
    REQUIRE(part.size() == 200);
    CHECK(part.from_s == about(500e-6));
    CHECK(part.volts()[25] == about(10 * std::sin(2 * pi * 0.01 * 525)).epsilon(1e-5));
    const auto wrong = [&](const Settings& settings) {
        return input_error([&] { signal_of(wave, with(settings)); });
    };
    CHECK(wrong({{"from", "3 ms"}}).find("is no part of the record of 2 ms") != std::string::npos);
    CHECK(wrong({{"from", "700 us"}, {"to", "500 us"}}).find("is no part") != std::string::npos);
    CHECK(wrong({{"from", "10 us"}, {"to", "40 us"}}).find("has 30 samples, at least 64") !=
          std::string::npos);
    CHECK(wrong({{"probe_ratio", "0"}}).find("must not be 0") != std::string::npos);
}

TEST_CASE(
    "two-channel samples are two voltages; channels of different length and other captures are refused") {
    std::vector<std::complex<float>> pairs;
    for (int i = 0; i < 100; ++i) pairs.emplace_back(static_cast<float>(i), static_cast<float>(-2 * i));
    const Waveform two = take_waveform(iq_in_memory(pairs, 1e6, 0, {}, 1e9F), "tone.quality");
    REQUIRE(two.channels.size() == 2);
    CHECK(two.volts(0)[50] == 50);
    CHECK(two.volts(1)[50] == -100);
    const Waveform uneven = waveform_in_memory({sine(0.01, 0, 100), sine(0.01, 0, 90)}, 1e-9);
    CHECK(input_error([&] { take_waveform(uneven, "pulse.edges"); }).find("100 and 90 samples") !=
          std::string::npos);
    CHECK(input_error([] { take_waveform(Counts{}, "pulse.edges"); }).find("needs a waveform") !=
          std::string::npos);
}

TEST_CASE("the end of a converter's range is noticed once for each sample") {
    RailWatch watch;
    for (int pass = 0; pass < 5; ++pass) {
        for (const std::uint64_t sample : {10U, 11U, 12U}) watch.note(sample);
    }
    CHECK_FALSE(watch.clipped());
    watch.note(13);
    CHECK(watch.clipped());
}

TEST_CASE("what an oscilloscope is asked for follows from the parameters") {
    const auto setup_of = [](const char* procedure, const Settings& settings) {
        const Procedure& known = find_procedure(procedure);
        Parameters p(known.parameters);
        for (const auto& [name, text] : settings) p.set(name, text);
        p.fill_defaults();
        return std::get<WaveformSetup>(known.setup(p));
    };
    const auto eye =
        setup_of("serial.eye", {{"duration", "2 us"}, {"sample_rate", "10 GHz"}, {"range", "500 mV"}});
    CHECK(eye.span_s == 2e-6);
    CHECK(eye.points == 20001);
    CHECK(eye.range_v == 0.5);
    CHECK(eye.channels == std::vector<int>{1});
    CHECK(setup_of("serial.eye", {{"channel", "1-2"}}).channels == std::vector<int>{1, 2});
    CHECK(setup_of("serial.eye", {{"channel", "(1+2)/2"}}).channels == std::vector<int>{1, 2});
    CHECK(setup_of("bus.two-wire", {}).channels == std::vector<int>{1, 2});
    CHECK(setup_of("bus.four-wire", {{"in_channel", "4"}}).channels.size() == 4);
    CHECK(input_error([&] {
              setup_of("serial.eye", {{"duration", "1 s"}});
          }).find("more than 100000000 samples") != std::string::npos);
    CHECK(input_error([&] {
              setup_of("serial.eye", {{"range", "0 V"}});
          }).find("range") != std::string::npos);
}
