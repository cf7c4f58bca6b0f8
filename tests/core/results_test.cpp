// Conclusions from tables of results, against closed forms.
#include <doctest/doctest.h>

#include <cmath>

#include "core/base/error.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

// One result "y" over one axis "x".
ResultTable over(const std::vector<std::pair<double, double>>& points, Unit x = Unit::dbm,
                 Unit y = Unit::percent) {
    ResultTable table;
    table.axes = {{"x", x}};
    table.results = {{"y", y}};
    for (const auto& [at, value] : points) {
        const std::string text = format_exact({at, x});
        table.rows.push_back(
            {"x=" + text, "", "", 10.0 * static_cast<double>(table.rows.size()), {{text, at}}, {{value}}});
    }
    return table;
}

std::string why(const Outcome& outcome) {
    CHECK(outcome.results.empty());
    return outcome.invalid.value_or("");
}

}  // namespace

TEST_CASE("a crossing lies on the straight line between its neighbours") {
    // 3.5 % at -100, 0.5 % at -99: 1 % is crossed 5/6 of the way.
    const auto table = over({{-98, 0.1}, {-100, 3.5}, {-99, 0.5}, {-101, 20}});
    const auto outcome = run("results.crossing", table, {{"level", "1 %"}});
    CHECK(value(outcome, "crossing") == about(-100 + 5.0 / 6));
    CHECK(value(outcome, "crossings") == 1);
    REQUIRE(outcome.traces.size() == 1);
    CHECK(outcome.traces[0].x == std::vector<double>{-101, -100, -99, -98});
    CHECK(run("results.crossing", table, {{"level", "1 %"}, {"direction", "rising"}}).invalid);
    // Over a logarithmic axis the geometric mean is the middle.
    const auto decades = over({{1e6, 0}, {1e8, 2}}, Unit::hertz, Unit::none);
    CHECK(value(run("results.crossing", decades, {{"level", "1"}, {"scale", "logarithmic"}}), "crossing") ==
          about(1e7));
    CHECK(value(run("results.crossing", decades, {{"level", "1"}}), "crossing") == about(50.5e6));
}

TEST_CASE("points on the level are crossed once, and several crossings are told apart") {
    const auto wave = over({{0, -1}, {1, 0}, {2, 1}, {3, 0}, {4, -1}, {5, 1}}, Unit::second, Unit::volt);
    const auto outcome = run("results.crossing", wave, {{"level", "0 V"}});
    CHECK(value(outcome, "crossings") == 3);
    CHECK(value(outcome, "crossing") == 1);
    CHECK(value(outcome, "last_crossing") == 4.5);
    CHECK(value(run("results.crossing", wave, {{"level", "0 V"}, {"direction", "falling"}}), "crossing") ==
          3);
    const auto from_level = over({{0, 0}, {1, 1}}, Unit::second, Unit::volt);
    CHECK(value(run("results.crossing", from_level, {{"level", "0 V"}}), "crossing") == 0);
    const auto touching = over({{0, 1}, {1, 0}, {2, 1}}, Unit::second, Unit::volt);
    CHECK(value(run("results.crossing", touching, {{"level", "0 V"}, {"direction", "falling"}}),
                "crossing") == 1);
}

TEST_CASE(
    "nothing is concluded from points that do not count, are missing or are bounds beside the crossing") {
    auto table = over({{-101, 20}, {-100, 3.5}, {-99, 0.5}, {-98, 0.1}});
    CHECK(why(run("results.crossing", table, {{"level", "50 %"}})).find("runs from 0.1 % to 20 %") !=
          std::string::npos);
    auto invalid = table;
    invalid.rows[3].invalid = "analyser overloaded";
    for (const char* procedure : {"results.spread", "results.extremes", "results.slope", "results.drift"})
        CHECK(why(run(procedure, invalid)).find("x=-98 dBm is not valid: analyser overloaded") !=
              std::string::npos);
    auto lacking = table;
    lacking.rows[0].cells[0].value.reset();
    CHECK(why(run("results.spread", lacking)).find("has no y") != std::string::npos);
    auto bound = table;
    bound.rows[2].cells[0].at_most = true;
    CHECK(why(run("results.crossing", bound, {{"level", "1 %"}})).find("only a bound") != std::string::npos);
    CHECK(why(run("results.spread", bound)).find("at most 0.5 %") != std::string::npos);
    // Far from the crossing, on its side of the level, a bound harms nothing.
    auto far = table;
    far.rows[3].cells[0].at_most = true;
    CHECK(value(run("results.crossing", far, {{"level", "1 %"}}), "crossings") == 1);
    far.rows[0].cells[0].at_most = true;  // at most 20 %: maybe below 1 % as well
    CHECK(why(run("results.crossing", far, {{"level", "1 %"}})).find("may lie beyond the level") !=
          std::string::npos);
    table.distrust = "2 of 6 points of scan were not measured";
    CHECK(why(run("results.crossing", table, {{"level", "1 %"}})) ==
          "2 of 6 points of scan were not measured");
    CHECK(why(run("results.spread", ResultTable{})).find("no points") != std::string::npos);
}

