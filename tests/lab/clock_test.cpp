// Validity, rechecks and deadlines to the second, without waiting.
#include <doctest/doctest.h>

#include "lab/run/calibrations.hpp"
#include "lab/run/stability.hpp"
#include "tests/about.hpp"
#include "tests/lab/folder.hpp"
#include "tests/lab/made_clock.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

constexpr long long noon = 1793534400;  // 2026-11-01T12:00:00Z

PointRecord reading(double level) {
    PointRecord out;
    out.results.push_back({"level", {level, Unit::dbm}, {}});
    return out;
}

}  // namespace

TEST_CASE("times are those of the clock in use, and of the real one afterwards") {
    const std::string before = utc_now();
    {
        const MadeClock clock(noon);
        const ClockInstead instead(clock);
        CHECK(utc_now() == "2026-11-01T12:00:00.000Z");
        CHECK(today() == "2026-11-01");
        const Stopwatch watch;
        const Deadline deadline(10);
        rt::lab::clock().sleep(9.999);
        CHECK_FALSE(deadline.passed());
        CHECK(deadline.left() == about(0.001));
        rt::lab::clock().sleep(0.001);
        CHECK(deadline.passed());
        CHECK(watch.seconds() == about(10));
        CHECK(utc_now() == "2026-11-01T12:00:10.000Z");
        CHECK(seconds_between("2026-11-01T12:00:00.000Z", utc_now()) == about(10));
    }
    CHECK(seconds_between(before, utc_now()) < 3600);
    CHECK(seconds_between(before, utc_now()) >= 0);
}

TEST_CASE("a calibration holds to its last second, and not after the clock was set back") {
    const TestFolder folder;
    MadeClock clock(noon);
    const ClockInstead instead(clock);
    Bench bench;
    Test test;
    test.name = "cal", test.provides = "loss", test.valid_for_s = 8 * 3600;
    const PlannedTest planned{&test, nullptr, {}, 1};
    PointRecord point = reading(1);
    Calibrations calibrations(bench, folder.path());
    CHECK(calibrations.lapse("loss").find("was not made") != std::string::npos);
    const auto made = calibrations.make(planned, {point});
    CHECK(made.valid_until == "2026-11-01T20:00:00.000Z");
    clock.pass(8 * 3600);
    CHECK(calibrations.lapse("loss").empty());
    CHECK_FALSE(calibrations.lapsed("loss"));
    clock.pass(0.001);
    CHECK(calibrations.lapse("loss").find("lapsed at 2026-11-01T20:00:00.000Z") != std::string::npos);
    CHECK(calibrations.lapsed("loss"));
    calibrations.make(planned, {point});
    CHECK(calibrations.lapse("loss").empty());
    clock.set_back(60);
    CHECK(calibrations.lapse("loss").find("the clock was set back") != std::string::npos);
}

TEST_CASE("a recheck is due when its time or its points have passed since the last one") {
    const MadeClock clock(noon);
    const ClockInstead instead(clock);
    Recheck recheck;
    recheck.test.name = "ref", recheck.result = "level", recheck.within = 0.5, recheck.every_s = 600;
    Stability stability(recheck);
    CHECK(stability.due());  // the first makes the reference
    CHECK_FALSE(stability.put(reading(-20)));
    CHECK_FALSE(stability.due());
    clock.pass(599.9);
    CHECK_FALSE(stability.due());
    clock.pass(0.1);
    CHECK(stability.due());
    CHECK_FALSE(stability.put(reading(-20.5)));  // on the limit
    CHECK_FALSE(stability.due());
    const auto reason = stability.put(reading(-20.51));
    REQUIRE(reason);
    CHECK(reason->find("-0.51 dB from the reference") != std::string::npos);
    Recheck counted = recheck;
    counted.every_s = 0, counted.every_points = 2;
    Stability by_points(counted);
    CHECK_FALSE(by_points.put(reading(-20)));
    by_points.vouch({nullptr, {}, 1});
    CHECK_FALSE(by_points.due());
    by_points.vouch({nullptr, {}, 2});
    CHECK(by_points.due());
    CHECK_FALSE(by_points.put(reading(-20)));
    CHECK_FALSE(by_points.due());
}
