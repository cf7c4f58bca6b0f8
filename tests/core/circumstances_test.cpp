// Limits that are looked up: rows by parameter, axis and unit, results of other tests, and what rules
// require.
#include "core/rules/circumstances.hpp"

#include <doctest/doctest.h>

#include "core/base/error.hpp"
#include "core/catalogue/catalogue.hpp"
#include "core/rules/judge.hpp"
#include "tests/about.hpp"

using namespace rt;

namespace {

struct Case {
    Rulebook book;
    Rule rule;
    Outcome outcome;
    Parameters parameters{find_procedure("radio.ofdm").parameters};
    JudgeOptions options;

    Case() {
        book.id = "b";
        rule.id = "r", rule.title = "error", rule.applies_to = "evm", rule.unit = Unit::db;
        outcome.add("evm", -20, Unit::db);
        parameters.fill_defaults();
    }
    Finding judged() { return judge({&book, &rule}, outcome, parameters, options); }
};

Bound at_most(double value) {
    return {std::nullopt, value};
}

}  // namespace

TEST_CASE("the one row that fits gives the limit; none or two give no verdict") {
    Case c;
    c.rule.rows = {{{{"axis.rate", "6 MHz"}}, at_most(-5)}, {{{"axis.rate", "54 MHz"}}, at_most(-25)}};
    c.options.around.values["axis.rate"] = "6000 kHz";
    CHECK(c.judged().verdict == Verdict::pass);
    CHECK(c.judged().limit == -5);
    CHECK(c.judged().title == "error, rate 6 MHz");
    c.options.around.values["axis.rate"] = "54 MHz";
    CHECK(c.judged().verdict == Verdict::fail);
    c.options.around.values["axis.rate"] = "12 MHz";
    CHECK(c.judged().verdict == Verdict::none);
    CHECK(c.judged().reason == "no row of the limit fits axis.rate 12 MHz");
    CHECK_FALSE(c.judged().value);
    c.options.around.values.clear();
    CHECK(c.judged().reason.find("depends on axis.rate, which nobody has stated") != std::string::npos);
    c.rule.rows = {{{{"axis.rate", "1 MHz to 10 MHz"}}, at_most(-5)},
                   {{{"axis.rate", "10 MHz to 20 MHz"}}, at_most(-10)},
                   {{{"axis.rate", "15 MHz to 30 MHz"}}, at_most(-15)}};
    c.options.around.values["axis.rate"] = "10 MHz";
    CHECK(c.judged().limit == -10);  // the first value of a range belongs to it, the last does not
    c.options.around.values["axis.rate"] = "16 MHz";
    CHECK(c.judged().reason.find("two rows of the limit fit") == 0);
    CHECK(c.judged().title == "error");
    c.rule.rows = {{{{"axis.rate", "0 Hz to 20 MHz"}}, at_most(-5)}};
    CHECK(c.judged().title == "error, rate below 20 MHz");
}

TEST_CASE(
    "rows by several things, words without regard to capitals, and presets count as what was measured with") {
    Case c;
    c.rule.rows = {{{{"unit.class", "a"}, {"axis.band", "low"}}, at_most(-25)},
                   {{{"unit.class", "B"}, {"axis.band", "low"}}, at_most(-15)}};
    c.options.around.values = {{"unit.class", "b"}, {"axis.band", "LOW"}};
    CHECK(c.judged().limit == -15);
    c.options.around.values["unit.class"] = " ";
    CHECK(c.judged().verdict == Verdict::none);  // an empty text states nothing
    Case p;
    p.rule.rows = {{{{"parameter.hysteresis", "3 dB"}}, at_most(-10)}};
    CHECK(p.judged().limit == -10);
}

