#include "core/rules/stated_limit.hpp"

#include "tests/about.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

TEST_CASE("limits in words become bounds") {
    const Rulebook book =
        stated_limits({"level <= -30 dBm", "amplitude>=400 mV", "0.9 V <= high_level <= 1100 mV",
                       "10 ns >= rise_time >= 2ns", "bit_error_ratio <= 1e-12", "level >= -60 dBm"});
    REQUIRE(book.rules.size() == 6);
    CHECK(book.id == "stated");
    const auto is = [&](std::size_t i, const char* id, Unit unit, std::optional<double> min,
                        std::optional<double> max) {
        CAPTURE(i);
        const Rule& rule = book.rules[i];
        CHECK(rule.id == id);
        CHECK(rule.unit == unit);
        REQUIRE(rule.bound());
        CHECK(rule.bound()->min == min);
        CHECK(rule.bound()->max == max);
    };
    is(0, "level", Unit::dbm, {}, -30);
    is(1, "amplitude", Unit::volt, 0.4, {});
    is(2, "high_level", Unit::volt, 0.9, 1.1);
    is(3, "rise_time", Unit::second, 2e-9, 10e-9);
    is(4, "bit_error_ratio", Unit::none, {}, 1e-12);
    is(5, "level-2", Unit::dbm, -60, {});
    CHECK(book.rules[2].title == "0.9 V <= high_level <= 1100 mV");
}

TEST_CASE("what is no limit says what to write") {
    const auto said = [](const char* text) { return input_error([&] { stated_limits({text}); }); };
    CHECK(said("level < -30 dBm") ==
          "limit \"level < -30 dBm\": write <= in place of <: a value on the limit passes");
    for (const char* text : {"", "level", "level = 3", "<= 3 V", "3 V <= 4 V", "Level <= 3 V", "a <= b <= c",
                             "1 V <= x >= 0 V", "1 V <= x <= 2 V <= 3 V", "level <="}) {
        CAPTURE(text);
        CHECK(said(text).starts_with("limit \"" + std::string(text) + "\": "));
    }
    CHECK(said("level <= -30 dBx").find("dBx") != std::string::npos);
    CHECK(said("1 V <= x <= 2 A") == "limit \"1 V <= x <= 2 A\": both ends must be in the same unit");
    CHECK(said("2 V <= x <= 1 V") == "limit \"2 V <= x <= 1 V\": no value lies between");
}
