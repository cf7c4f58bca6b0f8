// Conclusions and inputs from other tests, through whole campaigns.
#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "lab/tally/chain.hpp"
#include "tests/about.hpp"
#include "tests/cli/stand.hpp"

using nlohmann::json;
using rt::Verdict;
using rt::lab::PointKind;

namespace {

// Error ratio over the level at the unit: 50 % at -90 dBm, behind 2 dB of cable.
const std::string by_level = Stand::counting(
    "link",
    Stand::axis("mode", "values = [\"a\", \"b\"]\nsets = [\"unit\"]") +
        Stand::axis(
            "level",
            "values = [\"-92 dBm\", \"-90 dBm\", \"-88 dBm\", \"-86 dBm\"]\nsets = [\"generator.level\"]"));

std::string conclude(const std::string& name, const std::string& procedure, const std::string& more) {
    return "[[conclude]]\nname = \"" + name + "\"\nprocedure = \"" + procedure + "\"\n" + more;
}

const std::string sensitivity = conclude("sensitivity", "results.crossing",
                                         "test = \"link\"\nover = \"level\"\nparameters = { result = "
                                         "\"packet_error_ratio\", level = \"50 %\" }\n");

double number(const rt::lab::PointRecord& point, const std::string& name) {
    REQUIRE_MESSAGE(point.find_result(name), point.invalid);
    return point.find_result(name)->value.value;
}

Said again(const Stand& stand, std::vector<std::string> more) {
    more.insert(more.begin(), {"run", "--resume", "run", "--no-live", "--no-report"});
    return rare_tally(stand.folder.path(), more);
}

}  // namespace

TEST_CASE("a conclusion is drawn for each group, judged, kept, verified and judged again") {
    Stand stand;
    stand.own_rules = Stand::rule("crossing", "crossing", "dBm", "max = \"-85 dBm\"");
    stand.tests = by_level + sensitivity + "[[conclude.judge]]\nrule = \"own/crossing\"\n" +
                  conclude("worst", "results.extremes",
                           "test = \"sensitivity\"\nparameters = { result = \"crossing\" }\n");
    CHECK(stand.call({"check", "campaign.toml"}).code == 0);
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 0, said.err);
    const auto run = stand.record();
    const auto drawn = points(run, PointKind::point, "sensitivity");
    REQUIRE(drawn.size() == 2);
    for (const auto* point : drawn) {
        // Half of the packets at -90 dBm at the unit: -88 dBm of the generator; 100 packets a level, so
        // within 0.5 dB.
        CHECK(number(*point, "crossing") == within(0.5, -88));
        REQUIRE(point->findings.size() == 1);
        CHECK(point->findings[0].verdict != Verdict::fail);
        CHECK(point->capture.kind == "results");
    }
    CHECK(drawn[0]->label == "mode=a");
    const auto worst = points(run, PointKind::point, "worst");
    REQUIRE(worst.size() == 1);
    CHECK(number(*worst[0], "greatest") ==
          std::max(number(*drawn[0], "crossing"), number(*drawn[1], "crossing")));
    CHECK(contains(said.out, "concluded"));
    CHECK(rt::lab::verify_run(stand.folder / "run").altered.empty());
    const Said judged = rare_tally(stand.folder.path(), {"judge", "run", "--captures", "--json"});
    CHECK(judged.code == 0);
    // The kept table is a capture like any other.
    const Said measured = rare_tally(stand.folder.path(),
                                     {"measure", "results.crossing", "run/" + drawn[0]->capture.file, "--set",
                                      "result=packet_error_ratio", "--set", "level=50 %", "--json"});
    CHECK_MESSAGE(measured.code == 0, measured.err);
    CHECK(json::parse(measured.out)["results"][0]["value"] == number(*drawn[0], "crossing"));
}

