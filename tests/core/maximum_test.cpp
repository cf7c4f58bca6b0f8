// Looking for the highest result over several axes, and candidates out of a pre-scan.
#include <doctest/doctest.h>

#include <cmath>

#include "core/measure/emission/candidates.hpp"
#include "core/sweep/maximum.hpp"
#include "tests/core/made_rule.hpp"
#include "tests/expect_error.hpp"

using namespace rt;

namespace {

Quantity deg(double value) {
    return {value, Unit::degree};
}
Quantity metre(double value) {
    return {value, Unit::metre};
}

Maximise table_and_mast() {
    return {{{"angle", {}, deg(0), deg(345), deg(45), deg(15)},
             {"height", {}, metre(1), metre(4), metre(1), metre(0.25)}},
            "level",
            {}};
}

Trace trace_of_levels(std::vector<double> y) {
    Trace trace;
    trace.name = "emission";
    trace.y_unit = Unit::dbuv;
    for (std::size_t i = 0; i < y.size(); ++i) trace.x.push_back(1e6 * static_cast<double>(i));
    trace.y = std::move(y);
    return trace;
}

}  // namespace

TEST_CASE("the maximum is found within a fine step, with every place tried once and few moves of the mast") {
    for (const auto& [angle, height] : {std::pair{112.0, 2.4}, std::pair{0.0, 1.0}, std::pair{345.0, 4.0}}) {
        CAPTURE(angle);
        MaximumSearch search(table_and_mast());
        std::size_t trials = 0;
        std::vector<std::vector<Quantity>> seen;
        while (const auto place = search.next()) {
            const double a = (*place)[0].value, h = (*place)[1].value;
            for (const auto& other : seen) CHECK_FALSE((other[0] == (*place)[0] && other[1] == (*place)[1]));
            seen.push_back(*place);
            search.put(10 * std::cos((a - angle) * 3.14159265 / 180) - 2 * std::abs(h - height));
            REQUIRE(++trials <= search.most_trials());
        }
        const auto best = *search.best();
        CHECK(std::abs(best[0].value - angle) <= 7.5);
        CHECK(std::abs(best[1].value - height) <= 0.126);
        CHECK(trials < 50);
        // To and fro: from one angle to the next the mast stays.
        CHECK(seen[3][1] == seen[4][1]);
    }
}

TEST_CASE("trials without a result are passed over; without any there is no maximum") {
    MaximumSearch some(table_and_mast()), none(table_and_mast());
    while (const auto place = some.next()) {
        some.put((*place)[0].value == 90 ? std::optional(1.0) : std::nullopt);
    }
    CHECK((*some.best())[0].value == 90);
    while (none.next()) none.put(std::nullopt);
    CHECK_FALSE(none.best());
    auto wrong = table_and_mast();
    wrong.axes[0].fine = deg(60);
    CHECK(input_error([&] { MaximumSearch{wrong}; }) ==
          "axis angle: the fine step must not be wider than the coarse one");
    wrong = table_and_mast();
    wrong.axes[1].to = metre(1);
    CHECK(input_error([&] { MaximumSearch{wrong}; }) == "axis height: to must be above from");
}

TEST_CASE("candidates: held over traces, nearest to the limit first, merged, with the operator's changes") {
    const auto one = trace_of_levels({0, 30, 0, 0, 25, 0, 0, 0, 40, 0, 38, 0, 0, 20, 0});
    const auto two = trace_of_levels({0, 10, 0, 0, 35, 0, 0, 0, 20, 0, 10, 0, 0, 22, 0});
    const Trace held = held_maximum({one, two});
    CHECK(held.y[4] == 35);
    CHECK(held.y[8] == 40);
    CHECK(held.y[13] == 22);
    const Rule rule = made_rule(
        "emission", Unit::dbuv,
        LimitLine({{0, 6e6, 36, 36, Interpolation::linear}, {6e6, 14e6, 50, 50, Interpolation::linear}},
                  Sense::upper));
    const Rule* rules[] = {&rule};
    CandidateSettings settings;
    settings.apart_hz = 2.5e6;
    const auto frequencies = [&] {
        std::vector<double> out;
        for (const auto& c : choose_candidates(held, rules, settings)) out.push_back(c.frequency_hz / 1e6);
        return out;
    };
    CHECK(frequencies() == std::vector<double>{1, 4, 8, 13});  // 10 is merged into 8
    settings.most = 2;
    CHECK(frequencies() == std::vector<double>{1, 4});  // margins 6 and 1, against 10 and 28
    settings.split_at_hz = {6e6};
    settings.most = 1;
    CHECK(frequencies() == std::vector<double>{4, 8});
    settings.within_db = 5;
    CHECK(frequencies() == std::vector<double>{4});
    settings.drop_hz = {4e6};
    settings.add_hz = {11.2e6};
    const auto chosen = choose_candidates(held, rules, settings);
    REQUIRE(chosen.size() == 1);
    CHECK(chosen[0].added);
    CHECK(chosen[0].frequency_hz == 11.2e6);
    CHECK(*chosen[0].margin == 50);
    auto other = two;
    other.x[3] += 1;
    CHECK(input_error([&] {
              held_maximum({one, other});
          }) == "the traces to take candidates from have different points");
}

TEST_CASE("an emission at the end of the band, or on a slope that the band cuts off, is a candidate") {
    CandidateSettings settings;
    settings.prominence_db = 6;
    // 76 dBuV at the first point, falling away; a bump in the middle; a rise cut off by the end.
    const Trace trace = trace_of_levels({76, 70, 60, 40, 30, 31, 30, 45, 30, 30, 40, 52});
    std::vector<double> places;
    for (const auto& c : choose_candidates(trace, {}, settings)) places.push_back(c.frequency_hz);
    CHECK(places == std::vector<double>{0, 7e6, 11e6});
    // The skirt of it, with the highest level one point inside.
    const Trace skirt = trace_of_levels({70, 76, 70, 40, 30, 31, 30});
    REQUIRE(choose_candidates(skirt, {}, settings).size() == 1);
    CHECK(choose_candidates(skirt, {}, settings)[0].frequency_hz == 1e6);
    CHECK(choose_candidates(trace_of_levels({30, 31, 30, 31, 30}), {}, settings).empty());
}

TEST_CASE("the far end of a range is tried, angles stay in the circle, trials are not the point itself") {
    Maximise what{{{"angle", {"table.angle"}, deg(350), deg(380), deg(20), deg(5)}}, "level", {}};
    MaximumSearch search(what);
    std::vector<double> places;
    while (const auto place = search.next()) {
        places.push_back((*place)[0].value);
        search.put(places.size() == 1 ? std::nullopt : std::optional(places.back() == 20 ? 9.0 : 1.0));
    }
    CHECK(std::vector<double>(places.begin(), places.begin() + 3) == std::vector<double>{350, 10, 20});
    CHECK((*search.best())[0].value == 20);
    CHECK(search.not_measured() == "not measured, without a valid level: angle=350 °");
    CHECK(search.told()[0].find("from 350 ° to 380 ° in steps of 20 °, then of 5 °") != std::string::npos);
    Sweep sweep;
    Point point;
    const auto best = *search.best();
    CHECK(place_of("t", sweep, point, what, best, true).point.id !=
          place_of("t", sweep, point, what, best, false).point.id);
}
