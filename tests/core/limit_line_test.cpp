#include "core/rules/limit_line.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <random>

#include "core/base/error.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

LimitPiece flat(double from, double to, double level) {
    return {from, to, level, level, Interpolation::linear};
}
LimitPiece log_slope(double from, double to, double a, double b) {
    return {from, to, a, b, Interpolation::log_frequency};
}

// CISPR 32 class B at the mains port, quasi-peak (table A.10).
LimitLine class_b() {
    return LimitLine({log_slope(0.15e6, 0.5e6, 66, 56), flat(0.5e6, 5e6, 56), flat(5e6, 30e6, 60)},
                     Sense::upper);
}

// The obvious way: every point by itself.
LineComparison compare_slowly(std::span<const double> x, std::span<const double> y, const LimitLine& line,
                              double marginal, double shift) {
    LineComparison out;
    out.worst_margin = std::numeric_limits<double>::infinity();
    for (std::size_t i = 0; i < x.size(); ++i) {
        const auto limit = line.at(x[i]);
        if (!limit) continue;
        ++out.judged;
        const double margin = margin_to(*limit, y[i] + shift, line.sense());
        if (margin < 0) ++out.beyond;
        if (margin >= 0 && margin < marginal) ++out.close;
        if (margin < out.worst_margin) {
            out.worst = i;
            out.worst_limit = *limit;
            out.worst_margin = margin;
        }
    }
    return out;
}

}  // namespace

TEST_CASE("margins of ten points of CISPR 32 class B, computed by hand") {
    // Sloping part: L(f) = 66 - 10 log10(f / 0.15) / log10(0.5 / 0.15); log10(0.5 / 0.15) = 0.5228787.
    struct Row {
        double mhz, reading, limit, margin;
    };
    const Row rows[] = {
        // 0.15 MHz is the upper end of the slope: exactly 66.
        {0.15, 60.0, 66.0, 6.0},
        // 0.2: log10(0.2 / 0.15) = 0.1249387; 66 - 10 x 0.1249387 / 0.5228787 = 66 - 2.389440 = 63.610560
        {0.2, 63.0, 63.610560, 0.610560},
        // 0.2236: log10(0.2236 / 0.15) = 0.1733804; 66 - 3.315883 = 62.684117 (the reading is 0.315883 above)
        {0.2236, 63.0, 62.684117, -0.315883},
        // 0.273861 is the geometric middle sqrt(0.15 x 0.5), so the level is the middle one: 61
        {std::sqrt(0.15 * 0.5), 61.0, 61.0, 0.0},
        // 0.3: log10 2 = 0.3010300; 66 - 5.757163 = 60.242837
        {0.3, 50.0, 60.242837, 10.242837},
        // 0.4: log10(0.4 / 0.15) = 0.4259687; 66 - 8.146606 = 57.853394
        {0.4, 57.0, 57.853394, 0.853394},
        // 0.5: both pieces say 56
        {0.5, 56.0, 56.0, 0.0},
        // 1: flat
        {1.0, 56.1, 56.0, -0.1},
        // 5: a step from 56 to 60; the lower limit holds at the step
        {5.0, 57.0, 56.0, -1.0},
        // 30: the upper end is included
        {30.0, 50.0, 60.0, 10.0},
    };
    const LimitLine line = class_b();
    for (const auto& row : rows) {
        CAPTURE(row.mhz);
        const double x[] = {row.mhz * 1e6};
        const double y[] = {row.reading};
        REQUIRE(line.at(x[0]));
        // The working above carries seven digits of the logarithms: 1e-5 dB.
        CHECK(*line.at(x[0]) == about(row.limit).epsilon(2e-7));
        const auto seen = compare(x, y, line, 3);
        CHECK(seen.judged == 1);
        CHECK(std::abs(seen.worst_margin - row.margin) < 1e-5);
    }
    CHECK_FALSE(line.at(0.149999e6));
    CHECK_FALSE(line.at(30.00001e6));
    CHECK(*line.at(5.00001e6) == 60);
}

TEST_CASE("at a step the stricter limit holds, upper or lower") {
    const std::vector<LimitPiece> pieces{flat(1, 2, 10), flat(2, 3, 20)};
    CHECK(*LimitLine(pieces, Sense::upper).at(2) == 10);
    CHECK(*LimitLine(pieces, Sense::lower).at(2) == 20);
    // A gap has no limit, its edges have.
    const LimitLine gap({flat(1, 2, 10), flat(4, 5, 20)}, Sense::upper);
    CHECK(*gap.at(2) == 10);
    CHECK_FALSE(gap.at(3));
    CHECK(*gap.at(4) == 20);
}

