// Adjustments and limits that are looked up, through whole campaigns.
#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "lab/tally/chain.hpp"
#include "tests/about.hpp"
#include "tests/cli/stand.hpp"

using nlohmann::json;
using rt::Verdict;
using rt::lab::PointKind;

namespace {

// -25 dBm at the meter, 2 dB of cable behind the generator at 1 GHz, less below.
std::string levelled(const std::string& more, const std::string& adjust = "tolerance = \"0.05 dB\"\n") {
    return "[[test]]\nname = \"drive\"\nprocedure = \"power.level\"\ninstrument = \"power-meter\"\nprovides "
           "= \"drive\"\nsettings = { "
           "\"generator.output\" = \"ON\" }\n" +
           Stand::axis("frequency",
                       "values = [\"0.25 GHz\", \"1 GHz\"]\nsets = [\"generator.frequency\", "
                       "\"parameter.frequency\"]") +
           "[[test.adjust]]\naxis = \"level\"\nsets = [\"generator.level\"]\nfrom = \"-60 dBm\"\nto = \"0 "
           "dBm\"\nresult = \"power\"\n"
           "target = \"-25 dBm\"\n" +
           adjust + more;
}

const std::string using_it =
    "[[test]]\nname = \"use\"\nprocedure = \"power.level\"\ninstrument = \"power-meter\"\nsettings = { "
    "\"generator.output\" = \"ON\", "
    "\"generator.level\" = \"calibration:drive\" }\n" +
    Stand::axis(
        "frequency",
        "values = [\"0.25 GHz\", \"1 GHz\"]\nsets = [\"generator.frequency\", \"parameter.frequency\"]") +
    "[[test.judge]]\nrule = \"own/level\"\n";

Stand stand_of(const std::string& tests) {
    Stand stand;
    stand.own_rules = Stand::rule("level", "power", "dBm",
                                  "min = \"-25.2 dBm\"\nmax = \"-24.8 dBm\"\nmarginal = \"0.01 dB\"") +
                      Stand::rule("setting", "setting", "dBm", "max = \"-20 dBm\"");
    stand.tests = tests;
    return stand;
}

double number(const rt::lab::PointRecord& point, const std::string& name) {
    REQUIRE_MESSAGE(point.find_result(name), point.invalid);
    return point.find_result(name)->value.value;
}

Said again(const Stand& stand, std::vector<std::string> more) {
    more.insert(more.begin(), {"run", "--resume", "run", "--no-live", "--no-report"});
    return rare_tally(stand.folder.path(), more);
}

}  // namespace

TEST_CASE("a level is adjusted at each frequency, judged by what it came to, and later tests are set by it") {
    const Stand stand = stand_of(levelled("[[test.judge]]\nrule = \"own/setting\"\n") + using_it);
    const Said checked = stand.call({"check", "campaign.toml"});
    CHECK(checked.code == 0);
    CHECK(contains(checked.out, "until power is -25 dBm, in at most 12 trials"));
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 0, said.err << said.out);
    const auto run = stand.record();
    const auto found = points(run, PointKind::threshold, "drive");
    REQUIRE(found.size() == 2);
    // The cable takes 2 dB at 1 GHz, by the root of frequency 1 dB at a quarter of it.
    CHECK(number(*found[0], "setting") == within(0.1, -24));
    CHECK(number(*found[1], "setting") == within(0.1, -23));
    CHECK(number(*found[0], "power") == within(0.05, -25));
    CHECK(found[0]->findings.size() == 1);
    const auto trials = points(run, PointKind::trial, "drive");
    CHECK(trials.size() >= 6);
    for (const auto* trial : trials) CHECK((trial->parent == found[0]->id || trial->parent == found[1]->id));
    const auto used = points(run, PointKind::point, "use");
    REQUIRE(used.size() == 2);
    for (const auto* point : used) CHECK(number(*point, "power") == within(0.15, -25));
    REQUIRE(run.calibrations.size() == 1);
    CHECK(run.calibrations[0].invalid.empty());
    CHECK(rt::lab::verify_run(stand.folder / "run").altered.empty());
    CHECK(contains(rare_tally(stand.folder.path(), {"judge", "run", "--captures"}).out, "0 differ"));
}

