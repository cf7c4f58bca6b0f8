// A part of a record gives what the record of that part alone gives, at the times of the whole.
#include <cmath>

#include "core/base/error.hpp"
#include "tests/about.hpp"
#include "tests/core/made_signals.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

struct Case {
    const char* procedure;
    made::Samples signal;
    double rate;
    Settings settings;
};

std::vector<Case> cases() {
    made::Oqpsk oqpsk;
    made::Gfsk gfsk;
    made::Ofdm ofdm;
    made::Samples frames;
    for (int i = 0; i < 3; ++i) made::append(frames, oqpsk.make());
    made::Samples keyed(20000);
    for (std::size_t i = 0; i < keyed.size(); ++i) {
        if (i % 6000 > 1000 && i % 6000 < 4500) keyed[i] = std::polar(0.4, 0.3 * static_cast<double>(i));
    }
    made::Samples am(20000);
    for (std::size_t i = 0; i < am.size(); ++i)
        am[i] = 0.3 * (1 + 0.5 * std::sin(2 * made::pi * 1e-3 * static_cast<double>(i)));
    made::shift(am, 11e3, 1e6);
    const auto tone = made::tone(0.3, 123e3, 1e6, 20000);
    return {{"radio.oqpsk", frames, 16e6, {}},
            {"radio.gfsk", gfsk.make(), gfsk.rate, {}},
            {"radio.ofdm", ofdm.make(), ofdm.rate(), {}},
            {"radio.bursts", keyed, 1e6, {}},
            {"radio.occupancy", keyed, 1e6, {}},
            {"radio.am-fm", am, 1e6, {}},
            {"radio.carrier", tone, 1e6, {}},
            {"radio.mask", frames, 16e6, {{"centre", "2.4 GHz"}, {"span", "12 MHz"}}},
            {"radio.spurious", tone, 1e6, {{"start", "2.3999 GHz"}, {"stop", "2.4002 GHz"}}},
            {"spectrum.density", tone, 1e6, {}},
            {"spectrum.channel-power",
             frames,
             16e6,
             {{"centre", "2.4 GHz"}, {"channel_bandwidth", "3 MHz"}, {"spacing", "5 MHz"}}},
            {"spectrum.occupied-bandwidth", frames, 16e6, {}},
            {"spectrum.markers", tone, 1e6, {}},
            {"emission.scan",
             tone,
             1e6,
             {{"start", "2.3999 GHz"}, {"stop", "2.4002 GHz"}, {"bandwidth", "10 kHz"}}},
            {"emission.final",
             tone,
             1e6,
             {{"frequency", "2.400123 GHz"}, {"bandwidth", "9 kHz"}, {"detector", "rms"}}}};
}

std::string seconds(double s) {
    return std::to_string(s * 1e9) + " ns";
}

}  // namespace