TEST_CASE("a conclusion follows what is measured again, and only where that changes it") {
    Stand stand;
    stand.tests = by_level + sensitivity;
    CHECK(stand.run().code == 0);
    CHECK(again(stand, {"--redo", "2"}).code == 0);
    const auto run = stand.record();
    const auto drawn = points(run, PointKind::point, "sensitivity");
    REQUIRE(drawn.size() == 2);
    // Point 2 belongs to mode a alone; its table has another time, at least.
    CHECK(drawn[0]->label == "mode=b");
    CHECK(drawn[0]->attempt == 1);
    CHECK(drawn[1]->label == "mode=a");
    CHECK(drawn[1]->attempt == 2);
    CHECK(run.superseded.size() == 2);
    CHECK(rt::lab::verify_run(stand.folder / "run").altered.empty());
    // Nothing to do is nothing done.
    const std::size_t before = run.points.size();
    CHECK(again(stand, {}).code == 0);
    CHECK(stand.record().points.size() == before);
}

TEST_CASE("a conclusion from a part of the points is none") {
    Stand stand;
    stand.own_rules = Stand::rule("crossing", "crossing", "dBm", "max = \"-85 dBm\"");
    stand.tests = by_level + sensitivity + "[[conclude.judge]]\nrule = \"own/crossing\"\n";
    CHECK(stand.run({"--only", "sensitivity"}).code == 4);
    const auto only = stand.record();
    const auto alone = points(only, PointKind::point, "sensitivity");
    REQUIRE(alone.size() == 2);
    REQUIRE(alone[0]->findings.size() == 1);
    CHECK(alone[0]->findings[0].verdict == Verdict::none);
    CHECK_MESSAGE(contains(alone[0]->findings[0].reason, "link has no points here"),
                  alone[0]->findings[0].reason);
    // A point that a watch has voided is no point of a crossing.
    Stand watched;
    watched.own_rules = stand.own_rules;
    watched.tests = stand.tests;
    watched.watches =
        "[[watch]]\nname = \"draw\"\nrole = \"supply\"\nquantity = \"current\"\nmax = \"10 "
        "mA\"\nevery = \"1 "
        "s\"\naction = \"void\"\n";
    CHECK(watched.run().code == 4);
    const auto dropped = watched.record();
    const auto voided = points(dropped, PointKind::point, "sensitivity");
    REQUIRE(voided.size() == 2);
    CHECK(voided[0]->findings[0].verdict == Verdict::none);
    CHECK_MESSAGE(contains(voided[0]->findings[0].reason, "void: "), voided[0]->findings[0].reason);
}

TEST_CASE("a run that is killed between its tests and its conclusions draws them when it is carried on") {
    Stand stand;
    stand.tests = by_level + sensitivity;
    CHECK(stand.run().code == 0);
    const auto before = stand.record();
    const auto whole = points(before, PointKind::point, "sensitivity");
    REQUIRE(whole.size() == 2);
    const double first = number(*whole[0], "crossing");
    cut_off(stand.folder / "run", 6);
    CHECK(again(stand, {}).code == 0);
    const auto after = stand.record();
    const auto drawn = points(after, PointKind::point, "sensitivity");
    REQUIRE(drawn.size() == 2);
    CHECK(number(*drawn[0], "crossing") == first);
    CHECK(drawn[0]->attempt == 1);
}