TEST_CASE("what could not be adjusted blocks what needs it, at that point alone") {
    // At 1 GHz the bound is too low by the cable's second decibel.
    Stand limited = stand_of("");
    std::string test = levelled("");
    test.replace(test.find("to = \"0 dBm\""), 12, "to = \"-23.5 dBm\"");
    limited.tests = test + using_it;
    CHECK(limited.run().code == 4);
    const auto run = limited.record();
    const auto found = points(run, PointKind::threshold, "drive");
    REQUIRE(found.size() == 2);
    CHECK(found[0]->invalid.empty());
    CHECK_MESSAGE(contains(found[1]->invalid, "not adjusted: the target is not reached at -23.5 dBm"),
                  found[1]->invalid);
    const auto used = points(run, PointKind::point, "use");
    REQUIRE(used.size() == 2);
    CHECK(used[0]->findings.at(0).verdict == Verdict::pass);
    CHECK(used[1]->findings.at(0).verdict == Verdict::none);
    CHECK(used[1]->results.empty());
    CHECK_MESSAGE(contains(used[1]->findings[0].reason, "not adjusted"), used[1]->findings[0].reason);
    CHECK(rt::lab::verify_run(limited.folder / "run").altered.empty());
}

TEST_CASE("an adjustment that was cut off is carried on from its trials") {
    const Stand stand = stand_of(levelled("") + using_it);
    CHECK(stand.run().code == 0);
    const auto before = stand.record();
    const double setting = number(*points(before, PointKind::threshold, "drive")[0], "setting");
    cut_off(stand.folder / "run", 2);
    CHECK(again(stand, {}).code == 0);
    const auto after = stand.record();
    CHECK(points(after, PointKind::threshold, "drive").size() == 2);
    CHECK(points(after, PointKind::point, "use").size() == 2);
    CHECK(number(*points(after, PointKind::threshold, "drive")[0], "setting") == within(0.1, setting));
    for (const auto& point : after.points) CHECK(point.attempt == 1);
    // Measured again, its trials with it; what was set by it follows when it is chosen.
    const auto found = points(after, PointKind::threshold, "drive");
    CHECK(again(stand, {"--redo", std::to_string(found[0]->position)}).code == 0);
    const auto redone = stand.record();
    const auto renewed = points(redone, PointKind::threshold, "drive");
    REQUIRE(renewed.size() == 2);
    // And what was set by it, no more.
    std::size_t again_used = 0;
    for (const auto* point : points(redone, PointKind::point, "use")) again_used += point->attempt == 2;
    CHECK(again_used == 1);
    CHECK(rt::lab::verify_run(stand.folder / "run").altered.empty());
}

