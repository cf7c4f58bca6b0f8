// Mask regions: what they hold, how far they grow, how they are written.
#include "core/serial/mask.hpp"

#include <doctest/doctest.h>

#include "core/base/error.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

TEST_CASE("a convex region holds its inside and grows about its middle") {
    const MaskRegion hexagon({{0.2, 0}, {0.4, 1}, {0.6, 1}, {0.8, 0}, {0.6, -1}, {0.4, -1}});
    REQUIRE(hexagon.convex());
    CHECK(hexagon.holds(0.5, 0));
    CHECK(hexagon.holds(0.21, 0));
    CHECK_FALSE(hexagon.holds(0.2, 0));  // the border is no hit
    CHECK_FALSE(hexagon.holds(0.25, 0.5));
    CHECK_FALSE(hexagon.holds(0.5, 1.01));
    CHECK(hexagon.growth_to(0.5, 0.5) == about(0.5));
    CHECK(hexagon.growth_to(0.5, 1.2) == about(1.2));
    CHECK(hexagon.growth_to(0.95, 0) == about(1.5));
    // The sloping side: at (0.3, 0.5) exactly 1.
    CHECK(hexagon.growth_to(0.3, 0.5) == about(1));
    // Turned the other way round it is the same region.
    const MaskRegion mirrored({{0.4, -1}, {0.6, -1}, {0.8, 0}, {0.6, 1}, {0.4, 1}, {0.2, 0}});
    CHECK(mirrored.growth_to(0.7, 0.3) == about(hexagon.growth_to(0.7, 0.3)));
}

TEST_CASE("a region with a dent holds what lies inside and is not grown") {
    const MaskRegion arrow({{0, 0}, {1, 1}, {0, 2}, {0.5, 1}});
    CHECK_FALSE(arrow.convex());
    CHECK(arrow.holds(0.7, 1));
    CHECK_FALSE(arrow.holds(0.3, 1));
    CHECK(arrow.holds(0.3, 0.5));
    CHECK(input_error([] { MaskRegion({{0, 0}, {1, 1}}); }).find("three corners") != std::string::npos);
}

TEST_CASE("masks as people write them: parts of a symbol or times, volts or parts of the amplitude") {
    const auto plain = parse_mask("0.2 0, 0.5 0.1, 0.8 0, 0.2 0; 0 0.5, 1 0.5, 1 0.6, 0 0.6, 0 0.5", {});
    REQUIRE(plain.size() == 2);
    CHECK(plain[0].corners().size() == 3);
    CHECK(plain[1].corners()[2].y == 0.6);
    const auto units =
        parse_mask("100 ps -50 mV, 0.2 ns -50 mV, 150 ps 50 mV, 100 ps -50 mV", {400e-12, 0, 1});
    REQUIRE(units.size() == 1);
    CHECK(units[0].corners()[0].x == about(0.25));
    CHECK(units[0].corners()[1].x == about(0.5));
    CHECK(units[0].corners()[2].y == about(0.05));
    const auto parts = parse_mask("0.2 0.25, 0.5 0.75, 0.8 0.25, 0.2 0.25", {0, -0.4, 0.4});
    CHECK(parts[0].corners()[0].y == about(-0.2));
    CHECK(parts[0].corners()[1].y == about(0.2));
    CHECK(parse_mask("", {}).empty());
    const auto wrong = [](const char* text) { return input_error([&] { parse_mask(text, {}); }); };
    CHECK(wrong("0.2 0, 0.5 0.1, 0.8 0").find("region 1 is not closed") != std::string::npos);
    CHECK(wrong("0.2, 0.5 0.1, 0.8 0, 0.2 0").find("corner \"0.2\" is none") != std::string::npos);
    CHECK(wrong("0.2 0 1, 0.5 0.1, 0.8 0, 0.2 0").find("is none") != std::string::npos);
    CHECK(wrong("1 ns 0, 2 ns 0.1, 3 ns 0, 1 ns 0").find("needs a symbol rate") != std::string::npos);
    CHECK(wrong("0.2 3 Hz, 0.5 0.1, 0.8 0, 0.2 0").find("is none") != std::string::npos);
}
