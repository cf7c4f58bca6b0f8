#include "core/sweep/sweep.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <set>

#include "core/base/error.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

Axis words(const std::string& name, const std::vector<std::string>& values) {
    Axis axis{name, {}, {"unit"}};
    for (const auto& value : values) axis.values.push_back(word_value(value));
    return axis;
}

std::vector<std::string> labels(const Sweep& sweep) {
    std::vector<std::string> out;
    for (const auto& point : expand("t", sweep)) out.push_back(label(sweep, point));
    return out;
}

}  // namespace

TEST_CASE("nested axes: the first is the slowest") {
    Sweep sweep{{words("a", {"1", "2"}), words("b", {"x", "y"})}};
    CHECK(labels(sweep) == std::vector<std::string>{"a=1, b=x", "a=1, b=y", "a=2, b=x", "a=2, b=y"});
    sweep.order = Order::serpentine;
    CHECK(labels(sweep) == std::vector<std::string>{"a=1, b=x", "a=1, b=y", "a=2, b=y", "a=2, b=x"});
    CHECK(labels(Sweep{}) == std::vector<std::string>{"single point"});
}

TEST_CASE("in a serpentine neighbouring points differ in one axis by one step") {
    Sweep sweep{{words("a", {"1", "2", "3"}), words("b", {"1", "2"}), words("c", {"1", "2", "3", "4"})}};
    sweep.order = Order::serpentine;
    const auto points = expand("t", sweep);
    REQUIRE(points.size() == 24);
    for (std::size_t i = 1; i < points.size(); ++i) {
        int moved = 0;
        for (std::size_t axis = 0; axis < 3; ++axis) {
            moved += std::abs(static_cast<int>(points[i].settings[axis]) -
                              static_cast<int>(points[i - 1].settings[axis]));
        }
        CHECK(moved == 1);
    }
}

TEST_CASE("repeats stand in place or go round the whole sweep") {
    Sweep sweep{{words("a", {"1", "2"})}, 2};
    CHECK(labels(sweep) ==
          std::vector<std::string>{"a=1 (repeat 1)", "a=1 (repeat 2)", "a=2 (repeat 1)", "a=2 (repeat 2)"});
    sweep.repeat_whole = true;
    CHECK(labels(sweep) ==
          std::vector<std::string>{"a=1 (repeat 1)", "a=2 (repeat 1)", "a=1 (repeat 2)", "a=2 (repeat 2)"});
}

TEST_CASE("a shuffled order holds every point once and depends on its seed alone") {
    Sweep sweep{{words("a", {"1", "2", "3", "4", "5"}), words("b", {"1", "2", "3", "4"})}};
    const auto nested = labels(sweep);
    sweep.order = Order::shuffled;
    const auto once = labels(sweep);
    CHECK(once == labels(sweep));
    CHECK(once != nested);
    CHECK(std::is_permutation(once.begin(), once.end(), nested.begin(), nested.end()));
    sweep.seed = 2;
    CHECK(labels(sweep) != once);
}

TEST_CASE("ids are stable: other values, order of axes and of points do not change them") {
    const Sweep small{{words("a", {"1", "2"}), words("b", {"x"})}};
    Sweep large{{words("b", {"w", "x"}), words("a", {"0", "1", "2"})}};
    large.order = Order::shuffled;
    std::set<std::uint64_t> ids;
    for (const auto& point : expand("t", large)) ids.insert(point.id);
    CHECK(ids.size() == 6);
    for (const auto& point : expand("t", small)) CHECK(ids.contains(point.id));
    for (const auto& point : expand("other", small)) CHECK_FALSE(ids.contains(point.id));
    // Written differently, the same value: 2.4 GHz and 2400 MHz.
    const Sweep ghz{{Axis{"f", {quantity_value(parse_quantity("2.4 GHz"))}, {}}}};
    const Sweep mhz{{Axis{"f", {quantity_value(parse_quantity("2400 MHz"))}, {}}}};
    CHECK(expand("t", ghz)[0].id == expand("t", mhz)[0].id);
    CHECK(expand("t", ghz)[0].id_text().size() == 16);
}

TEST_CASE("ranges include their end, without drifting") {
    const auto values = range_values({0, Unit::dbm}, {0.3, Unit::dbm}, {0.1, Unit::db});
    REQUIRE(values.size() == 4);
    CHECK(values[3].quantity->value == 0.3);
    CHECK(range_values({1, Unit::hertz}, {2, Unit::hertz}, {0.4, Unit::hertz}).size() == 3);  // 1, 1.4, 1.8
    CHECK(range_values({5, Unit::hertz}, {5, Unit::hertz}, {1, Unit::hertz}).size() == 1);
    // Levels closer than two decimals are still told apart.
    CHECK(point_count(Sweep{
              {Axis{"l", range_values({0, Unit::dbm}, {0.01, Unit::dbm}, {0.001, Unit::db}), {}}}}) == 11);
    CHECK(input_error([] {
              range_values({8, Unit::dbm}, {-8, Unit::dbm}, {4, Unit::db});
          }) == "the range runs backwards: from 8 dBm to -8 dBm; write the lower end first");
    CHECK(input_error([] {
              range_values({0, Unit::hertz}, {1, Unit::hertz}, {0, Unit::hertz});
          }) == "the step must be above 0, not 0 Hz");
    CHECK(input_error([] {
              range_values({0, Unit::hertz}, {1, Unit::second}, {1, Unit::hertz});
          }).starts_with("the range mixes units"));
    CHECK(input_error([] {
              range_values({0, Unit::hertz}, {1e9, Unit::hertz}, {1, Unit::hertz});
          }) == "the range has more than 1000000 values; use a larger step");
}