TEST_CASE("repeats at one value have no curve, but a spread") {
    const auto repeats = over({{5, 1}, {5, 2}, {5, 4}, {5, 5}}, Unit::dbm, Unit::dbm);
    CHECK(why(run("results.crossing", repeats, {{"level", "3 dBm"}})).find("two points stand at x 5 dBm") !=
          std::string::npos);
    const auto outcome = run("results.spread", repeats);
    CHECK(value(outcome, "mean") == 3);
    CHECK(value(outcome, "range") == 4);
    CHECK(outcome.find_result("range")->value.unit == Unit::db);
    // Sample deviation of 1, 2, 4, 5: squares sum to 10, over 3.
    CHECK(value(outcome, "standard_deviation") == about(std::sqrt(10.0 / 3)));
    CHECK(value(outcome, "repeatability_limit") == about(2.8 * std::sqrt(10.0 / 3)));
    CHECK(why(run("results.spread", over({{1, 1}}))).find("at least two") != std::string::npos);
}

TEST_CASE("a drift is the slope over time, whatever the order of the axis") {
    // Points 10 s apart: 0.2 V in 30 s on the straight line, one of them 0.1 V off.
    auto table = over({{4, 1.0}, {2, 1.1}, {3, 1.1}, {1, 1.2}}, Unit::none, Unit::volt);
    auto outcome = run("results.drift", table);
    // Least squares over t = 0, 10, 20, 30: slope = sum (t - 15)(y - mean) / 500 = 3 / 500.
    CHECK(value(outcome, "drift") == about(0.18));
    CHECK(value(outcome, "drift_per_hour") == about(0.006 * 3600));
    CHECK(value(outcome, "greatest_change") == about(0.2));
    CHECK(value(outcome, "time") == 30);
    CHECK(outcome.observed_s == 30);
    table.rows[1].at_s.reset();
    CHECK(why(run("results.drift", table)).find("when it was measured") != std::string::npos);
}

TEST_CASE("slope, linearity and compression") {
    // y = 2 x + 1 with one value 0.3 too high: least squares by hand over x = 0..4.
    const auto line = over({{0, 1}, {1, 3}, {2, 5.3}, {3, 7}, {4, 9}}, Unit::volt, Unit::volt);
    const auto outcome = run("results.slope", line);
    CHECK(value(outcome, "slope") == about(2));
    CHECK(value(outcome, "offset") == about(1.06));
    CHECK(value(outcome, "linearity_error") == about(0.24));
    CHECK(value(outcome, "linearity_share") == about(3));
    // Gain 10 dB, falling by 0.5 dB a step from -5 dBm on: 1 dB below at -3 dBm exactly, 1.25 between.
    std::vector<std::pair<double, double>> levels;
    for (int in = -10; in <= 0; ++in) levels.emplace_back(in, in + 10 - 0.5 * std::max(0, in + 5));
    const auto amplifier = over(levels, Unit::dbm, Unit::dbm);
    CHECK(value(run("results.compression", amplifier), "input_compression_point") == about(-3));
    CHECK(value(run("results.compression", amplifier), "output_compression_point") == about(6));
    CHECK(value(run("results.compression", amplifier, {{"compression", "1.25 dB"}}),
                "input_compression_point") == about(-2.5));
    const auto bound = run("results.compression", amplifier, {{"compression", "5 dB"}});
    REQUIRE(bound.find_result("input_compression_point"));
    CHECK(bound.find_result("input_compression_point")->known == Known::at_least);
    CHECK(bound.find_result("input_compression_point")->value.value == 0);
    // Compressed from the first level on: there is no small-signal gain.
    CHECK(
        why(run("results.compression", over({{0, 10}, {1, 10.5}, {2, 11}, {3, 11.4}}, Unit::dbm, Unit::dbm)))
            .find("begin at lower levels") != std::string::npos);
    CHECK_THROWS_AS(run("results.compression", line), Error);
}

