#include "core/correct/correction.hpp"

#include <doctest/doctest.h>

#include <cmath>

#include "tests/about.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

Spectrum flat(Unit unit) {
    Spectrum s;
    s.frequency_hz = {1e6, 2e6, 4e6};
    s.level = {10, 10, 10};
    s.unit = unit;
    s.impedance_ohm = 50;
    return s;
}

}  // namespace

TEST_CASE("between its frequencies a table follows log frequency, or frequency where it says so") {
    const CorrectionTable log({1e6, 100e6}, {1, 3});
    CHECK(log.at(10e6) == about(2).epsilon(1e-12));  // half way in decades
    CHECK(log.at(1e6) == 1);
    CHECK(log.at(100e6) == 3);
    const CorrectionTable linear({1e6, 3e6}, {1, 3}, Between::frequency);
    CHECK(linear.at(2e6) == about(2).epsilon(1e-12));
    CHECK(linear.at(1.5e6) == about(1.5).epsilon(1e-12));
}

TEST_CASE("what a table does not cover is an error, not a guess") {
    const CorrectionTable table({1e6, 3e6}, {1, 3});
    CHECK(input_error([&] { table.at(0.999e6); }) ==
          "the corrections reach from 1 MHz to 3 MHz, nothing is known at 999 kHz");
    CHECK_THROWS_AS(table.at(3.001e6), Error);
    CHECK_THROWS_AS(CorrectionTable({}, {}), Error);
    CHECK_THROWS_AS(CorrectionTable({1e6}, {1, 2}), Error);
    CHECK(input_error([] {
              CorrectionTable({2e6, 1e6}, {1, 2});
          }) == "the frequencies of the corrections must rise: 1 MHz stands after 2 MHz");
    CHECK_THROWS_AS(CorrectionTable({1e6, 2e6}, {1, NAN}), Error);
    CHECK_THROWS_AS(CorrectionTable({0, 2e6}, {1, 1}), Error);
}

TEST_CASE("losses raise what was read, gains lower it, and each level keeps what was added") {
    SignalPath path;
    path.parts.push_back({"cable", false, 0.5, CorrectionTable({1e6, 4e6}, {1, 3}), ""});
    path.parts.push_back({"amplifier", false, -20, {}, ""});
    Spectrum s = flat(Unit::dbm);
    s.reference_level = 0;
    correct(s, path);
    CHECK(s.level[0] == about(10 + 0.5 + 1 - 20));
    CHECK(s.level[1] == about(10 + 0.5 + 2 - 20));  // 2 MHz is half way in octaves
    CHECK(s.correction_db[2] == about(3.5 - 20));
    CHECK(s.unit == Unit::dbm);
    Spectrum wide = flat(Unit::dbm);
    wide.frequency_hz[2] = 5e6;
    CHECK(input_error([&] {
              correct(wide, path);
          }).find("\"cable\": the corrections reach from 1 MHz to 4 MHz") == 0);
    Spectrum untouched = flat(Unit::dbm);
    correct(untouched, SignalPath{});
    CHECK(untouched.correction_db.empty());
}

TEST_CASE("behind an antenna voltage levels become field strength levels") {
    SignalPath path;
    path.parts.push_back({"antenna", true, 0, CorrectionTable({1e6, 4e6}, {8, 8}), ""});
    Spectrum volts = flat(Unit::dbuv);
    correct(volts, path);
    CHECK(volts.unit == Unit::dbuv_per_metre);
    CHECK(volts.level[0] == about(18));
    // 10 dBm in 50 ohm are 116.99 dBuV.
    Spectrum power = flat(Unit::dbm);
    correct(power, path);
    CHECK(power.level[0] == about(10 + 106.9897 + 8).epsilon(1e-6));
    Spectrum unknown = flat(Unit::dbm);
    unknown.impedance_ohm.reset();
    CHECK(input_error([&] { correct(unknown, path); }).find("need the impedance") != std::string::npos);
}