TEST_CASE("rows by what was measured: of a bound, without a scale, or not there nothing is judged") {
    Case c;
    c.rule.rows = {{{{"result.power", "0 dBm to 100 dBm"}}, at_most(-25)},
                   {{{"result.power", "-30 dBm to 0 dBm"}}, at_most(-15)}};
    CHECK(c.judged().reason == "the limit depends on result.power, which the capture does not give");
    c.outcome.add("power", -0.004, Unit::dbm);
    CHECK(c.judged().limit == -15);
    CHECK(c.judged().verdict == Verdict::pass);
    c.outcome.results.back().value.value = 0;
    CHECK(c.judged().verdict == Verdict::fail);
    c.outcome.results.back().value.value = -30.001;
    CHECK(c.judged().reason == "no row of the limit fits result.power -30.001 dBm");
    c.outcome.results.back().value = {-10, Unit::dbfs};
    CHECK(c.judged().verdict == Verdict::none);
    c.outcome.results.back().value = {-10, Unit::dbm};
    c.outcome.results.back().known = Known::at_most;
    CHECK(c.judged().verdict == Verdict::none);
    c.outcome.results.back().known = Known::exactly;
    CHECK(c.judged().verdict == Verdict::pass);
    c.outcome.unscaled = true;
    CHECK(c.judged().verdict == Verdict::none);
}

TEST_CASE("what is enough by itself: the better of both verdicts, and what decided is told") {
    Case c;
    c.rule.applies_to = "ratio", c.rule.limit = Bound{30, std::nullopt}, c.rule.marginal = 1;
    c.rule.enough = Enough{"neighbour", {-50, Unit::dbm}};
    c.outcome.add("ratio", 25, Unit::db);
    // Not known: what is seen clearly stands, and what would have helped is told.
    CHECK(c.judged().verdict == Verdict::fail);
    CHECK(c.judged().reason ==
          "neighbour of at most -50 dBm would be enough, which is not known: the capture gives no neighbour");
    c.outcome.add("neighbour", -53, Unit::dbm);
    CHECK(c.judged().verdict == Verdict::pass);
    CHECK(c.judged().margin == about(3));
    CHECK(c.judged().unit == Unit::dbm);
    CHECK(c.judged().reason.find("neighbour of at most -50 dBm is enough: ratio is 25") == 0);
    c.outcome.results.back().value.value = -50.5;
    CHECK(c.judged().verdict == Verdict::marginal);
    // Only a bound is known: at least so much shows nothing, at most so much does.
    c.outcome.results.back().value.value = -53;
    c.outcome.results.back().known = Known::at_least;
    CHECK(c.judged().verdict == Verdict::fail);
    c.outcome.results.back().known = Known::at_most;
    CHECK(c.judged().verdict == Verdict::pass);
    c.outcome.results.back() = Result{"neighbour", {-49, Unit::dbm}, {}};
    CHECK(c.judged().verdict == Verdict::fail);
    CHECK(c.judged().limit == 30);
    c.outcome.results.back() = Result{"neighbour", {-53, Unit::dbfs}, {}};
    CHECK(c.judged().verdict == Verdict::fail);
    CHECK(c.judged().reason.find("cannot be judged") != std::string::npos);
    // A ratio that holds is not looked at twice; a decision with a guard asks both for their uncertainty.
    c.outcome.results[1].value.value = 33;
    CHECK(c.judged().verdict == Verdict::pass);
    CHECK(c.judged().limit == 30);
    c.outcome.results[1].value.value = 25, c.outcome.results.back().value = {-53, Unit::dbm};
    c.options.decision = Decision::guarded;
    c.options.budgets = {Budget{.name = "ratio", .applies_to = {"ratio"}, .contributions = {{"all", 1.0}}}};
    CHECK(c.judged().verdict == Verdict::fail);
    c.options.budgets.push_back(
        {.name = "power", .applies_to = {"neighbour"}, .contributions = {{"all", 1.0}}});
    CHECK(c.judged().verdict == Verdict::pass);
    CHECK(c.judged().guard == 1);
    c.outcome.invalid = "clipped";
    CHECK(c.judged().verdict == Verdict::none);
}

