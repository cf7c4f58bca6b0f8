// Signals of landing systems, written down from their definition.
#include <doctest/doctest.h>

#include <set>

#include "core/landing/channels.hpp"
#include "core/landing/morse.hpp"
#include "core/signal/waveform.hpp"
#include "tests/about.hpp"
#include "tests/core/made_signals.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

struct Composite {
    double rate = 48e3, seconds = 2, offset_hz = 137.3, amplitude = 0.4;
    double m90 = 0.2, m150 = 0.2, f90 = 90, f150 = 150, phase_deg = 0;  // of the 150 Hz tone
    double ident = 0, ident_hz = 1020;
    std::string text;  // steady without it
    double dot_s = 0.125, repeat_s = 10;

    // Whether the identification is on.
    bool keyed(double t) const {
        if (text.empty()) return true;
        double at = 0.4;
        const double now = std::fmod(t, repeat_s);
        for (const char letter : text) {
            for (const char mark : *landing::morse_of(letter)) {
                const double length = mark == '-' ? 3 * dot_s : dot_s;
                if (now >= at && now < at + length) return true;
                at += length + dot_s;
            }
            at += 2 * dot_s;
        }
        return false;
    }
    double depth(double t) const {
        double out = 1 + m90 * std::sin(2 * made::pi * f90 * t + 0.9) +
                     m150 * std::sin(2 * made::pi * f150 * t + 0.9 * 5 / 3 + phase_deg * made::pi / 180);
        if (ident > 0 && keyed(t)) out += ident * std::sin(2 * made::pi * ident_hz * t);
        return out;
    }
    made::Samples make() const {
        made::Samples x(static_cast<std::size_t>(rate * seconds));
        for (std::size_t n = 0; n < x.size(); ++n) {
            const double t = static_cast<double>(n) / rate;
            x[n] = std::polar(amplitude * depth(t), 2 * made::pi * offset_hz * t + 0.4);
        }
        return x;
    }
};

constexpr double localiser = 110.1e6;

Outcome measured(const Composite& signal, double noise = 1e-4, const Settings& settings = {},
                 double centre = localiser) {
    auto x = signal.make();
    made::add_noise(x, noise);
    return run("landing.signal", made::record(x, signal.rate, centre, -20.0), settings);
}

bool noted(const Outcome& out, const std::string& text) {
    for (const auto& note : out.notes)
        if (note.find(text) != std::string::npos) return true;
    return false;
}

}  // namespace

TEST_CASE("depths, their difference and sum, tones, phase, carrier, at several rates") {
    for (const double rate : {6e3, 20e3, 48e3, 250e3}) {
        Composite signal;
        signal.rate = rate, signal.m90 = 0.15, signal.m150 = 0.25, signal.phase_deg = 13;
        CAPTURE(rate);
        const auto out = measured(signal);
        INFO(out.invalid.value_or(""));
        REQUIRE_FALSE(out.invalid);
        CHECK(value(out, "depth_90") == within(0.02, 15));
        CHECK(value(out, "depth_150") == within(0.02, 25));
        CHECK(value(out, "ddm") == within(0.0003, 0.1));
        CHECK(value(out, "sdm") == within(0.03, 40));
        CHECK(value(out, "tone_90") == within(0.005, 90));
        CHECK(value(out, "tone_150") == within(0.005, 150));
        CHECK(value(out, "phase") == within(0.3, 13));
        CHECK(value(out, "carrier_frequency") == within(0.01, localiser + 137.3));
        CHECK(value(out, "frequency_error") == within(0.001, 137.3 / localiser * 1e6));
        CHECK(value(out, "carrier_power") == within(0.01, -20 + 20 * std::log10(0.4)));
        CHECK(value(out, "tones_missing") == 0);
        CHECK(noted(out, "channel 38X: localiser 110.1 MHz, glide path 334.4 MHz; this is the localiser"));
    }
}

