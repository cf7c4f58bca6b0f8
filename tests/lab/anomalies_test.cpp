// What stands out in the sweeps of a run, and the curves it is looked for in.
#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "lab/report/anomalies.hpp"
#include "lab/report/sweep_curves.hpp"
#include "lab/report/sweep_figure.hpp"
#include "lab/report/tables.hpp"
#include "tests/lab/facts.hpp"
#include "tests/lab/folder.hpp"
#include "tests/lab/made_run.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

// Packet errors over level in four modes, each a good receiver unless `errors` says otherwise.
RunRecord receiver_run(double (*errors)(int mode, int level)) {
    RunRecord run;
    put_facts(run, {{"title", "t"}, {"state", "complete"}});
    run.tests.push_back({"map", "Map", "receiver.error-rate", "counter", "", 40});
    for (int mode = 0; mode < 4; ++mode) {
        for (int level = 0; level < 10; ++level) {
            PointRecord point;
            point.position = run.points.size() + 1;
            point.test = "map";
            const std::string db = std::to_string(-100 + 2 * level) + " dBm";
            point.axes = {{"mode", "m" + std::to_string(mode)}, {"level", db}};
            point.label = "mode=m" + std::to_string(mode) + ", level=" + db;
            const double ratio = errors(mode, level);
            point.results.push_back({"packet_error_ratio", {ratio, Unit::percent}, {}});
            point.results.push_back({"packet_error_low", {std::max(0.0, ratio - 3), Unit::percent}, {}});
            point.results.push_back({"packet_error_high", {std::min(100.0, ratio + 3), Unit::percent}, {}});
            run.points.push_back(point);
        }
    }
    return run;
}

double good(int, int level) {
    return level < 2 ? 100 : level == 2 ? 60 : 0;
}

}  // namespace

TEST_CASE(
    "a sweep as curves: one for each combination of the other axes, in ascending order, with intervals") {
    RunRecord run = receiver_run(good);
    std::vector<const PointRecord*> points;
    for (const auto& point : run.points) points.insert(points.begin(), &point);  // the order does not matter
    const auto swept = sweep_result(points);
    REQUIRE(swept);
    CHECK(swept->result == "packet_error_ratio");
    CHECK(swept->axis == "level");
    CHECK(swept->x_unit == Unit::dbm);
    REQUIRE(swept->curves.size() == 4);
    for (const auto& curve : swept->curves) {
        REQUIRE(curve.points.size() == 10);
        CHECK(curve.points.front().x == -100);
        CHECK(curve.points.back().x == -82);
        CHECK(curve.points[2].low == 57);
        CHECK(curve.points[2].high == 63);
    }
    // What was set aside or void is not on the curve.
    run.points[5].standing = Standing::voided;
    points.clear();
    for (const auto& point : run.points) points.push_back(&point);
    CHECK(sweep_result(points)->curves[0].points.size() == 9);
    // Words are no axis to draw against; a single value is no sweep.
    for (auto& point : run.points) point.axes.resize(1);
    CHECK_FALSE(sweep_result(points));
    points.resize(1);
    CHECK_FALSE(sweep_result(points));
}

TEST_CASE("a receiver without anything odd; one dead at all levels; one that gets worse with level") {
    CHECK(anomalies_of(receiver_run(good)).empty());
    const auto dead = anomalies_of(receiver_run([](int m, int l) { return m == 2 ? 100.0 : good(m, l); }));
    REQUIRE(dead.size() >= 1);
    CHECK(dead[0].kind == "dead curve");
    CHECK(dead[0].test == "map");
    CHECK(dead[0].result == "packet_error_ratio");
    CHECK(dead[0].curve == "mode=m2");
    CHECK(dead[0].position == 0);
    CHECK(
        anomaly_text(dead[0]).starts_with("map, mode=m2: packet error ratio, dead curve: stays within 0 %"));
    const auto worse =
        anomalies_of(receiver_run([](int m, int l) { return m == 1 && l == 8 ? 40.0 : good(m, l); }));
    REQUIRE(worse.size() == 1);
    CHECK(worse[0].kind == "not monotonic");
    CHECK(worse[0].at == "level -84 dBm");
    CHECK(worse[0].position == 19);
    CHECK(worse[0].reason == "rises by 40 % where it should fall");
    // The same rise inside both intervals says nothing.
    CHECK(
        anomalies_of(receiver_run([](int m, int l) { return m == 1 && l == 8 ? 5.0 : good(m, l); })).empty());
}

TEST_CASE("a trend that the test states counts for other axes too") {
    RunRecord run;
    put_facts(run, {{"title", "t"}, {"state", "complete"}});
    run.tests.push_back({"gain", "Gain", "power.level", "power-meter", "", 9});
    for (int i = 0; i < 9; ++i) {
        PointRecord point;
        point.position = static_cast<std::size_t>(i) + 1;
        point.test = "gain";
        point.axes = {{"index", std::to_string(i)}};
        point.label = "index=" + std::to_string(i);
        point.results.push_back({"power", {i == 6 ? 3.0 : 2.0 * i, Unit::dbm}, {}});
        run.points.push_back(point);
    }
    const auto unstated = anomalies_of(run);
    REQUIRE(unstated.size() == 1);
    CHECK(unstated[0].kind == "outlier");
    CHECK(unstated[0].at == "index 6");
    put_facts(run, {{"trend.gain", "rising"}});
    const auto stated = anomalies_of(run);
    REQUIRE(stated.size() == 1);
    CHECK(stated[0].kind == "not monotonic");
    CHECK(stated[0].reason == "falls by 7 dB where it should rise");
    const auto json = nlohmann::json::parse(run_json(run));
    CHECK(json["anomalies"][0]["position"] == 7);
    CHECK(json["anomalies"][0]["kind"] == "not monotonic");
}

TEST_CASE("bounds stand in the figure of a sweep over the points that they judge") {
    TestFolder folder;
    make_counted_run(folder / "run", {{"level", "SN", {1, 2, 3}}});
    const RunData run(folder / "run");
    std::vector<const PointRecord*> points;
    for (const auto& point : run.record().points) points.push_back(&point);
    const auto figure =
        sweep_figure(points, "level", [&](const std::string& id) { return run.rules().find(id); });
    REQUIRE(figure);
    REQUIRE(figure->curves.size() == 2);
    const Curve& limit = figure->curves[1];
    CHECK(limit.role == CurveRole::limit);
    CHECK(limit.name == "Made: Loss");
    CHECK(limit.x[0] == 0);
    CHECK(limit.x[1] == 2);
    CHECK(limit.y[0] == 0);
    CHECK(std::isnan(limit.y[2]));
    CHECK(sweep_figure(points, "level")->curves.size() == 1);  // no rules, no limit
    CHECK_FALSE(sweep_figure(
        points, "level", [&](const std::string& id) { return run.rules().find(id); }, "gain"));
}
