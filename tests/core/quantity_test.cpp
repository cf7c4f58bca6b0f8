#include "core/quantity/quantity.hpp"

#include <doctest/doctest.h>

#include "core/base/error.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

TEST_CASE("quantities are read with prefix and unit, rounded once") {
    struct Row {
        const char* text;
        double value;
        Unit unit;
    };
    const Row rows[] = {
        {"150 kHz", 150e3, Unit::hertz},
        {"0.15 MHz", 150e3, Unit::hertz},
        {"2.405GHz", 2.405e9, Unit::hertz},
        {"1.5ns", 1.5e-9, Unit::second},
        {"20 µs", 20e-6, Unit::second},
        {"20 us", 20e-6, Unit::second},
        {"2 min", 120, Unit::second},
        {"-41.3 dBm/MHz", -41.3, Unit::dbm_per_mhz},
        {"-150 dBm/Hz", -150, Unit::dbm_per_hz},
        {"60 dBuV", 60, Unit::dbuv},
        {"60 dBµV", 60, Unit::dbuv},
        {"40 dBuV/m", 40, Unit::dbuv_per_metre},
        {"3 dB", 3, Unit::db},
        {"-20 dBr", -20, Unit::db},
        {"35 %", 35, Unit::percent},
        {"40ppm", 40, Unit::ppm},
        {"45°", 45, Unit::degree},
        {"45 deg", 45, Unit::degree},
        {"1.5e3 kHz", 1.5e6, Unit::hertz},
        {"+8 dBm", 8, Unit::dbm},
        {".5 V", 0.5, Unit::volt},
        {"3 m", 3, Unit::metre},
        {"3 mm", 3e-3, Unit::metre},
        {"7 counts", 7, Unit::count},
        {"250 kbit/s", 250e3, Unit::bit_per_second},
        {"2.5 GBd", 2.5e9, Unit::hertz},
        {"9 khz", 9e3, Unit::hertz},
        {"1.25", 1.25, Unit::none},
        {"  5  MHz ", 5e6, Unit::hertz},
    };
    for (const auto& row : rows) {
        CAPTURE(row.text);
        const Quantity q = parse_quantity(row.text);
        CHECK(q.value == row.value);  // exactly: the prefix goes into the decimal text
        CHECK(q.unit == row.unit);
    }
    // Multiplying by the prefix would round twice here: 0.3 * 1e-9 is not the double nearest to 3e-10.
    CHECK(parse_quantity("0.3 ns").value == 3e-10);
}

TEST_CASE("a wrong, unknown or missing unit says what was expected") {
    CHECK(input_error([] { parse_quantity("150", Unit::hertz); }) ==
          "\"150\" has no unit: write a frequency such as \"150 kHz\"");
    CHECK(input_error([] { parse_quantity("3 dB", Unit::hertz); }) ==
          "\"3 dB\" is a level difference: write a frequency such as \"150 kHz\"");
    CHECK(input_error([] { parse_quantity("10 dBm", Unit::dbuv); }) ==
          "\"10 dBm\" is a power level: write a voltage level in dBuV such as \"60 dBuV\"");
    CHECK(input_error([] {
              parse_quantity("5 parsec");
          }).starts_with("\"5 parsec\" has the unknown unit \"parsec\""));
    for (const char* text :
         {"", "kHz", "1,5 kHz", "--3 dB", "1e400 Hz", "nan Hz", "inf dB", "0x10 Hz", "5 kdB", "1 2 Hz"}) {
        CAPTURE(text);
        CHECK_THROWS_AS(parse_quantity(text), Error);
    }
}

TEST_CASE("conversions exist only where physics defines them") {
    CHECK(convert({1e-3, Unit::watt}, Unit::dbm)->value == about(0));
    CHECK(convert({30, Unit::dbm}, Unit::watt)->value == about(1));
    CHECK(convert({1, Unit::volt}, Unit::dbuv)->value == about(120));
    CHECK(convert({-41.3, Unit::dbm_per_mhz}, Unit::dbm_per_hz)->value == about(-101.3));
    CHECK(convert({40, Unit::ppm}, Unit::percent)->value == about(0.004));
    CHECK_FALSE(convert({0, Unit::dbm}, Unit::dbuv));  // needs an impedance
    CHECK_FALSE(convert({0, Unit::db}, Unit::dbm));
    CHECK_FALSE(convert({0, Unit::dbuv}, Unit::dbuv_per_metre, {50, Unit::ohm}));  // needs an antenna factor

    // 0 dBm in 50 ohm: U = sqrt(1 mW x 50 ohm) = 0.2236068 V = 20 log10(223606.8 uV) = 106.98970 dBuV.
    CHECK(convert({0, Unit::dbm}, Unit::dbuv, {50, Unit::ohm})->value == about(106.98970004).epsilon(1e-10));
    CHECK(convert({0, Unit::dbm}, Unit::volt, {50, Unit::ohm})->value == about(0.22360680).epsilon(1e-7));
    // 75 ohm: 20 log10(sqrt(1e-3 x 75) / 1e-6) = 108.75061 dBuV.
    CHECK(convert({108.75061, Unit::dbuv}, Unit::dbm, {75, Unit::ohm})->value == about(0).epsilon(1e-5));
    CHECK_THROWS_AS(convert({0, Unit::dbm}, Unit::dbuv, {0, Unit::ohm}), Error);
    CHECK(parse_quantity("1 mW", Unit::dbm).value == about(0));
    CHECK_THROWS_AS(parse_quantity("0 W", Unit::dbm), Error);  // no logarithm of nothing
}

TEST_CASE("people see a fitting prefix and sensible digits") {
    CHECK(format({150e3, Unit::hertz}) == "150 kHz");
    CHECK(format({2.405e9, Unit::hertz}) == "2.405 GHz");
    CHECK(format({999999999.9, Unit::hertz}) == "1 GHz");
    CHECK(format({0, Unit::hertz}) == "0 Hz");
    CHECK(format({-50e3, Unit::hertz}) == "-50 kHz");
    CHECK(format({1.5e-9, Unit::second}) == "1.5 ns");
    CHECK(format({53.2149, Unit::dbuv}) == "53.21 dBµV");
    CHECK(format({66, Unit::dbuv}) == "66 dBµV");
    CHECK(format({-0.001, Unit::db}) == "0 dB");
    CHECK(format({35, Unit::percent}) == "35 %");
    CHECK(format_fixed({53.2, Unit::dbuv}, 2) == "53.20 dBµV");
    CHECK(fixed(-0.0001, 2) == "0.00");
    for (const auto& unit : all_units()) {
        for (const double value : {0.0, 1.25, -3.5, 1234567.0, 4.2e-7}) {
            const Quantity q{value, unit.unit};
            CAPTURE(format_exact(q));
            CHECK(parse_quantity(format_exact(q)) == q);  // files keep every bit
        }
    }
}

TEST_CASE("counts beside a name need no unit, however large they are") {
    CHECK(shown({400, Unit::count}) == "400");
    CHECK(shown({184000000, Unit::count}, 4) == "184000000");
    CHECK(shown({0, Unit::count}) == "0");
    CHECK(shown({2.5e9, Unit::hertz}) == "2.5 GHz");
}
