// Reaction to interference, on records whose times and levels are known.
#include <doctest/doctest.h>

#include "core/measure/radio/occupancy/interference.hpp"
#include "tests/about.hpp"
#include "tests/core/made_signals.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;

namespace {

// A unit that sends 3 ms and waits 0.5 ms, again and again, until `quiet` and from `again` on.
struct Scene {
    double rate = 2e6, seconds = 0.4;
    double length = 3e-3, gap = 0.5e-3, amplitude = 0.3;
    double begins = 0, quiet = 0.102, again = 1;
    double on = 0.1, off = 1;              // interference
    double strength = 0.01, floor = 1e-3;  // square roots of mean powers
    double control = 0, every = 20e-3;     // short signals while the unit is quiet

    // The end of the last burst that begins before `quiet`.
    double last() const {
        double t = begins;
        while (t + length + gap < quiet) t += length + gap;
        return t + length;
    }
    IqRecord record() const {
        made::Samples x(static_cast<std::size_t>(seconds * rate));
        made::add_noise(x, floor);
        const auto at = [&](double t) { return std::min(x.size(), static_cast<std::size_t>(t * rate)); };
        std::mt19937_64 random(7);
        std::normal_distribution<double> normal(0, strength / std::numbers::sqrt2);
        for (std::size_t i = at(on); i < at(off); ++i) x[i] += made::Complex(normal(random), normal(random));
        const auto send = [&](double from, double to) {
            for (std::size_t i = at(from); i < at(to); ++i)
                x[i] += std::polar(amplitude, 0.37 * static_cast<double>(i));
        };
        for (double t = begins; t < seconds; t += length + gap) {
            if (t < quiet || t >= again) send(t, t + length);
        }
        if (control > 0)
            for (double t = quiet + 10e-3; t < std::min(off, seconds); t += every) send(t, t + control);
        return made::record(x, rate, 2.44e9, 20.0);
    }
};

const std::string& why(const Outcome& out, const char* result) {
    REQUIRE_FALSE(out.find_result(result));
    const auto at = out.lacking.find(result);
    REQUIRE(at != out.lacking.end());
    return at->second;
}

}  // namespace

TEST_CASE("interference is found where it begins and ends, at any rate, down to 3 dB above the floor") {
    for (const double rate : {0.5e6, 2e6, 10e6}) {
        for (const double above_db : {3.6, 6.0, 20.0}) {
            Scene scene;
            scene.rate = rate, scene.seconds = 0.16, scene.off = 0.15;
            scene.strength = scene.floor * std::sqrt(std::pow(10, above_db / 10) - 1);
            // Begins and ends between bursts: 3.5 ms from one to the next.
            scene.on = 0.1012, scene.off = 0.14, scene.quiet = 0.1015;
            const auto record = scene.record();
            const auto list = find_bursts(record, {});
            const auto seen = find_interference(record, list.bursts, 3);
            REQUIRE(seen);
            const double within_s = std::max(16 / rate, 5e-6) * (above_db < 5 ? 8 : 2);
            CHECK(seen->start_s == within(within_s, scene.on));
            CHECK(seen->stop_s == within(within_s, scene.off));
            CHECK(seen->ends);
            CHECK(10 * std::log10(seen->during / seen->before) == within(0.4, above_db));
        }
    }
    // Less than that, or none, is none.
    for (const double above_db : {0.0, 1.5}) {
        Scene scene;
        scene.strength = scene.floor * std::sqrt(std::pow(10, above_db / 10) - 1);
        const auto record = scene.record();
        CHECK_FALSE(find_interference(record, find_bursts(record, {}).bursts, 3));
        CHECK(why(run("radio.occupancy", record), "reaction_time").starts_with("no interference is seen"));
    }
}

TEST_CASE("reaction time, quiet time and what is left, found or stated") {
    Scene scene;
    scene.seconds = 0.3, scene.off = 0.2, scene.again = 0.2054, scene.quiet = 0.104;
    scene.on = 0.1013;  // while nothing is sent (0.101 to 0.1015)
    const auto record = scene.record();
    const double last = 0.1045;  // of the burst that begins at 0.1015
    const auto found = run("radio.occupancy", record);
    CHECK(value(found, "reaction_time") == within(20e-6, last - scene.on));
    CHECK(value(found, "interference_time") == within(20e-6, 0.2 - scene.on));
    CHECK(value(found, "interference_power") == within(0.1, 20 + 20 * std::log10(0.01)));
    CHECK(value(found, "control_share") == 0);
    CHECK(value(found, "control_count") == 0);
    const auto* quiet = found.find_result("quiet_time");
    REQUIRE(quiet);
    CHECK(quiet->known == Known::exactly);
    // Bursts stand every 3.5 ms: the first after 0.2054 begins at 0.2065.
    CHECK(quiet->value.value == within(2e-6, 0.2065 - last));
    const auto stated =
        run("radio.occupancy", record, {{"interference_start", "101.3 ms"}, {"interference_stop", "200 ms"}});
    CHECK(value(stated, "reaction_time") == within(2e-6, last - scene.on));
    CHECK(value(stated, "quiet_time") == within(2e-6, 0.2065 - last));
    // The end is found where only the beginning is stated: what comes after it is no offence.
    const auto half = run("radio.occupancy", record, {{"interference_start", "101.3 ms"}});
    CHECK(value(half, "reaction_time") == within(2e-6, last - scene.on));
}

