#include "core/sweep/search.hpp"

#include <doctest/doctest.h>

#include <cmath>

#include "tests/expect_error.hpp"

using namespace rt;

namespace {

Search levels(double fails, double holds, double step) {
    Search s;
    s.axis = "level";
    s.fails_at = {fails, Unit::dbm}, s.holds_at = {holds, Unit::dbm}, s.resolution = {step, Unit::db};
    s.at_most = 1;
    return s;
}

struct Found {
    std::optional<Quantity> threshold;
    std::size_t trials = 0;
    bool beyond = false;
};

template <typename Criterion>
Found run(const Search& what, Criterion holds) {
    ThresholdSearch search(what);
    Found found;
    while (const auto value = search.next()) {
        ++found.trials;
        search.put(holds(value->value));
        REQUIRE(found.trials <= search.most_trials());
    }
    found.threshold = search.threshold();
    found.beyond = search.beyond();
    return found;
}

}  // namespace

TEST_CASE("wherever the threshold lies, the search finds what a full grid finds") {
    for (const bool rising : {true, false}) {
        // 61 values of half a dB; the criterion begins to hold at each of them in turn.
        const Search what = rising ? levels(-100, -70, 0.5) : levels(-70, -100, 0.5);
        for (int k = 1; k <= 60; ++k) {
            CAPTURE(k);
            const double begins = rising ? -100 + 0.5 * k : -70 - 0.5 * k;
            const auto found =
                run(what, [&](double level) { return rising ? level >= begins : level <= begins; });
            REQUIRE(found.threshold);
            CHECK(found.threshold->value == doctest::Approx(begins).epsilon(1e-12));
            CHECK_FALSE(found.beyond);
            CHECK(found.trials <= 8);  // 2 + log2(60)
        }
    }
}

TEST_CASE("ends that do not behave are told apart from a threshold") {
    const Search what = levels(-100, -70, 1);
    const auto never = run(what, [](double) { return false; });
    CHECK_FALSE(never.threshold);
    CHECK(never.trials == 1);
    const auto always = run(what, [](double) { return true; });
    CHECK(always.beyond);
    CHECK(always.threshold->value == -100);
    CHECK(always.trials == 2);
    ThresholdSearch search(what);
    search.put(true);
    search.put(std::nullopt);  // a trial without a valid result
    CHECK_FALSE(search.next());
    CHECK(search.invalid());
    CHECK_FALSE(search.threshold());
}

TEST_CASE("a search that cannot be is refused") {
    CHECK(input_error([] { ThresholdSearch(levels(-70, -70, 1)); }).find("wider than the search") !=
          std::string::npos);
    CHECK_THROWS_AS(ThresholdSearch(levels(-70, -80, 0)), Error);
    Search mixed = levels(-70, -80, 1);
    mixed.fails_at = {1e6, Unit::hertz};
    CHECK(input_error([&] { ThresholdSearch{mixed}; }).find("mixes units") != std::string::npos);
}

TEST_CASE("a trial is a point of its own: its id knows the searched value, not the way to it") {
    Sweep outer;
    outer.axes.push_back({"channel", {word_value("11"), word_value("12")}, {"unit"}});
    const auto points = expand("t", outer);
    const Search what = levels(-100, -70, 1);
    const Trial a = trial_of("t", outer, points[0], what, {-90, Unit::dbm});
    const Trial b = trial_of("t", outer, points[0], what, {-89, Unit::dbm});
    const Trial again = trial_of("t", outer, points[0], levels(-100, -50, 2), {-90, Unit::dbm});
    CHECK(label(a.sweep, a.point) == "channel=11, level=-90 dBm");
    CHECK(a.point.id != b.point.id);
    CHECK(a.point.id == again.point.id);
    CHECK(a.point.id != points[0].id);
    // The same as the point of a grid with this axis.
    Sweep grid = outer;
    grid.axes.push_back({"level", {quantity_value({-90, Unit::dbm})}, {}});
    CHECK(expand("t", grid)[0].id == a.point.id);
}