TEST_CASE("extremes say where, and a bound makes them bounds") {
    auto table = over({{1, 4}, {2, 9}, {3, 6}}, Unit::hertz, Unit::volt);
    auto outcome = run("results.extremes", table);
    CHECK(value(outcome, "greatest") == 9);
    CHECK(value(outcome, "greatest_at") == 2);
    CHECK(value(outcome, "least_at") == 1);
    table.rows[2].cells[0].at_least = true;
    CHECK(run("results.extremes", table).find_result("greatest")->known == Known::at_least);
    table.rows[1].cells[0].at_most = true;
    CHECK(why(run("results.extremes", table)).find("only a bound") != std::string::npos);
}

TEST_CASE("a yield counts points without verdict as not passed and says so") {
    auto table = over({{1, 0}, {2, 0}, {3, 0}, {4, 0}}, Unit::none);
    for (auto& row : table.rows) row.verdict = "PASS";
    auto outcome = run("results.yield", table);
    CHECK(value(outcome, "yield") == 100);
    // No failure in 4: the lower bound with 95 % is 0.05^(1/4).
    CHECK(value(outcome, "yield_lower_bound") == about(100 * std::pow(0.05, 0.25)).epsilon(1e-6));
    table.rows[0].verdict = "FAIL", table.rows[1].verdict = "MARGINAL", table.rows[2].invalid = "overload";
    outcome = run("results.yield", table);
    CHECK(value(outcome, "yield") == 50);
    CHECK(outcome.find_result("yield")->known == Known::at_least);
    CHECK(value(outcome, "without_verdict") == 1);
    table.rows[3].verdict = "";
    CHECK(why(run("results.yield", table)).find("judged by no rule") != std::string::npos);
}

TEST_CASE("two tests are combined point by point in their units") {
    const auto both = [](const char* procedure, const ResultTable& a, const ResultTable& b) {
        const Procedure& known = find_procedure(procedure);
        Parameters parameters(known.parameters);
        parameters.fill_defaults();
        return measure(known, Inputs({{"b", b}, {"a", a}}), parameters);
    };
    const auto on = over({{1, -10}, {2, -20}}, Unit::hertz, Unit::dbm);
    const auto off = over({{2, -23}, {1, -10}}, Unit::hertz, Unit::dbm);  // another order
    auto outcome = both("results.difference", on, off);
    CHECK(value(outcome, "greatest") == about(3));
    CHECK(value(outcome, "least") == about(0));
    CHECK(outcome.find_result("least")->value.unit == Unit::db);
    // Two powers of -10 dBm are -6.99 dBm.
    CHECK(value(both("results.sum", on, off), "greatest") == about(-10 + 10 * std::log10(2)));
    const auto gain = over({{1, 3}, {2, 3}}, Unit::hertz, Unit::db);
    CHECK(value(both("results.sum", on, gain), "greatest") == about(-7));
    CHECK_THROWS_AS(both("results.ratio", on, off), Error);
    const auto volts = over({{1, 2}, {2, 3}}, Unit::hertz, Unit::volt);
    CHECK(value(both("results.ratio", volts, over({{1, 4}, {2, 2}}, Unit::hertz, Unit::volt)), "greatest") ==
          about(1.5));
    CHECK(both("results.ratio", volts, over({{1, 4}, {2, 0}}, Unit::hertz, Unit::volt)).invalid);
    CHECK_THROWS_AS(both("results.difference", volts, on), Error);
    CHECK(both("results.difference", on, over({{1, -10}}, Unit::hertz, Unit::dbm)).invalid);
    CHECK(both("results.difference", on, over({{1, -10}, {3, -23}}, Unit::hertz, Unit::dbm)).invalid);
}