TEST_CASE("a burst that hides the beginning makes the reaction slower, never faster") {
    Scene scene;
    scene.on = 0.1024, scene.quiet = 0.104;  // within the burst from 0.1015 to 0.1045
    const auto out = run("radio.occupancy", scene.record());
    const double true_time = 0.1045 - 0.1024;
    CHECK(value(out, "reaction_time") >= true_time - 1e-6);
    CHECK(value(out, "reaction_time") <= 3e-3 + 30e-6);
    CHECK(value(run("radio.occupancy", scene.record(), {{"interference_start", "102.4 ms"}}),
                "reaction_time") == within(2e-6, true_time));
}

TEST_CASE("a unit that goes on, or stops late, is seen") {
    Scene scene;
    scene.on = 0.1013, scene.quiet = 10;
    const auto deaf = run("radio.occupancy", scene.record(), {});
    REQUIRE(deaf.find_result("reaction_time"));
    CHECK(value(deaf, "reaction_time") > 0.29);
    // The same where interference ends and the unit is still on.
    scene.off = 0.3025;
    const auto through = run("radio.occupancy", scene.record());
    REQUIRE(through.find_result("reaction_time"));
    CHECK(through.find_result("reaction_time")->known == Known::at_least);
    CHECK(value(through, "reaction_time") > 0.195);
    scene.off = 1, scene.quiet = 0.1225;
    CHECK(value(run("radio.occupancy", scene.record()), "reaction_time") ==
          within(20e-6, scene.last() - scene.on));
}

TEST_CASE("short control signals are allowed for, and counted") {
    Scene scene;
    scene.on = 0.1013, scene.quiet = 0.1014, scene.control = 0.5e-3, scene.every = 5.1e-3;
    const auto out = run("radio.occupancy", scene.record(), {{"control_length", "0.6 ms"}});
    CHECK(value(out, "reaction_time") == 0);
    // Ten of 0.5 ms, 5.1 ms apart, lie in 50 ms.
    CHECK(value(out, "control_share") == within(0.05, 100 * 10 * 0.5 / 50));
    CHECK(value(out, "control_count") == 10);
    // Without being told, they are transmissions like others.
    CHECK(value(run("radio.occupancy", scene.record()), "reaction_time") > 0.28);
    // Too little of a record for the window is a bound.
    scene.seconds = 0.13;
    const auto brief = run("radio.occupancy", scene.record(), {{"control_length", "0.6 ms"}});
    REQUIRE(brief.find_result("control_share"));
    CHECK(brief.find_result("control_share")->known == Known::at_least);
    CHECK(brief.find_result("quiet_time")->known == Known::at_least);
}

TEST_CASE("no reaction without a unit that would have transmitted") {
    Scene never;
    never.begins = 0.0, never.quiet = 0.0, never.again = 0.2, never.off = 0.15;
    CHECK(why(run("radio.occupancy", never.record()), "reaction_time") ==
          "the unit did not transmit before the interference began");
    Scene stopped;  // by itself, before
    stopped.quiet = 0.07;
    CHECK(why(run("radio.occupancy", stopped.record()), "reaction_time")
              .find("nothing shows that it would have transmitted") != std::string::npos);
    CHECK(why(run("radio.occupancy", stopped.record(), {{"interference_start", "100 ms"}}), "reaction_time")
              .find("its longest gap before was 500") != std::string::npos);
    // Stated, but not there.
    Scene unseen;
    unseen.strength = 0, unseen.quiet = 0.104;
    const Settings at{{"interference_start", "101.3 ms"}};
    CHECK(value(run("radio.occupancy", unseen.record(), at), "reaction_time") == within(2e-6, 3.2e-3));
    Settings strictly = at;
    strictly.emplace_back("interference", "recorded");
    CHECK(why(run("radio.occupancy", unseen.record(), strictly), "reaction_time")
              .starts_with("no interference is seen in the record"));
}

TEST_CASE("interference as strong as the unit is not taken for it") {
    // Relative to the unit at 0.3.
    for (const double strength : {0.05, 0.1, 0.2, 0.3, 0.6}) {
        Scene scene;
        scene.on = 0.1013, scene.quiet = 0.1014, scene.strength = strength;
        const auto record = scene.record();
        for (const char* start : {"", "101.3 ms"}) {
            Settings settings;
            if (*start) settings.emplace_back("interference_start", start);
            CAPTURE(strength);
            CAPTURE(start);
            const auto out = run("radio.occupancy", record, settings);
            // Never a number that is wrong: none, or the true one.
            const auto* found = out.find_result("reaction_time");
            CHECK((!found || found->value.value == within(20e-6, 0)));
            CHECK((found || !out.lacking.at("reaction_time").empty()));
        }
    }
    Scene weak;
    weak.on = 0.1013, weak.quiet = 0.1014, weak.strength = 0.02;
    CHECK(value(run("radio.occupancy", weak.record(), {{"trigger_level", "-12 dB"}}), "reaction_time") ==
          within(20e-6, 0));
}