TEST_CASE("logarithmic ranges have so many values a decade") {
    const auto values = log_range_values({100e3, Unit::hertz}, {10e6, Unit::hertz}, 3);
    REQUIRE(values.size() == 7);
    CHECK(values[0].text == "100 kHz");
    CHECK(values[1].quantity->value == about(215443).epsilon(1e-5));  // 10^(1/3)
    CHECK(values[3].quantity->value == 1e6);
    CHECK(values[6].quantity->value == 10e6);
    CHECK(log_range_values({1, Unit::hertz}, {9, Unit::hertz}, 1).size() == 1);
    CHECK(input_error([] {
              log_range_values({0, Unit::hertz}, {9, Unit::hertz}, 1);
          }).find("begins at 0") != std::string::npos);
    CHECK(input_error([] {
              log_range_values({0, Unit::dbm}, {9, Unit::dbm}, 1);
          }).find("levels are logarithmic already") != std::string::npos);
    CHECK(input_error([] {
              log_range_values({1, Unit::hertz}, {9, Unit::hertz}, 0);
          }) == "per_decade must be 1 or more");
}

TEST_CASE("a coupled axis may come back to a value: the one before it tells the points apart") {
    Sweep sweep{{words("blocker", {"2300", "2380", "2504"}), words("level", {"-12", "-6", "-12"})}};
    sweep.axes[1].coupled = true;
    const auto points = expand("t", sweep);
    REQUIRE(points.size() == 3);
    CHECK(points[0].id != points[2].id);
}

TEST_CASE("coupled axes move together and do not multiply") {
    Sweep sweep{{words("a", {"1", "2"}), words("b", {"x", "y"}), words("c", {"u", "v"})}};
    sweep.axes[1].coupled = true;
    CHECK(point_count(sweep) == 4);
    CHECK(labels(sweep) ==
          std::vector<std::string>{"a=1, b=x, c=u", "a=1, b=x, c=v", "a=2, b=y, c=u", "a=2, b=y, c=v"});
    sweep.order = Order::serpentine;
    CHECK(labels(sweep)[3] == "a=2, b=y, c=u");
    sweep.axes[1].values.pop_back();
    CHECK(input_error([&] { point_count(sweep); }) ==
          "axis \"b\" has 1 values, the axis \"a\" it is coupled to has 2");
    Sweep first{{words("a", {"1"})}};
    first.axes[0].coupled = true;
    CHECK(input_error([&] { point_count(first); }) ==
          "axis \"a\" cannot be coupled: no axis stands before it");
}

TEST_CASE("skipped points are left out, the others keep their ids") {
    Sweep sweep{{words("a", {"1", "2"}), words("b", {"x", "y"})}};
    const auto all = expand("t", sweep);
    sweep.skips = {{{0, "2"}, {1, "x"}}};
    const auto some = expand("t", sweep);
    CHECK(labels(sweep) == std::vector<std::string>{"a=1, b=x", "a=1, b=y", "a=2, b=y"});
    CHECK(some[2].id == all[3].id);
    sweep.skips = {{{0, "1"}}, {{0, "2"}}};
    CHECK(input_error([&] { expand("t", sweep); }) == "the skip conditions leave no point");
}

TEST_CASE("channels take their frequency from the plan") {
    const ChannelPlan plan{"oqpsk", 11, 26, 2405e6, 5e6};
    const auto values = channel_values(plan, {11, 18, 26});
    CHECK(values[1].quantity == Quantity{2440e6, Unit::hertz});
    CHECK(values[2].quantity == Quantity{2480e6, Unit::hertz});
    CHECK(values[1].text == "18");
    CHECK(low_middle_high(plan) == std::vector<int>{11, 18, 26});
    CHECK(low_middle_high({"one", 3, 3, 0, 0}) == std::vector<int>{3});
    CHECK(input_error([&] { channel_values(plan, {27}); }) ==
          "channel 27 is not in the plan oqpsk, which has 11 to 26");
}

TEST_CASE("impossible sweeps are refused") {
    CHECK(input_error([] { point_count(Sweep{{words("a", {})}}); }) == "axis \"a\" has no values");
    CHECK(input_error([] {
              point_count(Sweep{{words("a", {"1", "1"})}});
          }) == "axis \"a\" holds \"1\" twice; use repeats to measure a point more than once");
    CHECK(input_error([] {
              point_count(Sweep{{words("a", {"1"}), words("a", {"2"})}});
          }) == "two axes are named \"a\"");
    Sweep many{{Axis{"f", range_values({1, Unit::hertz}, {1000, Unit::hertz}, {1, Unit::hertz}), {}}}, 1001};
    CHECK(input_error([&] { point_count(many); }) ==
          "the sweep has 1001000 points, more than 1000000; use fewer values or a larger step");
    many.repeats = 1000;
    CHECK(point_count(many) == 1000000);
}