TEST_CASE(
    "what two tests give is subtracted point by point, and a search is concluded from by its thresholds") {
    Stand stand;
    const auto powers = [](const std::string& name, const std::string& level) {
        return "[[test]]\nname = \"" + name +
               "\"\nprocedure = \"power.level\"\ninstrument = \"power-meter\"\nparameters = { frequency = "
               "\"1 GHz\" }\nsettings = { "
               "\"generator.output\" = \"ON\", \"generator.level\" = \"" +
               level + "\" }\n" +
               Stand::axis("frequency",
                           "values = [\"0.5 GHz\", \"1 GHz\"]\nsets = [\"generator.frequency\", "
                           "\"parameter.frequency\"]");
    };
    stand.tests =
        powers("high", "0 dBm") + powers("low", "-6 dBm") +
        Stand::counting(
            "search",
            Stand::axis("mode", "values = [\"a\", \"b\"]\nsets = [\"unit\"]") +
                Stand::axis("level",
                            "sets = [\"generator.level\"]\nsearch = { holds_at = \"-70 dBm\", fails_at = "
                            "\"-100 dBm\", resolution = \"0.5 dB\", result = \"packet_error_ratio\", "
                            "at_most = \"1 %\", gives = \"sensitivity\" }")) +
        conclude("step", "results.difference",
                 "tests = { a = \"high\", b = \"low\" }\nover = \"frequency\"\nparameters = { result = "
                 "\"power\" }\n") +
        conclude("spread", "results.spread",
                 "test = \"search\"\nover = \"mode\"\nparameters = { result = \"sensitivity\" }\n");
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 0, said.err);
    const auto run = stand.record();
    const auto step = points(run, PointKind::point, "step");
    REQUIRE(step.size() == 1);
    CHECK(number(*step[0], "mean") == within(0.01, 6));
    REQUIRE(step[0]->inputs.size() == 2);
    CHECK(step[0]->inputs[0].name == "a");
    CHECK(rt::lab::verify_run(stand.folder / "run").altered.empty());
    const auto spread = points(run, PointKind::point, "spread");
    REQUIRE(spread.size() == 1);
    CHECK(number(*spread[0], "count") == 2);
    CHECK(rare_tally(stand.folder.path(), {"judge", "run", "--captures"}).code == 0);
    // What comes out the same, times to the millisecond among it, is not concluded from anew.
    const auto attempt = [&] {
        const auto now = stand.record();
        return points(now, PointKind::point, "step")[0]->attempt;
    };
    int redone = 0;
    do CHECK(again(stand, {"--redo", "low"}).code == 0);
    while (attempt() == 1 && ++redone < 30);
    CHECK(attempt() == 2);
}

TEST_CASE("values of a later test come from a conclusion") {
    Stand stand;
    stand.tests =
        by_level +
        Stand::counting(
            "at-the-crossing",
            Stand::axis("level",
                        "sets = [\"generator.level\"]\nfrom_test = { test = \"sensitivity\", result = "
                        "\"crossing\" }")) +
        sensitivity;
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 0, said.err);
    const auto run = stand.record();
    const auto derived = points(run, PointKind::point, "at-the-crossing");
    REQUIRE(derived.size() == 2);
    CHECK(number(*derived[0], "packet_error_ratio") == within(25, 50));
}

TEST_CASE("what a conclusion names and is not there is told before anything moves") {
    for (const auto& [text, told] : std::vector<std::pair<std::string, std::string>>{
             {conclude("c", "results.crossing", "test = \"lnk\"\nover = \"level\"\n"),
              "did you mean \"link\""},
             {conclude(
                  "c", "results.crossing",
                  "test = \"link\"\nover = \"levle\"\nparameters = { result = \"packet_error_ratio\" }\n"),
              "no axis \"levle\""},
             {conclude("c", "results.crossing",
                       "test = \"link\"\nover = \"level\"\nparameters = { result = \"errors\" }\n"),
              "gives no result \"errors\""},
             {conclude("c", "results.crossing", "test = \"link\"\nover = \"level\"\n"),
              "gives several results"},
             {conclude("c", "power.level", "test = \"link\"\n"), "measures captures"},
             {conclude("link", "results.yield", "test = \"link\"\n"), "the name of an earlier test"},
             {conclude("c", "results.sum", "test = \"link\"\n"), "takes two"},
             {conclude("c", "results.sum", "tests = { a = \"link\" }\n"), "there is no b"}}) {
        Stand stand;
        stand.tests = by_level + text;
        const Said said = stand.call({"check", "campaign.toml"});
        CHECK(said.code == 2);
        CHECK_MESSAGE(contains(said.err, told), said.err);
    }
    Stand stand;
    stand.tests = "[[test]]\nname = \"t\"\nprocedure = \"results.spread\"\n";
    CHECK(contains(stand.call({"check", "campaign.toml"}).err, "write it as [[conclude]]"));
}
