// Uncertainty budgets and what they make of verdicts.
#include "core/rules/uncertainty.hpp"

#include <doctest/doctest.h>

#include <cmath>

#include "core/rules/judge.hpp"
#include "tests/about.hpp"
#include "tests/core/made_rule.hpp"

using namespace rt;

namespace {

Budget budget_of(double expanded, double from = 0, double to = 1e300) {
    Budget b{.name = "b", .applies_to = {}, .contributions = {}};
    b.from_hz = from, b.to_hz = to;
    b.contributions = {{.name = "all", .value = expanded}};
    return b;
}

// 50 dBuV from 1 to 10 MHz.
struct Stand {
    Rulebook book{"b", "B", "S", "1", "made up", "", {}, {}};
    explicit Stand(std::optional<double> allowed = {}) {
        const LimitPiece piece{1e6, 10e6, 50, 50, Interpolation::linear};
        Rule rule = made_rule("emission", Unit::dbuv, LimitLine({piece}, Sense::upper));
        rule.allowed_uncertainty = allowed;
        rule.marginal = 1;
        book.rules.push_back(rule);
    }
    Finding judged(std::vector<double> levels, const JudgeOptions& options) const {
        Outcome outcome;
        Trace trace;
        trace.name = "emission", trace.y_unit = Unit::dbuv;
        for (std::size_t i = 0; i < levels.size(); ++i)
            trace.x.push_back(1e6 + 9e6 * static_cast<double>(i) / static_cast<double>(levels.size() - 1));
        trace.y = std::move(levels);
        outcome.traces.push_back(trace);
        return judge({&book, &book.rules.front()}, outcome, options);
    }
};

JudgeOptions options_of(Decision decision, std::vector<Budget> budgets) {
    JudgeOptions out;
    out.decision = decision;
    out.budgets = std::move(budgets);
    return out;
}

}  // namespace

TEST_CASE("contributions combine as the GUM says") {
    // EA-4/02-like: 1.5 dB (k = 2), 0.9 dB u-shaped, 0.3 dB rectangular, 0.5 dB triangular twice as strong.
    Budget b = budget_of(1.5);
    b.contributions.push_back({.name = "mismatch", .value = 0.9, .distribution = Distribution::u_shaped});
    b.contributions.push_back({.name = "table", .value = 0.3, .distribution = Distribution::rectangular});
    b.contributions.push_back({.name = "t",
                               .value = 0.5,
                               .distribution = Distribution::triangular,
                               .coverage = 2,
                               .sensitivity = 2});
    const double squares = 0.75 * 0.75 + 0.9 * 0.9 / 2 + 0.3 * 0.3 / 3 + 1.0 / 6;
    CHECK(b.expanded() == about(2 * std::sqrt(squares)));
    CHECK(chance_beyond(2, 2) == about(0.0227501).epsilon(1e-5));  // two standard deviations
    CHECK(chance_beyond(0, 3) == about(0.5));
    CHECK(chance_beyond(1, 0) == 0);
}

TEST_CASE("decisions: simple states the uncertainty, guarded and the CISPR rule tighten the limit") {
    const Stand stand(3.4);
    const std::vector<double> level(11, 46.0);  // margin 4 dB
    const auto simple = stand.judged(level, options_of(Decision::simple, {budget_of(4.5)}));
    CHECK(simple.verdict == Verdict::pass);
    CHECK(*simple.margin == about(4));
    CHECK(*simple.uncertainty == about(4.5));
    CHECK_FALSE(simple.guard);
    CHECK(*simple.wrong_pass == about(0.5 * std::erfc(4 / 2.25 / std::sqrt(2.0))));
    const auto guarded = stand.judged(level, options_of(Decision::guarded, {budget_of(4.5)}));
    CHECK(guarded.verdict == Verdict::fail);
    CHECK(*guarded.margin == about(4));
    CHECK(*guarded.guard == about(4.5));
    CHECK(guarded.reason.find("inside the guard band of 4.5") == 0);
    CHECK_FALSE(guarded.wrong_pass);
    // 4.5 exceeds the allowed 3.4 by 1.1: 2.9 dB are left, more than marginal.
    const auto cispr = stand.judged(level, options_of(Decision::cispr, {budget_of(4.5)}));
    CHECK(cispr.verdict == Verdict::pass);
    CHECK(*cispr.guard == about(1.1));
    CHECK(*stand.judged(level, options_of(Decision::cispr, {budget_of(3)})).guard == 0);
    const std::vector<double> close(11, 48.3);
    CHECK(stand.judged(close, options_of(Decision::cispr, {budget_of(4.5)})).verdict == Verdict::marginal);
    // A rule that allows for none is judged simply by the CISPR rule.
    CHECK(Stand().judged(level, options_of(Decision::cispr, {})).verdict == Verdict::pass);
}

TEST_CASE("budgets of several bands hold where they are for, and none declared is no verdict") {
    const Stand stand;
    // Nearest to the limit at the low end, but the large uncertainty is at the high end.
    std::vector<double> levels(11, 40.0);
    levels[0] = 47, levels[10] = 45;
    const auto bands = options_of(Decision::guarded, {budget_of(1, 0, 5e6), budget_of(6, 5e6)});
    const auto finding = stand.judged(levels, bands);
    CHECK(finding.verdict == Verdict::fail);
    CHECK(finding.at->value == about(10e6));
    CHECK(*finding.guard == about(6));
    CHECK(finding.points_judged == 11);
    const auto none = stand.judged(levels, options_of(Decision::guarded, {}));
    CHECK(none.verdict == Verdict::none);
    CHECK(none.reason.find("the bench declares none for emission") != std::string::npos);
    Budget other = budget_of(1);
    other.applies_to = {"psd"};
    CHECK(stand.judged(levels, options_of(Decision::guarded, {other})).verdict == Verdict::none);
}

TEST_CASE("an uncertainty in percent counts from the value") {
    Rulebook book{"b", "B", "S", "1", "made up", "", {}, {}};
    book.rules.push_back(made_rule("rise_time", Unit::second, Bound{{}, 10e-9}));
    Outcome outcome;
    outcome.add("rise_time", 9.8e-9, Unit::second);
    Budget budget = budget_of(5);
    budget.unit = Unit::percent;
    const auto finding =
        judge({&book, &book.rules.front()}, outcome, options_of(Decision::guarded, {budget}));
    CHECK(*finding.uncertainty == about(0.49e-9));
    CHECK(finding.verdict == Verdict::fail);
}
