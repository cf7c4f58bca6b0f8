#include "core/sweep/search.hpp"

#include <doctest/doctest.h>

#include <algorithm>

#include <cmath>

#include "tests/about.hpp"
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
            CHECK(found.threshold->value == about(begins).epsilon(1e-12));
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

namespace {

Search sensitivity() {
    Search search;
    search.axis = "level";
    search.holds_at = {-60, Unit::dbm}, search.fails_at = {-100, Unit::dbm};
    search.resolution = {0.5, Unit::db};
    search.result = "packet_error_ratio", search.at_most = 1;
    return search;
}

// The values tried in turn, until the search ends.
template <typename Holds>
std::vector<double> tried(ThresholdSearch& search, Holds holds) {
    std::vector<double> out;
    while (const auto value = search.next()) {
        out.push_back(value->value);
        search.put(holds(value->value));
        REQUIRE(out.size() <= search.most_trials() + 100);
    }
    return out;
}

const std::vector<Quantity> limit_and_margin{{-85, Unit::dbm}, {-88, Unit::dbm}};

}  // namespace

TEST_CASE("the limit itself is tried: a receiver with a hole there does not pass by what it does below it") {
    // Loses everything from -88 to -82 dBm, works down to -96 dBm otherwise.
    const auto hole = [](double level) { return level >= -96 && !(level >= -88 && level <= -82); };
    ThresholdSearch blind(sensitivity());
    tried(blind, hole);
    CHECK(blind.threshold()->value < -95);  // what bisection alone makes of it
    ThresholdSearch search(sensitivity(), limit_and_margin);
    const auto values = tried(search, hole);
    CHECK(std::find(values.begin(), values.end(), -88) != values.end());  // where a margin becomes marginal
    REQUIRE(search.threshold());
    CHECK(search.threshold()->value == about(-81.5));
    CHECK_FALSE(search.refuted().empty());
    CHECK(values.size() <= ThresholdSearch(sensitivity(), limit_and_margin).most_trials());
    // The right twin: nothing is refuted, and the number is the same as without.
    const auto sound = [](double level) { return level >= -96; };
    ThresholdSearch plain(sensitivity()), confirmed(sensitivity(), limit_and_margin);
    tried(plain, sound);
    tried(confirmed, sound);
    CHECK(plain.threshold() == confirmed.threshold());
    CHECK(confirmed.confirmed().size() == 2);
    // A limit easier than where the search begins is tried too.
    Search low = sensitivity();
    low.holds_at = {-90, Unit::dbm};
    ThresholdSearch beyond(low, {{-85, Unit::dbm}});
    tried(beyond, hole);
    CHECK(beyond.threshold()->value > -85);
}

TEST_CASE("a receiver that is alive but too deaf has a threshold, one that never answers has none") {
    Search search = sensitivity();
    search.alive_at = Quantity{-40, Unit::dbm};
    ThresholdSearch deaf(search, limit_and_margin);
    tried(deaf, [](double level) { return level >= -51.2; });
    REQUIRE(deaf.threshold());
    CHECK(deaf.threshold()->value == about(-51));
    ThresholdSearch dead(search, limit_and_margin);
    CHECK(tried(dead, [](double) { return false; }) == std::vector<double>{-60, -40});
    CHECK_FALSE(dead.threshold());
    search.alive_at = Quantity{-80, Unit::dbm};
    CHECK(input_error([&] { ThresholdSearch{search}; }).find("alive_at must lie beyond holds_at") !=
          std::string::npos);
}
