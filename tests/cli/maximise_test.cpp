// Pre-scan, candidates, maximisation over turntable and mast, final reading: a campaign on the simulated
// bench.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "tests/about.hpp"
#include "tests/cli/stand.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

// Lines at 1.5 MHz (50 dBuV) and 1.2 MHz (70 dBuV); the port radiates best at 100 deg and 2.2 m.
Stand chamber() {
    Stand stand;
    stand.unit_extra =
        "[[pattern]]\nport = \"out\"\nfront = \"100 deg\"\ndepth = \"20 dB\"\nheight = \"2.2 m\"\nper_metre "
        "= \"3 dB\"\n";
    stand.tests =
        Stand::scanning("prescan",
                        "settings = { \"unit.state\" = \"loud\" }\n" +
                            Stand::axis("angle",
                                        "values = [\"0 deg\", \"180 deg\"]\nunit = \"deg\"\nsets = "
                                        "[\"table.angle\"]")) +
        "[[test]]\nname = \"final\"\nprocedure = \"emission.final\"\n"
        "settings = { \"unit.state\" = \"loud\" }\n"
        "parameters = { bandwidth = \"9 kHz\", dwell = \"1 ms\", detector = \"average\" }\n"
        "trial_parameters = { detector = \"peak\", dwell = \"100 us\" }\nmaximise_result = \"level\"\n"
        "[[test.maximise]]\naxis = \"azimuth\"\nsets = [\"table.angle\"]\nfrom = \"0 deg\"\nto = \"345 "
        "deg\"\n"
        "coarse = \"60 deg\"\nfine = \"15 deg\"\n"
        "[[test.maximise]]\naxis = \"height\"\nsets = [\"table.height\"]\nfrom = \"1 m\"\nto = \"4 m\"\n"
        "coarse = \"1 m\"\nfine = \"0.25 m\"\n" +
        Stand::axis("frequency",
                    "sets = [\"parameter.frequency\"]\nfrom_test = { test = \"prescan\", trace = "
                    "\"emission\", most = 4, "
                    "apart = \"20 kHz\", prominence = \"25 dB\" }");
    return stand;
}

double axis(const PointRecord& point, const std::string& name) {
    for (const auto& [axis_name, value] : point.axes) {
        if (axis_name == name) return std::strtod(value.c_str(), nullptr);
    }
    FAIL("no axis ", name);
    return 0;
}

}  // namespace

TEST_CASE("candidates of a pre-scan are maximised and measured where they are highest") {
    const Stand stand = chamber();
    const Said said = stand.run();
    INFO(said.out, said.err);
    CHECK(said.code == 0);
    const auto run = stand.record();
    std::vector<const PointRecord*> finals;
    std::size_t trials = 0;
    for (const auto& point : run.points) {
        if (point.test != "final") continue;
        trials += point.kind == PointKind::trial;
        if (point.kind == PointKind::point) finals.push_back(&point);
    }
    REQUIRE(finals.size() == 2);
    CHECK(trials > 60);
    for (const auto* point : finals) {
        CHECK(std::abs(axis(*point, "azimuth") - 100) <= 10);
        CHECK(std::abs(axis(*point, "height") - 2.2) <= 0.15);
        CHECK(point->find_result("level"));
        CHECK(std::any_of(point->parameters.begin(), point->parameters.end(),
                          [](const auto& p) { return p.first == "detector" && p.second == "average"; }));
    }
    CHECK(axis(*finals[0], "frequency") == about(1.2).epsilon(0.01));
    // All but what lies between the grid and the best place: 70 dBuV less 0.15 dB and 0.15 dB, on a noise
    // floor.
    CHECK(finals[0]->find_result("level")->value.value == about(70).epsilon(0.01));
    CHECK(std::count_if(run.events.begin(), run.events.end(),
                        [](const EventRecord& e) { return e.kind == "candidate"; }) == 2);
    // What the trials came to is a record of its own, drawn from a kept table, without a verdict.
    std::vector<const PointRecord*> maxima;
    for (const auto& point : run.points) {
        if (point.kind == PointKind::maximum) maxima.push_back(&point);
    }
    REQUIRE(maxima.size() == 2);
    for (std::size_t i = 0; i < 2; ++i) {
        CHECK(maxima[i]->position + 1 == finals[i]->position);
        CHECK(maxima[i]->parent == finals[i]->parent);
        CHECK(maxima[i]->findings.empty());
        CHECK(maxima[i]->find_result("azimuth")->value.value == axis(*finals[i], "azimuth"));
        CHECK(maxima[i]->find_result("height")->value.value == axis(*finals[i], "height"));
        const std::string table = read_file(stand.folder / "run" / maxima[i]->capture.file);
        CHECK(table.starts_with("trial,azimuth,height,level,point\n"));
        const auto rows = static_cast<double>(std::count(table.begin(), table.end(), '\n')) - 1;
        CHECK(maxima[i]->find_result("trials")->value.value == rows);
    }
    // 70 dBuV, read by the peak detector of the trials at the best place.
    CHECK(maxima[0]->find_result("highest_level")->value.value == about(70).epsilon(0.02));
    CHECK(stand.call({"verify", "run"}).code == 0);
    CHECK(stand.call({"judge", "run"}).code == 0);
}