TEST_CASE("linear and logarithmic interpolation differ") {
    const LimitLine linear({{30e6, 300e6, 45, 55, Interpolation::linear}}, Sense::upper);
    const LimitLine logarithmic({log_slope(30e6, 300e6, 45, 55)}, Sense::upper);
    CHECK(*linear.at(165e6) == about(50));                         // arithmetic middle
    CHECK(*logarithmic.at(std::sqrt(30e6 * 300e6)) == about(50));  // geometric middle
    CHECK(*logarithmic.at(60e6) == about(45 + 10 * std::log10(2.0)));
    CHECK(*linear.at(300e6) == 55);  // ends are exact
    CHECK(*logarithmic.at(300e6) == 55);
}

TEST_CASE("an impossible line is refused") {
    CHECK(input_error([] { LimitLine({}, Sense::upper); }) == "a limit line needs at least one piece");
    CHECK(input_error([] { LimitLine({flat(2, 1, 0)}, Sense::upper); }) ==
          "piece 1 runs backwards: from 2 Hz to 1 Hz; write the lower end first");
    CHECK(input_error([] {
              LimitLine({flat(1, 3, 0), flat(2, 4, 0)}, Sense::upper);
          }) == "piece 2 begins at 2 Hz, before piece 1 ends at 3 Hz");
    CHECK(input_error([] { LimitLine({log_slope(0, 1, 1, 2)}, Sense::upper); }) ==
          "piece 1 is logarithmic, so it must begin above 0");
    CHECK(input_error([] { LimitLine({flat(1, 2, std::nan(""))}, Sense::upper); }) ==
          "piece 1 is not made of finite numbers");
}

TEST_CASE("rounding noise does not turn a value on the limit into a failure") {
    CHECK(margin_to(0.3, 0.1 + 0.2, Sense::upper) == 0);
    CHECK(margin_to(56, 56 + 1e-9, Sense::upper) < 0);  // but a real excess does, however small
    CHECK(margin_to(-3, -3, Sense::lower) == 0);
}

TEST_CASE("the fast comparison agrees with the obvious one") {
    std::mt19937 random(7);
    std::uniform_real_distribution<double> uniform(0, 1);
    for (int round = 0; round < 300; ++round) {
        CAPTURE(round);
        std::vector<LimitPiece> pieces;
        double at = 1 + uniform(random);
        for (int i = 0; i < 1 + round % 5; ++i) {
            const double to = at + 0.2 + uniform(random) * 3;
            const auto kind = uniform(random) < 0.5 ? Interpolation::linear : Interpolation::log_frequency;
            pieces.push_back({at, to, uniform(random) * 20, uniform(random) * 20, kind});
            at = to + (uniform(random) < 0.3 ? uniform(random) : 0);
        }
        const LimitLine line(pieces, round % 2 ? Sense::upper : Sense::lower);
        std::vector<double> x, y;
        const double step = 0.0005 + uniform(random) * 0.05;
        for (double f = 0.5; f < at + 1; f += step) {
            x.push_back(f);
            y.push_back((round % 2 ? -1 : 1) * uniform(random) * 25 + (round % 2 ? 20 : 0));
        }
        for (const auto& piece : pieces) {  // points exactly on the corners
            const auto place = std::lower_bound(x.begin(), x.end(), piece.to);
            if (place != x.end() && *place != piece.to) *place = piece.to;
        }
        std::sort(x.begin(), x.end());
        x.erase(std::unique(x.begin(), x.end()), x.end());
        y.resize(x.size());
        const auto fast = compare(x, y, line, 3, 0.25);
        const auto slow = compare_slowly(x, y, line, 3, 0.25);
        CHECK(fast.judged == slow.judged);
        CHECK(fast.beyond == slow.beyond);
        CHECK(fast.close == slow.close);
        CHECK(fast.worst == slow.worst);
        CHECK(fast.worst_margin == about(slow.worst_margin));
    }
}

TEST_CASE("a level that is no number is found wherever it stands, and only where it is judged") {
    const LimitLine line({flat(100, 1000, 10)}, Sense::upper);
    std::vector<double> x(2000), y(2000, 0.0);
    for (std::size_t i = 0; i < x.size(); ++i) x[i] = static_cast<double>(i);
    for (const std::size_t bad : {100u, 101u, 555u, 999u, 1000u}) {
        auto broken = y;
        broken[bad] = std::nan("");
        CHECK(compare(x, broken, line, 3).not_a_number == bad);
        broken[bad] = std::numeric_limits<double>::infinity();
        CHECK(compare(x, broken, line, 3).not_a_number == bad);
    }
    auto outside = y;
    outside[50] = std::nan("");
    CHECK_FALSE(compare(x, outside, line, 3).not_a_number);
}