TEST_CASE("other deviations, a glide path, tones beside their frequency, phases of 120 degrees") {
    for (const double ddm : {-0.4, -0.155, 0.0, 0.0775, 0.2}) {
        Composite signal;
        signal.m90 = 0.4 - ddm / 2, signal.m150 = 0.4 + ddm / 2;
        const auto out = measured(signal, 1e-4, {}, 334.4e6);
        CHECK(value(out, "ddm") == within(0.0005, ddm));
        CHECK(noted(out, "this is the glide path"));
    }
    Composite beside;
    beside.f90 = 90 * 1.02, beside.f150 = 150 * 1.02;
    auto out = measured(beside);
    CHECK(value(out, "tone_90") == within(0.005, 91.8));
    CHECK(value(out, "depth_150") == within(0.1, 20));
    CHECK(value(out, "phase") == within(0.5, 0));
    Composite apart;
    apart.f90 = 88.5, apart.f150 = 152;
    out = measured(apart);
    CHECK(value(out, "tone_150") == within(0.005, 152));
    CHECK(out.lacking.at("phase").find("not 3 to 5") != std::string::npos);
    for (const double phase : {-50.0, 40.0, 100.0}) {
        Composite turned;
        turned.phase_deg = phase;
        CHECK(value(measured(turned), "phase") == within(0.3, phase > 60 ? phase - 120 : phase));
    }
}

TEST_CASE("missing tones are told, never a difference of nothing") {
    Composite one;
    one.m150 = 0;
    auto out = measured(one);
    CHECK(value(out, "tones_missing") == 1);
    CHECK(value(out, "ddm") == within(0.0005, -0.2));
    CHECK(out.find_result("depth_150")->known == Known::at_most);
    CHECK_FALSE(out.find_result("tone_150"));
    Composite none;
    none.m90 = none.m150 = 0;
    out = measured(none);
    CHECK(value(out, "tones_missing") == 2);
    CHECK(out.lacking.at("ddm") == "neither tone is there");
}

TEST_CASE("identification: steady, or read, and whether it is the right one") {
    Composite signal;
    signal.seconds = 12, signal.ident = 0.1, signal.text = "ISK", signal.rate = 20e3;
    auto out = measured(signal, 1e-3, {{"ident", "isk"}});
    CHECK(value(out, "ident_wrong") == 0);
    CHECK(value(out, "ident_depth") == within(0.2, 10));
    CHECK(value(out, "ident_frequency") == within(0.3, 1020));
    CHECK(value(out, "ident_dot") == within(4e-3, 0.125));
    CHECK(value(out, "ddm") == within(0.0005, 0));
    CHECK(value(measured(signal, 1e-3, {{"ident", "ISL"}}), "ident_wrong") == 1);
    signal.text.clear(), signal.seconds = 2, signal.ident_hz = 1060;
    out = measured(signal);
    CHECK(noted(out, "a steady tone"));
    CHECK(value(out, "ident_frequency") == within(0.05, 1060));
    CHECK(value(out, "ident_depth") == within(0.1, 10));
    signal.ident = 0;
    out = measured(signal, 1e-3, {{"ident", "ISK"}});
    CHECK(value(out, "ident_wrong") == 1);
    CHECK_FALSE(out.find_result("ident_depth"));
}

TEST_CASE("down to where the noise wins") {
    for (const double ratio_db : {40.0, 20.0, 10.0}) {
        Composite signal;
        signal.m90 = 0.122, signal.m150 = 0.277;  // full deflection
        const double noise = signal.amplitude * std::pow(10, -ratio_db / 20);
        const auto out = measured(signal, noise);
        CAPTURE(ratio_db);
        // Of each depth: sqrt(2 / N) of the noise along the carrier, six of these.
        const double sigma =
            noise / signal.amplitude / std::sqrt(2.0) * std::sqrt(2 / (signal.rate * signal.seconds));
        CHECK(value(out, "ddm") == within(6 * 1.5 * sigma + 0.0003, 0.155));
    }
    made::Samples noise(96000), tone = made::tone(0.3, 400, 48e3, 96000);
    made::add_noise(noise, 0.1), made::add_noise(tone, 1e-3);
    CHECK(run("landing.signal", made::record(noise, 48e3, localiser, 0.0)).invalid);
    // A bare carrier has no tones.
    CHECK(value(run("landing.signal", made::record(tone, 48e3, localiser, 0.0)), "tones_missing") == 2);
    Composite brief;
    brief.seconds = 0.1;
    CHECK(measured(brief).invalid->find("200 ms") != std::string::npos);
}