TEST_CASE("every procedure on complex samples measures a part as the record of that part") {
    for (Case& c : cases()) {
        CAPTURE(c.procedure);
        made::add_noise(c.signal, 1e-4);
        // Another carrier before and behind, much stronger: what is outside must not matter.
        const std::size_t before = 7000, behind = 5000;
        made::Samples whole = made::tone(0.9, 0.11 * c.rate, c.rate, before);
        made::append(whole, c.signal);
        made::append(whole, made::tone(0.9, -0.2 * c.rate, c.rate, behind));
        const double from = static_cast<double>(before) / c.rate,
                     to = static_cast<double>(before + c.signal.size()) / c.rate;
        const auto alone = run(c.procedure, made::record(c.signal, c.rate, 2.4e9, 10.0), c.settings);
        CAPTURE(alone.invalid.value_or(""));
        CHECK_FALSE(alone.invalid);
        auto settings = c.settings;
        const std::string from_text = seconds(from), to_text = seconds(to);
        settings.emplace_back("from", from_text.c_str());
        settings.emplace_back("to", to_text.c_str());
        const auto record = made::record(whole, c.rate, 2.4e9, 10.0);
        const auto part = run(c.procedure, record, settings);
        CAPTURE(part.invalid.value_or(""));
        REQUIRE(part.results.size() == alone.results.size());
        CHECK(!part.results.empty());
        for (std::size_t i = 0; i < part.results.size(); ++i) {
            CAPTURE(part.results[i].name);
            CHECK(part.results[i].name == alone.results[i].name);
            CHECK(part.results[i].value.value == within(1e-9, alone.results[i].value.value));
        }
        CHECK(part.observed_s.value_or(0) == about(to - from).epsilon(1e-6));
        // Times are those of the whole record.
        REQUIRE(part.tables.size() == alone.tables.size());
        for (std::size_t t = 0; t < part.tables.size(); ++t) {
            if (part.tables[t].columns[0].name != "start") continue;
            REQUIRE(part.tables[t].rows.size() == alone.tables[t].rows.size());
            for (std::size_t i = 0; i < part.tables[t].rows.size(); ++i) {
                CHECK(std::get<double>(part.tables[t].rows[i][0]) ==
                      about(std::get<double>(alone.tables[t].rows[i][0]) + from).epsilon(1e-9));
            }
        }
        REQUIRE(part.traces.size() == alone.traces.size());
        for (std::size_t t = 0; t < part.traces.size(); ++t) {
            const double moved = part.traces[t].x_title == "Time" ? from : 0;
            REQUIRE(part.traces[t].x.size() == alone.traces[t].x.size());
            CHECK(part.traces[t].x.front() == within(1e-9 + 1e-9 * std::abs(alone.traces[t].x.front()),
                                                     alone.traces[t].x.front() + moved));
        }
        // A part that the record does not hold is refused.
        auto beyond = c.settings;
        beyond.emplace_back("from", "3 s");
        CHECK(input_error([&] {
                  run(c.procedure, record, beyond);
              }).starts_with("parameters from and to: 3 s to "));
    }
}

TEST_CASE("a spectrum has no part in time") {
    Spectrum s;
    for (int i = 0; i < 100; ++i) s.frequency_hz.push_back(1e6 + 1e3 * i), s.level.push_back(-50);
    s.level[50] = -10;
    CHECK(input_error([&] {
              run("spectrum.markers", s, {{"from", "1 ms"}});
          }).find("no longer divided by time") != std::string::npos);
}

TEST_CASE("interference is told by what it adds where the unit is silent") {
    constexpr double rate = 2e6;
    made::Samples x(static_cast<std::size_t>(rate * 50e-3));
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double t = static_cast<double>(i) / rate;
        if (t < 25e-3 && std::fmod(t, 5e-3) < 4e-3) x[i] = std::polar(0.5, 0.2 * static_cast<double>(i));
        if (t >= 22e-3) x[i] += std::polar(0.02, -0.4 * static_cast<double>(i));
    }
    made::add_noise(x, 1e-3);
    const auto out = run("radio.occupancy", made::record(x, rate, 2.44e9, 10.0),
                         {{"interference_start", "22 ms"}, {"trigger_level", "-20 dB"}});
    CHECK(value(out, "interference_power") == within(0.05, 10 + 20 * std::log10(0.02)));
    CHECK(value(out, "reaction_time") == about(24e-3 - 22e-3).epsilon(0.01));
    // In a part of the record the time is still that of the whole.
    const auto part = run(
        "radio.occupancy", made::record(x, rate, 2.44e9, 10.0),
        {{"interference_start", "22 ms"}, {"trigger_level", "-20 dB"}, {"from", "4 ms"}, {"to", "48 ms"}});
    CHECK(value(part, "reaction_time") == about(24e-3 - 22e-3).epsilon(0.01));
    // Without a rise there is none, and that is said.
    const auto none = run("radio.occupancy", made::record(x, rate, 2.44e9, 10.0),
                          {{"interference_start", "15 ms"}, {"to", "20 ms"}, {"trigger_level", "-20 dB"}});
    CHECK_FALSE(none.find_result("interference_power"));
}
