// results.sensitivity: where a receiver gives out, on curves whose truth is known.
#include <doctest/doctest.h>

#include <cmath>

#include "core/base/error.hpp"
#include "core/signal/result_table.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

// Packet errors over attenuations, with the received level as a result: -20 dBm less attenuation.
ResultTable curve(const std::vector<std::pair<double, double>>& points) {
    ResultTable out;
    out.axes = {{"attenuation", Unit::db}};
    out.results = {{"packet_error_ratio", Unit::percent}, {"received_level", Unit::dbm}};
    for (const auto& [db, percent] : points)
        out.rows.push_back({std::to_string(db) + " dB",
                            "",
                            "",
                            {},
                            {{std::to_string(db) + " dB", db}},
                            {{percent}, {-20 - db}},
                            {}});
    return out;
}

const Settings ten{{"result", "packet_error_ratio"}, {"by", "received_level"}, {"at_most", "10 %"}};

Outcome run(const ResultTable& table, const Settings& settings = ten) {
    return run_inputs("results.sensitivity", {{"", table}}, settings);
}

}  // namespace

TEST_CASE("the criterion is crossed on a straight line between the lowest level that holds and the next") {
    // 0 % down to -80 dBm, 4 % at -82, 24 % at -84 dBm: 10 % at -82.6 dBm, whatever the order of the rows.
    const Outcome out = run(curve({{64, 24}, {50, 0}, {60, 0}, {62, 4}, {66, 80}}));
    CHECK(value(out, "sensitivity") == about(-82.6));
    CHECK(out.find_result("sensitivity")->known == Known::exactly);
    CHECK(value(out, "step") == about(2));
    CHECK(value(out, "holes") == 0);
    CHECK(value(out, "best") == 0);
    // Exactly on the criterion holds.
    CHECK(value(run(curve({{50, 0}, {62, 10}, {64, 30}})), "sensitivity") == about(-82));
}

TEST_CASE("a receiver that never meets it, or always, has a bound on the side that is known") {
    const Outcome never = run(curve({{50, 40}, {60, 100}}));
    CHECK(never.find_result("sensitivity")->known == Known::at_least);
    CHECK(value(never, "sensitivity") == about(-70));
    const Outcome always = run(curve({{50, 0}, {60, 1}}));
    CHECK(always.find_result("sensitivity")->known == Known::at_most);
    CHECK(value(always, "sensitivity") == about(-80));
}

TEST_CASE("a hole above counts: the sensitivity lies above it") {
    const Outcome out = run(curve({{50, 0}, {52, 60}, {54, 0}, {56, 0}, {58, 90}}));
    CHECK(value(out, "holes") == 1);  // at 52 dB; below 58 dB nothing holds
    CHECK(value(out, "sensitivity") == within(0.4, -70.3));
    CHECK(std::any_of(out.notes.begin(), out.notes.end(),
                      [](const std::string& n) { return n.find("not monotonic") != std::string::npos; }));
}

TEST_CASE("throughput has a criterion from below, and saturates") {
    ResultTable table = curve({{50, 80}, {60, 79}, {70, 78}, {80, 40}, {90, 0}});
    table.results[0].name = "share_of_theoretical";
    const Settings half{{"result", "share_of_theoretical"}, {"by", "received_level"}, {"at_least", "50 %"}};
    const Outcome out = run(table, half);
    CHECK(value(out, "sensitivity") == about(-90 - 10 * 28.0 / 38));
    CHECK(value(out, "best") == 80);
    CHECK(value(out, "saturates_from") == about(-90));
}

TEST_CASE("ratios counted until another limit was decided make no sensitivity") {
    ResultTable table = curve({{50, 0}, {60, 3}, {62, 40}});
    table.results.push_back({"decided_limit", Unit::percent});
    for (auto& row : table.rows) row.cells.push_back({10.0});
    table.rows[1].cells[2].value.reset();  // counted whole
    CHECK(!run(table).invalid);
    const Settings one{{"result", "packet_error_ratio"}, {"by", "received_level"}, {"at_most", "1 %"}};
    const Outcome other = run(table, one);
    REQUIRE(other.invalid);
    CHECK(other.invalid->find("was counted until 10 % was decided") != std::string::npos);
    CHECK(run_inputs("results.crossing", {{"", table}},
                     {{"result", "packet_error_ratio"}, {"over", "attenuation"}, {"level", "1 %"}})
              .invalid);
    CHECK(!run_inputs("results.crossing", {{"", table}},
                      {{"result", "packet_error_ratio"}, {"over", "attenuation"}, {"level", "10 %"}})
               .invalid);
}

TEST_CASE("what cannot be a sensitivity is refused") {
    const auto error = [](const ResultTable& table, const Settings& settings) {
        return input_error([&] { run(table, settings); });
    };
    CHECK(error(curve({{50, 0}}), {{"result", "packet_error_ratio"}, {"by", "received_level"}})
              .find("either at_most or at_least") != std::string::npos);
    CHECK(error(curve({{50, 0}}), {{"result", "packet_error_ratio"}, {"by", "level"}, {"at_most", "10 %"}})
              .find("level") != std::string::npos);
    ResultTable words = curve({{50, 0}, {60, 90}});
    words.axes[0].unit = Unit::hertz;
    CHECK(error(words, {{"result", "packet_error_ratio"}, {"over", "attenuation"}, {"at_most", "10 %"}})
              .find("is no level") != std::string::npos);
    // A point that is not valid leaves no conclusion.
    ResultTable broken = curve({{50, 0}, {60, 90}});
    broken.rows[1].invalid = "overload";
    CHECK(run(broken).invalid);
    ResultTable twice = curve({{50, 0}, {50, 90}});
    CHECK(run(twice).invalid);
}