TEST_CASE("inputs are taken by name: unknown, missing and double ones are refused") {
    const Procedure& difference = find_procedure("results.difference");
    Parameters parameters(difference.parameters);
    parameters.fill_defaults();
    const ResultTable table = over({{1, 2}});
    const auto said = [&](std::vector<Input> inputs) {
        try {
            measure(difference, Inputs(std::move(inputs)), parameters);
        } catch (const Error& error) {
            return std::string(error.what());
        }
        return std::string();
    };
    CHECK(said({{"a", table}}).find("needs the input \"b\"") != std::string::npos);
    CHECK(said({{"a", table}, {"b", table}, {"c", table}}).find("no input \"c\"") != std::string::npos);
    CHECK(said({{"a", table}, {"a", table}, {"b", table}}).find("two were given") != std::string::npos);
    CHECK(said({{"", table}, {"b", table}}).empty());  // the first needs no name
    const Procedure& single = find_procedure("results.spread");
    Parameters none(single.parameters);
    CHECK_THROWS_AS(measure(single, Inputs({{"a", table}}), none), Error);
    // What one of them lacks is told with its name.
    ResultTable doubtful = table;
    doubtful.distrust = "3 points are missing";
    const Outcome outcome = measure(difference, Inputs({{"a", table}, {"b", doubtful}}), parameters);
    CHECK(outcome.invalid == "b: 3 points are missing");
}

TEST_CASE("what a source lacks over frequency becomes a table, and nothing else does") {
    // -20.5 dBm at 1 GHz and 0.25 dB less for each gigahertz: a slope of -0.25 dB.
    std::vector<std::pair<double, double>> levels;
    for (int i = 0; i < 5; ++i) levels.emplace_back(1e9 * (1 + i), -20.5 - 0.25 * i);
    const auto table = over(levels, Unit::hertz, Unit::dbm);
    const auto out =
        run("results.level-table", table, {{"wanted", "-20 dBm"}, {"row", "{GHz}:{correction}"}});
    CHECK(value(out, "rows") == 5);
    CHECK(value(out, "greatest_correction") == about(1.5));
    CHECK(value(out, "level_slope") == about(-0.25));
    CHECK(value(out, "level_span") == about(1.0));
    REQUIRE(out.tables.size() == 1);
    CHECK(std::get<std::string>(out.tables[0].rows[0].back()) == "1:0.500");
    CHECK(std::get<std::string>(out.tables[0].rows[4].back()) == "5:1.500");
    const auto refused = [&](std::vector<std::pair<double, double>> points, const char* reason) {
        const auto bad =
            run("results.level-table", over(points, Unit::hertz, Unit::dbm), {{"wanted", "-20 dBm"}});
        CHECK_MESSAGE(why(bad).find(reason) != std::string::npos, why(bad));
        CHECK(bad.tables.empty());
    };
    refused({{1e9, -20}, {2e9, -45}}, "more than is possible");
    refused({{1e9, -20}, {2e9, -27}}, "more than straight lines can follow");
    refused({{1e9, -20}}, "two frequencies");
    CHECK(input_error([&] {
              run("results.level-table", table, {{"wanted", "-20 dBm"}, {"row", "{index}"}});
          }).find("{correction}") != std::string::npos);
    CHECK(input_error([&] {
              run("results.level-table", over({{1, 2}, {2, 3}}), {{"wanted", "-20 dBm"}});
          }).find("levels in dBm over an axis of frequencies") != std::string::npos);
}

TEST_CASE("stability over points in time: slope a minute, what is left of the line, short term, period") {
    // 406.037 MHz, 0.2 Hz a minute upwards, +-0.1 Hz in turns, 50 s apart.
    ResultTable table;
    table.axes = {{"burst", Unit::none}};
    table.results = {{"frequency", Unit::hertz}, {"second", Unit::hertz}, {"third", Unit::hertz}};
    constexpr double f0 = 406.037e6;
    for (int i = 0; i < 20; ++i) {
        ResultTable::Row row;
        row.point = "burst=" + std::to_string(i), row.at_s = 50.0 * i;
        row.axes = {{std::to_string(i), {}}};
        const double f = f0 + 0.2 * 50 * i / 60 + (i % 2 ? 0.1 : -0.1);
        row.cells = {{f}, {f + 0.3}, {f - 0.1}};
        table.rows.push_back(row);
    }
    const auto out =
        run("results.stability", table, {{"result", "frequency"}, {"second", "second"}, {"third", "third"}});
    // The ripple leans a little on the line: 0.1 Hz over 20 points moves the slope by 0.0018 Hz a minute.
    CHECK(value(out, "mean_slope") == about(0.2 / f0).epsilon(0.02));
    CHECK(value(out, "residual") == about(0.1 / f0).epsilon(0.02));
    CHECK(value(out, "short_term") == about(0.4 / f0 / std::sqrt(2.0)).epsilon(1e-6));
    CHECK(value(out, "mean_period") == about(50.0));
    CHECK(std::abs(value(out, "period_deviation")) < 1e-9);
    CHECK(value(out, "points") == 20);
    CHECK(run("results.stability", table, {{"result", "frequency"}}).lacking.contains("short_term"));
    table.rows.resize(17);
    const auto few = run("results.stability", table, {{"result", "frequency"}});
    CHECK(why(few).find("stability needs 18 points, there are 17") != std::string::npos);
    CHECK(run("results.stability", table, {{"result", "frequency"}, {"least_points", "17"}}).results.size() >
          3);
    table.rows[3].at_s.reset();
    CHECK(why(run("results.stability", table, {{"result", "frequency"}, {"least_points", "3"}}))
              .find("does not say when") != std::string::npos);
}