TEST_CASE("a later test goes where an earlier one was highest") {
    Stand stand = chamber();
    stand.tests += Stand::scanning(
        "there", "settings = { \"unit.state\" = \"loud\" }\n" +
                     Stand::axis("angle",
                                 "sets = [\"table.angle\"]\nunit = \"deg\"\nfrom_test = { test = "
                                 "\"final\", result = \"azimuth\", most = 1 }"));
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 0, said.err);
    const auto run = stand.record();
    const auto there = points(run, PointKind::point, "there");
    const auto final = points(run, PointKind::point, "final");
    REQUIRE(there.size() == 1);
    CHECK(axis(*there[0], "angle") == axis(*final[0], "azimuth"));
    // Not what a trial has read.
    stand.tests.replace(stand.tests.rfind("azimuth"), 7, "azimut");
    CHECK(contains(stand.call({"check", "campaign.toml"}).err, "gives no result \"azimut\""));
}

TEST_CASE("a maximisation that was stopped is carried on with the trials that it has") {
    const Stand stand = chamber();
    const Said whole = stand.run();
    CHECK(whole.code == 0);
    const auto first = stand.record();
    // The last final point and ten trials before it are taken away, as if the run had been killed there.
    cut_off(stand.folder / "run", first.points.size() - 11);
    const Said resumed = stand.call({"run", "--resume", "run", "--no-live", "--no-report"});
    INFO(resumed.out, resumed.err);
    CHECK(resumed.code == 0);
    const auto second = stand.record();
    CHECK(second.points.size() == first.points.size());
    CHECK(second.points.back().axes == first.points.back().axes);
}

TEST_CASE("wrong keys of a maximisation are named") {
    const auto replace = [&](const std::string& from, const std::string& to) {
        Stand stand = chamber();
        stand.tests.replace(stand.tests.find(from), from.size(), to);
        const Said said = stand.call({"check", "campaign.toml"});
        CHECK(said.code == 2);
        return said.err;
    };
    CHECK(replace("maximise_result = \"level\"\n", "").find("needs maximise_result") != std::string::npos);
    CHECK(replace("fine = \"15 deg\"", "fine = \"90 deg\"").find("fine step must not be wider") !=
          std::string::npos);
    CHECK(replace("trace = \"emission\"", "trace = \"emision\"").find("gives no curve \"emision\"") !=
          std::string::npos);
    CHECK(
        replace("most = 4", "most = 4, result = \"highest_level\"").find("one of result, trace and table") !=
        std::string::npos);
    CHECK(replace("detector = \"peak\", dwell = \"100 us\" }\nmax", "detektor = \"peak\" }\nmax")
              .find("detektor") != std::string::npos);
}

TEST_CASE(
    "movements count in the estimate: by the bench's speeds, or up to a part of the longest where it states "
    "none") {
    Stand stand;
    stand.tests = Stand::scanning(
        "scan",
        Stand::axis("angle", "sets = [\"table.angle\"]\nvalues = [\"0 deg\", \"90 deg\", \"180 deg\"]"));
    const auto movements = [&] {
        const Said said = stand.call({"check", "campaign.toml", "--json"});
        REQUIRE_MESSAGE(said.code == 0, said.err);
        return nlohmann::json::parse(said.out)["movements"];
    };
    // Where it stands before is not known: two ways of a quarter turn, and one without time.
    CHECK(movements() == nlohmann::json{{"count", 3}, {"untimed", 2}, {"seconds", 0.0}});
    stand.instrument_keys["table"] = "turn_time = \"36 s\"\nlift_time = \"5 s\"\n";
    CHECK(movements() == nlohmann::json{{"count", 3}, {"untimed", 0}, {"seconds", 18.0}});
    // A rehearsal moves nothing; instruments of the lab do.
    CHECK_FALSE(contains(stand.call({"check", "campaign.toml"}).out, "movements"));
    stand.addresses["table"] = "tcp://127.0.0.1:9";
    CHECK(contains(stand.call({"check", "campaign.toml"}).out, "3 movements (18.0 s)"));
    stand.instrument_keys["table"] = "turn_time = \"0 s\"\n";
    CHECK(contains(stand.call({"check", "campaign.toml"}).err,
                   "key \"turn_time\" in [[instrument]]: must be above 0 s"));
    // To and fro over height and angle: a grid of 3 by 2, then fine steps.
    stand.instrument_keys["table"] = "turn_time = \"36 s\"\nlift_time = \"5 s\"\n";
    stand.tests = Stand::scanning(
        "scan",
        "maximise_result = \"highest_level\"\n[[test.maximise]]\naxis = \"azimuth\"\nsets = "
        "[\"table.angle\"]\n"
        "from = \"0 deg\"\nto = \"90 deg\"\ncoarse = \"45 deg\"\nfine = \"45 deg\"\n[[test.maximise]]\n"
        "axis = \"height\"\nsets = [\"table.height\"]\nfrom = \"1 m\"\nto = \"2 m\"\ncoarse = \"1 m\"\nfine "
        "= \"1 m\"\n");
    const auto grid = movements();
    CHECK(grid["count"] >= 6);
    CHECK(grid["seconds"] >= 3 * 5.0 + 9.0);
    CHECK(grid["untimed"] == 0);
}
