// Adjustments against functions whose answer is known.
#include "core/sweep/adjust.hpp"

#include <doctest/doctest.h>

#include <cmath>
#include <functional>

#include "core/base/error.hpp"
#include "tests/about.hpp"

using namespace rt;

namespace {

Adjust level(double from, double to, double target, double tolerance,
             AdjustMethod method = AdjustMethod::secant) {
    Adjust out;
    out.axis = "drive", out.result = "power";
    out.from = {from, Unit::dbm}, out.to = {to, Unit::dbm};
    out.target = target, out.tolerance = tolerance, out.method = method;
    out.step = {std::abs(to - from) / 10, Unit::db};
    return out;
}

struct Tried {
    std::vector<double> settings;
    std::optional<Quantity> found;
    std::string failure;
};

Tried follow(const Adjust& what, const std::function<std::optional<double>(double)>& bench) {
    Adjustment adjustment(what);
    Tried out;
    while (const auto value = adjustment.next()) {
        REQUIRE(out.settings.size() < 1000);
        out.settings.push_back(value->value);
        adjustment.put(bench(value->value));
    }
    out.found = adjustment.found();
    out.failure = adjustment.failure();
    return out;
}

}  // namespace

TEST_CASE("a straight result is met at the third trial, whichever way it runs") {
    const auto tried = follow(level(-40, 0, -13, 0.05), [](double x) { return x - 3; });
    REQUIRE(tried.found);
    CHECK(tried.found->value == about(-10));
    CHECK(tried.settings.front() == -40);
    for (std::size_t i = 1; i < tried.settings.size(); ++i) CHECK(tried.settings[i] <= 0);
    const auto falling = follow(level(0, 40, -13, 0.05), [](double x) { return -x + 7; });
    REQUIRE(falling.found);
    CHECK(falling.found->value == about(20));
}

TEST_CASE("curved results converge from the safe side, never past what is allowed, in few trials") {
    // Compression: the output bends.
    const auto bent = [](double x) {
        return 10 * std::log10(1 / (1 / std::pow(10, x / 10) + 1 / std::pow(10, 0.5)));
    };
    for (const double target : {-30.0, -10.0, 0.0, 3.0}) {
        const auto tried = follow(level(-40, 20, target, 0.02), bent);
        REQUIRE_MESSAGE(tried.found, tried.failure);
        CHECK(std::abs(bent(tried.found->value) - target) <= 0.02);
        CHECK(tried.settings.size() <= 12);
        // No step is longer than twice the one before, until the target is bracketed.
        for (std::size_t i = 2; i < tried.settings.size(); ++i) {
            const double step = tried.settings[i] - tried.settings[i - 1],
                         before = tried.settings[i - 1] - tried.settings[i - 2];
            CHECK(std::abs(step) <= 2 * std::abs(before) * (1 + 1e-9));
        }
    }
}

TEST_CASE("bisection halves between bounds that lie on both sides, and refuses others") {
    const auto steep = [](double x) { return x < -17.3 ? -50.0 + x / 100 : 10.0 + x / 100; };
    Adjust what = level(-40, 0, -20, 0.5, AdjustMethod::bisection);
    what.trials = 40;
    const auto jump = follow(what, steep);
    CHECK_FALSE(jump.found);  // it jumps over the target
    CHECK_FALSE(jump.failure.empty());
    what.target = 0, what.tolerance = 0.01;
    const auto line = follow(what, [](double x) { return x + 11.0; });
    REQUIRE(line.found);
    CHECK(line.found->value == within(0.01, -11));
    what.target = 100;
    CHECK(follow(what, [](double x) { return x; }).failure.find("does not lie between") != std::string::npos);
}

TEST_CASE("what cannot be reached, does not move or has no result ends with the reason") {
    CHECK(follow(level(-40, 0, 10, 0.1), [](double x) {
              return x;
          }).failure.find("the end of what may be set") != std::string::npos);
    const auto stuck = follow(level(-40, 0, 10, 0.1), [](double) { return -70.0; });
    CHECK_FALSE(stuck.found);
    CHECK_FALSE(stuck.failure.empty());
    int trials = 0;
    CHECK(follow(level(-40, 0, -20, 0.1), [&](double x) {
              return ++trials > 2 ? std::nullopt : std::optional(x);
          }).failure.find("has no valid power") != std::string::npos);
    Adjust few = level(-40, 0, -1, 1e-9);
    few.trials = 3;
    CHECK(follow(few, [](double x) { return x * x / 100; }).failure.find("after 3 trials") !=
          std::string::npos);
    CHECK(follow(level(-40, 0, -40, 0.1), [](double x) { return x; }).settings.size() == 1);  // there already
}

TEST_CASE("adjustments that make no sense are refused") {
    CHECK_THROWS_AS(Adjustment(level(0, 0, 1, 1)), Error);
    CHECK_THROWS_AS(Adjustment(level(0, 1, 1, 0)), Error);
    Adjust mixed = level(0, 1, 1, 1);
    mixed.to.unit = Unit::volt;
    CHECK_THROWS_AS(Adjustment{mixed}, Error);
    Adjust once = level(0, 1, 1, 1);
    once.trials = 1;
    CHECK_THROWS_AS(Adjustment{once}, Error);
}