TEST_CASE("a limit out of a result: of the same capture, of another test, or missing with the reason") {
    Case c;
    c.rule.max_from = "alarm";
    CHECK(c.judged().reason.find("which the capture does not give") != std::string::npos);
    c.outcome.add("alarm", -18, Unit::db);
    CHECK(c.judged().margin == about(2));
    c.outcome.results.back().known = Known::at_most;  // the true limit may be lower
    CHECK(c.judged().verdict == Verdict::none);
    c.outcome.results.back().known = Known::at_least;
    CHECK(c.judged().verdict == Verdict::marginal);
    c.rule.max_from = "module/alarm";
    CHECK(c.judged().reason.find("which is not known here") != std::string::npos);
    c.options.around.results["module/alarm"] = {{}, "module has no point here"};
    CHECK(c.judged().reason == "the limit is the result module/alarm: module has no point here");
    c.options.around.results["module/alarm"] = {Result{"alarm", {-25, Unit::db}, {}}, {}};
    CHECK(c.judged().verdict == Verdict::fail);
    c.options.around.results["module/alarm"] = {Result{"alarm", {-25, Unit::volt}, {}}, {}};
    CHECK(c.judged().reason.find("which is no limit in dB") != std::string::npos);
    c.options.around.results["module/alarm"] = {Result{"alarm", {-25, Unit::db}, {}}, {}};
    c.rule.limit = Bound{-10, std::nullopt};
    CHECK(c.judged().reason.find("contradict each other") != std::string::npos);
}

TEST_CASE("what a rule requires of unit and instrument is stated, and enough, or there is no verdict") {
    Case c;
    c.rule.limit = at_most(-5);
    CHECK(c.judged().verdict == Verdict::pass);
    c.rule.needs_stated = {"instrument.bandwidth >= 2 GHz"};
    CHECK(c.judged().reason.find("instrument.bandwidth, which nobody has stated: write properties") !=
          std::string::npos);
    c.options.around.values["instrument.bandwidth"] = "1.5 GHz";
    CHECK(c.judged().reason == "the rule needs instrument.bandwidth >= 2 GHz, stated is 1.5 GHz");
    c.options.around.values["instrument.bandwidth"] = "2000 MHz";
    CHECK(c.judged().verdict == Verdict::pass);
    c.options.around.values["instrument.bandwidth"] = "plenty";
    CHECK(c.judged().verdict == Verdict::none);
    c.rule.needs_stated = {"instrument.reference = locked", "unit.class"};
    c.options.around.values = {{"instrument.reference", "Locked"}};
    CHECK(c.judged().reason.find("write class into [unit]") != std::string::npos);
    c.options.around.values["unit.class"] = "A";
    CHECK(c.judged().verdict == Verdict::pass);
    c.rule.needs_stated = {"instrument.frequency_accuracy <= 1 ppm"};
    c.options.around.values["instrument.frequency_accuracy"] = "0.5 ppm";
    CHECK(c.judged().verdict == Verdict::pass);
    c.options.around.values["instrument.frequency_accuracy"] = "0.0002 %";
    CHECK(c.judged().verdict == Verdict::none);
    // A parameter that is only preset is not stated.
    c.rule.needs_stated = {"hysteresis"};
    CHECK(c.judged().verdict == Verdict::none);
    c.parameters.set("hysteresis", "3 dB");
    CHECK(c.judged().verdict == Verdict::pass);
}

TEST_CASE("rows and requirements that say nothing are refused") {
    Rule rule;
    rule.rows = {{{{"rate", "1"}}, at_most(1)}};
    CHECK_THROWS_AS(require_sayable(rule), Error);
    rule.rows = {{{{"axis.rate", "1"}}, at_most(1)}, {{{"axis.rate", "1"}}, at_most(2)}};
    CHECK_THROWS_AS(require_sayable(rule), Error);
    rule.rows = {{{}, at_most(1)}};
    CHECK_THROWS_AS(require_sayable(rule), Error);
    rule.rows.clear();
    for (const char* text : {"bench.bandwidth", "instrument.bandwidth >= much", "instrument.bandwidth >="}) {
        rule.needs_stated = {text};
        CHECK_THROWS_AS(require_sayable(rule), Error);
    }
}