TEST_CASE("limits come from rows and from results of an earlier test, and what they require is asked for") {
    Stand stand;
    const std::string rows =
        "[[rule]]\nid = \"by-mode\"\ntitle = \"t\"\nclause = \"1\"\nquantity = \"q\"\napplies_to = "
        "\"highest_level\"\nunit = \"dBuV\"\n"
        "kind = \"bound\"\nconfidence = \"sure\"\nrequires = [\"instrument.bandwidth >= 1 GHz\"]\n"
        "[[rule.row]]\nwhen = { \"axis.state\" = \"idle\", \"unit.class\" = \"B\" }\nmax = \"60 dBuV\"\n"
        "[[rule.row]]\nwhen = { \"axis.state\" = \"loud\", \"unit.class\" = \"B\" }\nmax = \"80 dBuV\"\n"
        "[[rule]]\nid = \"by-other\"\ntitle = \"t\"\nclause = \"1\"\nquantity = \"q\"\napplies_to = "
        "\"highest_level\"\nunit = \"dBuV\"\n"
        "kind = \"bound\"\nconfidence = \"sure\"\nmax_from = \"reference/highest_level\"\n";
    stand.own_rules = rows;
    const std::string states = Stand::axis("state", "values = [\"idle\", \"loud\"]\nsets = [\"unit\"]");
    stand.tests =
        Stand::scanning(
            "scan",
            states + "[[test.judge]]\nrule = \"own/by-mode\"\n[[test.judge]]\nrule = \"own/by-other\"\n") +
        Stand::scanning("reference", "settings = { \"unit.state\" = \"loud\" }\n");
    // Nobody has said which class it is, nor what the analyser can.
    CHECK(stand.run().code == 4);
    auto run = stand.record();
    auto scans = points(run, PointKind::point, "scan");
    REQUIRE(scans.size() == 2);
    CHECK(contains(scans[0]->findings.at(0).reason, "instrument.bandwidth"));
    // The reference is measured first although it stands behind; the loud point is as loud as it.
    CHECK(points(run, PointKind::point, "reference")[0]->position == 1);
    CHECK(scans[0]->findings.at(1).verdict == Verdict::pass);
    CHECK(scans[0]->findings.at(1).limit == within(0.5, 70));
    Stand stated;
    stated.own_rules = rows;
    stated.tests = stand.tests;
    stated.instrument_keys["analyser"] = "properties = { bandwidth = \"26 GHz\" }\n";
    stated.write();
    std::string campaign = rt::lab::read_file(stated.folder / "campaign.toml");
    const auto at = campaign.find("serial = \"7\"\n");
    REQUIRE(at != std::string::npos);
    campaign.insert(at + 13, "details = { class = \"B\" }\n");
    stated.folder.write("campaign.toml", campaign);
    rare_tally(stated.folder.path(), {"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"});
    run = stated.record();
    scans = points(run, PointKind::point, "scan");
    REQUIRE(scans.size() == 2);
    CHECK(scans[0]->findings.at(0).limit == 60);
    CHECK(scans[1]->findings.at(0).limit == 80);
    CHECK(scans[1]->findings.at(0).verdict == Verdict::pass);
    CHECK(run.fact("unit.class") == "B");
    CHECK(contains(rare_tally(stated.folder.path(), {"judge", "run"}).out, "0 differ"));
    CHECK(contains(rare_tally(stated.folder.path(), {"judge", "run", "--captures"}).out, "0 differ"));
    // The reference measured again: what was judged by it is too.
    const Said redone = again(stated, {"--redo", "reference"});
    run = stated.record();
    for (const auto* point : points(run, PointKind::point, "scan")) CHECK(point->attempt == 2);
}

TEST_CASE("a point judged by a result that is doubted at the end of the run loses its verdict") {
    Stand stand = stand_of("");
    stand.own_rules =
        "[[rule]]\nid = \"by-other\"\ntitle = \"t\"\nclause = \"1\"\nquantity = \"q\"\napplies_to = "
        "\"highest_level\"\nunit = \"dBuV\"\n"
        "kind = \"bound\"\nconfidence = \"sure\"\nmax_from = \"reference/highest_level\"\n";
    stand.tests =
        Stand::scanning("reference", "settings = { \"unit.state\" = \"loud\" }\n") +
        Stand::scanning(
            "scan", "settings = { \"unit.state\" = \"idle\" }\n[[test.judge]]\nrule = \"own/by-other\"\n");
    // No two readings are as near as that: the check at the end fails, and vouches for the reference alone.
    stand.watches =
        "[[recheck]]\nname = \"stable\"\nprocedure = \"emission.scan\"\nparameters = { start = \"1 MHz\", "
        "stop = \"2 MHz\", "
        "bandwidth = \"9 kHz\", dwell = \"100 us\", detector = \"peak\", points = \"101\" }\nresult = "
        "\"highest_level\"\n"
        "within = \"0.000001 dB\"\nevery_points = 1000\ncovers = [\"reference\"]\n";
    CHECK(stand.run().code == 4);
    const auto run = stand.record();
    const auto scans = points(run, PointKind::point, "scan");
    REQUIRE(scans.size() == 1);
    CHECK(scans[0]->standing == rt::lab::Standing::voided);
    CHECK(scans[0]->standing_cause == rt::lab::Cause::input);
    CHECK(scans[0]->findings.at(0).verdict == Verdict::none);
}