TEST_CASE("detected audio: depth over its direct voltage, none without it") {
    Composite signal;
    signal.m90 = 0.15, signal.m150 = 0.25;
    std::vector<double> volts;
    for (int n = 0; n < 96000; ++n) volts.push_back(0.7 * signal.depth(n / 48e3));
    auto out = run("landing.signal", waveform_in_memory({volts}, 1 / 48e3));
    CHECK(value(out, "ddm") == within(0.0003, 0.1));
    CHECK(out.lacking.contains("carrier_frequency"));
    for (auto& value : volts) value -= 0.7;
    out = run("landing.signal", waveform_in_memory({volts}, 1 / 48e3));
    REQUIRE(out.invalid);
    CHECK(out.invalid->find("couple the detector for direct voltage") != std::string::npos);
}

TEST_CASE("channels: all forty pairs, each glide path once; names and what is none") {
    std::set<long> glide;
    for (const auto& channel : landing::channels()) {
        glide.insert(std::lround(channel.glide_path_hz / 1e3));
        // n = 17 + 10 (f - 108.0) with f to 0.1 MHz; Y for those 50 kHz above.
        const long khz = std::lround(channel.localiser_hz / 1e3);
        CHECK(channel.number == 17 + (khz / 100 * 100 - 108000) / 100);
        CHECK(channel.letter == (khz % 100 == 50 ? 'Y' : 'X'));
        CHECK(landing::channel_called(channel.name())->localiser_hz == channel.localiser_hz);
        CHECK(landing::channel_at(channel.glide_path_hz + 10e3)->glide_path);
    }
    CHECK(glide.size() == 40);
    CHECK(*glide.begin() == 329150);
    CHECK(*glide.rbegin() == 335000);
    CHECK_FALSE(landing::channel_called("19X"));
    CHECK_FALSE(landing::channel_at(108.2e6));
    Composite far;
    far.offset_hz = 15e3;  // 136 ppm: no channel lies there, but one was tuned to
    CHECK(value(measured(far), "frequency_error") == within(0.01, 15e3 / localiser * 1e6));
    Composite signal;
    CHECK(input_error([&] {
              measured(signal, 1e-4, {{"channel", "17X"}});
          }).find("write 18X to 56Y") != std::string::npos);
    CHECK(value(measured(signal, 1e-4, {{"channel", "38Y"}}), "frequency_error") < -400);
}

TEST_CASE("Morse: letters of dots alone, of dashes alone, cut off, of no code") {
    const auto marks = [](const std::string& code, double dot) {
        std::vector<landing::Mark> out;
        double t = 1;
        for (const char c : code) {
            if (c == ' ') {
                t += 2 * dot;
                continue;
            }
            const double length = c == '-' ? 3 * dot : dot;
            out.push_back({t, t + length});
            t += length + dot;
        }
        return out;
    };
    CHECK(landing::read_morse(marks(".. ... -.-", 0.12), 9)->text == "ISK");
    CHECK(landing::read_morse(marks("... ....", 0.1), 9)->text == "SH");
    CHECK(landing::read_morse(marks("--- -- -", 0.1), 9)->text == "OMT");
    CHECK(landing::read_morse(marks("-.-.-.- ..", 0.1), 9)->text == "?I");
    CHECK_FALSE(landing::read_morse(marks(".. ...", 0.1), 2.2)->whole);
    CHECK_FALSE(landing::read_morse({}, 9));
}