namespace {

// Error ratios of a receiver between two edges with Gaussian jitter: rho / 2 erfc of both sides. A hundredth
// of the edges on the left wander by `wide`, and `always` is wrong everywhere.
ResultTable bathtub(double left, double right, double sigma, double step, double floor, double wide = 0,
                    double always = 0) {
    std::vector<std::pair<double, double>> points;
    for (double x = -0.5; x < 0.5 + step / 2; x += step) {
        const auto tail = [](double q) { return 0.5 * std::erfc(q / std::sqrt(2.0)); };
        double wrong = tail((x - left) / sigma) + tail((right - x) / sigma);
        if (wide > 0) wrong += 0.01 * (tail((x - left) / wide) - tail((x - left) / sigma));
        const double ratio = always + 0.5 * wrong;
        points.emplace_back(x, ratio < floor ? 0 : ratio);
    }
    return over(points, Unit::unit_interval, Unit::none);
}

}  // namespace

TEST_CASE("a bathtub's opening is that between its Gaussian sides, as far as they are straight") {
    // Q of 1e-12 / 0.5 is 6.9381.
    const double q = 6.9381;
    const auto out = run("results.bathtub", bathtub(-0.35, 0.38, 0.02, 0.01, 1e-7));
    CHECK(value(out, "left") == within(1e-3, -0.35 + q * 0.02));
    CHECK(value(out, "right") == within(1e-3, 0.38 - q * 0.02));
    CHECK(value(out, "opening") == within(2e-3, 0.73 - 2 * q * 0.02));
    CHECK(value(out, "spread_left") == within(2e-4, 0.02));
    CHECK(value(out, "spread_right") == within(2e-4, 0.02));
    CHECK(value(out, "least_ratio") < 1e-6);
    CHECK(value(out, "error_free") > value(out, "opening"));
    CHECK(out.notes.at(0).find("extrapolated from a ratio of") != std::string::npos);
    // At a ratio that was counted nothing is extrapolated.
    const auto seen = run("results.bathtub", bathtub(-0.35, 0.38, 0.02, 0.01, 1e-7), {{"ratio", "1e-5"}});
    CHECK(value(seen, "left") == within(1e-3, -0.35 + 4.1075 * 0.02));  // of 2e-5
    CHECK(seen.notes.empty());
    // Closed: the sides meet before the ratio.
    const auto closed = run("results.bathtub", bathtub(-0.2, 0.2, 0.06, 0.02, 0), {{"ratio", "1e-12"}});
    CHECK((closed.invalid || value(closed, "opening") == 0));
    // A wider tail deeper down: Q of 1e-12 / 0.5 / 0.01 is 6.2463 of it. No opening is promised that is not
    // there.
    const auto tailed = run("results.bathtub", bathtub(-0.35, 0.38, 0.015, 0.005, 1e-9, 0.04));
    CHECK((tailed.invalid || value(tailed, "left") > -0.35 + 6.2463 * 0.04 - 0.01));
    CHECK_FALSE(why(run("results.bathtub", bathtub(-0.35, 0.38, 0.02, 0.01, 0, 0, 2e-5))).empty());
    // All alike, all wrong, nothing wrong.
    for (const double flat : {0.25, 1e-4, 0.0}) {
        std::vector<std::pair<double, double>> points;
        for (int i = -10; i <= 10; ++i) points.emplace_back(0.05 * i, flat);
        CHECK_FALSE(why(run("results.bathtub", over(points, Unit::unit_interval, Unit::none))).empty());
    }
}
