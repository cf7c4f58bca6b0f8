// Theoretical rates of wireless networks against the standard's tables.
#include <doctest/doctest.h>

#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/receiver/phy_rate.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

double mbps(const std::string& generation, int mcs, int streams, int width, double guard_us) {
    WlanMode mode;
    mode.generation = generation, mode.mcs = mcs, mode.streams = streams, mode.width_mhz = width;
    mode.guard_s = guard_us * 1e-6;
    return phy_rate(mode) / 1e6;
}

std::string refused(WlanMode mode) {
    return input_error([&] { phy_rate(mode); });
}

}  // namespace

TEST_CASE("rates of one stream are those of the tables, to the tenth that these print") {
    // Mb/s at 20, 40, 80 and 160 MHz with 0.8 us; the last two are ac's.
    const double long_guard[][4]{
        {6.5, 13.5, 29.3, 58.5}, {13, 27, 58.5, 117}, {19.5, 40.5, 87.8, 175.5},   {26, 54, 117, 234},
        {39, 81, 175.5, 351},    {52, 108, 234, 468}, {58.5, 121.5, 263.3, 526.5}, {65, 135, 292.5, 585},
        {78, 162, 351, 702},     {0, 180, 390, 780}};
    const double short_guard[][4]{{7.2, 15, 32.5, 65},   {14.4, 30, 65, 130},   {21.7, 45, 97.5, 195},
                                  {28.9, 60, 130, 260},  {43.3, 90, 195, 390},  {57.8, 120, 260, 520},
                                  {65, 135, 292.5, 585}, {72.2, 150, 325, 650}, {86.7, 180, 390, 780},
                                  {0, 200, 433.3, 866.7}};
    const int widths[]{20, 40, 80, 160};
    for (int mcs = 0; mcs < 10; ++mcs)
        for (int w = 0; w < 4; ++w) {
            if (mcs == 9 && w == 0) continue;
            CAPTURE(mcs);
            CAPTURE(widths[w]);
            CHECK(mbps("ac", mcs, 1, widths[w], 0.8) == within(0.0501, long_guard[mcs][w]));
            CHECK(mbps("ac", mcs, 1, widths[w], 0.4) == within(0.0501, short_guard[mcs][w]));
            if (mcs < 8 && w < 2)
                CHECK(mbps("n", mcs, 1, widths[w], 0.8) == about(mbps("ac", mcs, 1, widths[w], 0.8)));
        }
    // ax: MCS 0, 7, 11 at 0.8, 1.6, 3.2 us.
    const double ax[][4]{{0, 8.6, 8.1, 7.3}, {7, 86.0, 81.3, 73.1}, {11, 143.4, 135.4, 121.9}};
    for (const auto& row : ax)
        for (int k = 0; k < 3; ++k)
            CHECK(mbps("ax", static_cast<int>(row[0]), 1, 20, 0.8 * std::pow(2, k)) ==
                  within(0.0501, row[k + 1]));
    CHECK(mbps("ax", 11, 1, 160, 0.8) == within(0.0501, 1201.0));
    CHECK(mbps("ax", 11, 8, 160, 0.8) == within(0.1, 9607.8));  // the rate that ax is known by
    CHECK(mbps("n", 15, 1, 40, 0.4) == about(300));             // two streams by its index
    CHECK(mbps("ac", 9, 8, 160, 0.4) == within(0.1, 6933.3));
}

TEST_CASE("resource units, dual carriers and the older rates") {
    WlanMode unit{.generation = "ax", .mcs = 4, .tones = 26};
    CHECK(phy_rate(unit) / 1e6 == within(0.0501, 5.3));
    unit.tones = 106, unit.guard_s = 3.2e-6;
    CHECK(phy_rate(unit) / 1e6 == within(0.0501, 19.1));
    WlanMode dual{.generation = "ax", .mcs = 0, .dual_carrier = true};
    CHECK(phy_rate(dual) / 1e6 == within(0.0501, 4.3));
    CHECK(phy_rate({.generation = "g", .rate_bps = 54e6}) == 54e6);
    CHECK(phy_rate({.generation = "a", .rate_bps = 54e6, .width_mhz = 10}) == 27e6);
    CHECK(phy_rate({.generation = "b", .rate_bps = 5.5e6}) == 5.5e6);
}

TEST_CASE("modes that there are not are refused") {
    int left_out = 0;
    for (int streams = 1; streams <= 8; ++streams)
        for (const int width : {20, 40, 80, 160})
            for (int mcs = 0; mcs < 10; ++mcs)
                left_out +=
                    refused({.generation = "ac", .mcs = mcs, .streams = streams, .width_mhz = width}) !=
                    "(no error)";
    CHECK(left_out == 6 + 3 + 1);
    CHECK(refused({.generation = "ac", .mcs = 9, .streams = 3}) == "(no error)");
    CHECK(refused({.generation = "ac", .mcs = 9}).find("excluded") != std::string::npos);
    CHECK(refused({.generation = "ac", .mcs = 10}).find("write 0 to 9") != std::string::npos);
    CHECK(refused({.generation = "n", .mcs = 7, .width_mhz = 80}).find("width") != std::string::npos);
    CHECK(refused({.generation = "ax", .mcs = 7, .guard_s = 0.4e-6}).find("guard") != std::string::npos);
    CHECK(refused({.generation = "g", .rate_bps = 7e6}).find("rate") != std::string::npos);
    CHECK(refused({.generation = "b", .rate_bps = 6e6}).find("rate") != std::string::npos);
    CHECK(refused({.generation = "ax", .mcs = 2, .dual_carrier = true}).find("dual") != std::string::npos);
    CHECK(refused({.generation = "ax", .mcs = 10, .tones = 106}).find("242") != std::string::npos);
    CHECK(refused({.generation = "ax", .mcs = 1, .tones = 484}).find("484 tones in 20 MHz") !=
          std::string::npos);
    CHECK(refused({.generation = "x"}).find("not known") != std::string::npos);
}
