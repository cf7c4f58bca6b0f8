// How sure counted errors are, and when counting may end.
#include <doctest/doctest.h>

#include <cmath>
#include <random>

#include "core/stats/counting.hpp"
#include "core/stats/proportion.hpp"
#include "core/stats/stopping.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

Stopping sequential(double good, double limit) {
    Stopping out;
    out.kind = Stopping::Kind::sequential, out.good = good, out.limit = limit;
    return out;
}

Stopping bounds(double limit, std::uint64_t looks) {
    Stopping out;
    out.kind = Stopping::Kind::bounds, out.limit = limit, out.looks = looks;
    return out;
}

struct Course10000 {
    int better = 0, worse = 0, undecided = 0;
    double trials = 0;  // on average
};

// So many units of this true ratio, looked at every `step` trials, at most `most` of them.
Course10000 units_of(const Stopping& stopping, double ratio, std::uint64_t step, std::uint64_t most,
                     unsigned seed) {
    std::mt19937_64 random(seed);
    Course10000 out;
    for (int unit = 0; unit < 10000; ++unit) {
        std::binomial_distribution<std::uint64_t> more(step, ratio);
        std::uint64_t events = 0, trials = 0;
        Course course = Course::undecided;
        while (course == Course::undecided && trials < most) {
            events += more(random), trials += step;
            course = course_of(stopping, events, trials);
        }
        out.better += course == Course::better, out.worse += course == Course::worse;
        out.undecided += course == Course::undecided;
        out.trials += static_cast<double>(trials) / 10000;
    }
    return out;
}

}  // namespace

TEST_CASE("bounds of counted events are those of the table of chi-squared") {
    // Half of chi-squared's quantile, from scipy: 0, 1, 5 and 20 events.
    const double table[][5]{{0, 2.302585, 2.995732, 4.605170, 0},
                            {1, 3.889720, 4.743865, 6.638352, 0.051293},
                            {5, 9.274674, 10.513035, 13.108484, 1.970150},
                            {20, 27.045101, 29.062019, 33.103118, 13.254651}};
    for (const auto& row : table) {
        const auto events = static_cast<std::uint64_t>(row[0]);
        CHECK(events_upper_bound(events, 0.90) == about(row[1]).epsilon(1e-6));
        CHECK(events_upper_bound(events, 0.95) == about(row[2]).epsilon(1e-6));
        CHECK(events_upper_bound(events, 0.99) == about(row[3]).epsilon(1e-6));
        CHECK(events_lower_bound(events, 0.95) == within(1e-6, row[4]));
    }
    CHECK_THROWS_AS(events_upper_bound(1, 1), Error);
    // The exact ones of a proportion come to the same where it is small.
    CHECK(proportion_upper_bound(5, 1000000000, 0.95) * 1e9 == about(10.513034).epsilon(1e-5));
    CHECK(proportion_lower_bound(5, 1000000000, 0.95) * 1e9 == about(1.970150).epsilon(1e-5));
    CHECK(proportion_lower_bound(3, 100, 0.95) == about(0.00822583).epsilon(1e-5));  // scipy
}

TEST_CASE("trials that a limit needs, and how sure a count is") {
    // Without errors n = ln(1 - C) / ln(1 - p), rounded up.
    for (const double limit : {0.308, 0.1, 1e-3, 1e-9}) {
        const double closed = std::log(0.05) / std::log1p(-limit);
        const auto needed = trials_needed(limit, 0.95, 0);
        REQUIRE(needed);
        CHECK(static_cast<double>(*needed) == within(1 + 1e-9 * closed, std::ceil(closed)));
    }
    CHECK(trials_needed(0.1, 0.95, 1) == 46);  // scipy, by search over beta.ppf
    CHECK(trials_needed(0.1, 0.95, 5) == 103);
    CHECK(trials_needed(0.01, 0.95, 10) == 1693);
    CHECK(!trials_needed(1e-16, 0.95, 0));
    CHECK(confidence_below(3, 1000, 0.01) == about(0.9899273).epsilon(1e-6));  // 1 - binom.cdf(3, 1000, 0.01)
    CHECK(confidence_below(0, 300, 0.01) == about(1 - std::pow(0.99, 300)).epsilon(1e-9));
    CHECK(confidence_below(0, 0, 0.01) == 0);
    CHECK(confidence_below(5, 5, 0.01) == 0);
}

TEST_CASE("the risks of ending early are those stated, on 10,000 units each side") {
    // Wald: risk_pass / (1 - risk_fail) bounds the one, the other alike: 5.3 %; three standard deviations of
    // 10,000 draws are 0.7 %.
    const Stopping wald = sequential(0.05, 0.1);
    const Course10000 at_limit = units_of(wald, 0.1, 10, 100000, 1);
    CHECK(at_limit.better < 600);
    CHECK(at_limit.better > 200);  // and it decides at all
    const Course10000 good = units_of(wald, 0.05, 10, 100000, 2);
    CHECK(good.worse < 600);
    CHECK(good.better > 9400);
    // A unit far better, as most are, needs a fraction of it: B / (p1 - p0) without errors.
    const Course10000 perfect = units_of(wald, 0, 1, 100000, 3);
    CHECK(perfect.better == 10000);
    CHECK(perfect.trials == within(1.01, 2.944 / std::log(0.95 / 0.9)));
    const Stopping exact = bounds(0.308, 50);
    const Course10000 exactly = units_of(exact, 0.308, 30, 1500, 4);
    CHECK(exactly.better < 500);
    CHECK(exactly.worse < 500);
    CHECK(units_of(exact, 0.2, 30, 1500, 5).worse == 0);
    CHECK(units_of(exact, 0.45, 30, 1500, 6).better == 0);
    CHECK(units_of(exact, 0.45, 30, 1500, 6).worse == 10000);
}

TEST_CASE("what ends early says the same as its ratio") {
    // Every count of up to 400 trials, at three limits.
    std::size_t decided = 0;
    for (const double limit : {0.01, 0.1, 0.308})
        for (std::uint64_t trials = 1; trials <= 400; trials += 3)
            for (std::uint64_t events = 0; events <= trials; ++events)
                for (const Stopping& s : {sequential(limit / 2, limit), bounds(limit, 20)}) {
                    const Course course = course_of(s, events, trials);
                    const bool above = static_cast<double>(events) > limit * static_cast<double>(trials);
                    if (course == Course::undecided) continue;
                    ++decided;
                    if (above != (course == Course::worse)) FAIL_CHECK("the ratio says otherwise");
                }
    CHECK(decided > 100000);
    CHECK(course_of(sequential(0.05, 0.1), 0, 0) == Course::undecided);
    CHECK(course_of(Stopping{}, 0, 1000000) == Course::undecided);
}

TEST_CASE("what cannot decide is refused by its parameter") {
    const auto error = [](Stopping s) { return input_error([&] { require_valid(s); }); };
    CHECK(error(sequential(0.05, 0)).find("limit") != std::string::npos);
    CHECK(error(sequential(0.1, 0.1)).find("good") != std::string::npos);
    Stopping risky = bounds(0.1, 5);
    risky.risk_pass = 0.5;
    CHECK(error(risky).find("risk_pass") != std::string::npos);
    CHECK(error(bounds(1, 5)).find("limit") != std::string::npos);
    CHECK_NOTHROW(require_valid(Stopping{}));
}
