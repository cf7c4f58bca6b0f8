// Watches and rechecks.
#include <doctest/doctest.h>

#include "tests/about.hpp"
#include "tests/cli/stand.hpp"

using rt::Verdict;
using rt::lab::PointKind;
using rt::lab::Standing;

namespace {

const std::string states = Stand::axis("state", "values = [\"idle\", \"loud\", \"calm\"]\nsets = [\"unit\"]");

Stand watching(const std::string& action) {
    Stand stand;
    stand.tests = Stand::scanning("scan", states) +
                  "[[test.judge]]\nrule = \"own/loud\"\nwhen = { state = \"idle\" }\n" +
                  "[[test.judge]]\nrule = \"own/loud\"\nmarginal = \"0 dB\"\n";
    // Loud, the unit draws 120 mA instead of 40 mA.
    stand.watches =
        "[[watch]]\nname = \"current\"\nrole = \"supply\"\nquantity = \"current\"\nmax = \"100 "
        "mA\"\nlongest_pause = "
        "\"300 ms\"\nevery = \"50 ms\"\naction = \"" +
        action + "\"\n";
    return stand;
}

// The unit's line, looked at again after so many points.
std::string rechecking(int every_points) {
    return "[[recheck]]\nname = \"stable\"\nprocedure = \"emission.scan\"\nresult = "
           "\"highest_level\"\nwithin = \"1 dB\"\n"
           "every_points = " +
           std::to_string(every_points) +
           "\nparameters = { start = \"1.4 MHz\", stop = \"1.6 MHz\", bandwidth = \"9 kHz\", dwell = \"100 "
           "us\", detector = "
           "\"peak\" }\n";
}

}  // namespace

TEST_CASE("a watch notes what was outside its limits, when and how long") {
    const Stand stand = watching("note");
    CHECK(stand.run().code == 1);  // 70 dBuV against 60
    const auto run = stand.record();
    REQUIRE(run.points.size() == 3);
    CHECK(run.points[1].notes.back() == "while it was measured: current 120 mA, in order is at most 100 mA");
    CHECK(run.points[1].findings[0].verdict == Verdict::fail);
    CHECK(run.points[0].notes.empty());
    REQUIRE(events(run, "watch").size() == 1);
    CHECK(events(run, "watch")[0]->text == "current 120 mA, in order is at most 100 mA");
    CHECK(run.samples.size() >= 6);  // before and after each point
    CHECK(run.samples.front().value == about(0.04));
}

TEST_CASE("a watch that voids takes the verdict of the points it saw outside, and of no others") {
    const Stand stand = watching("void");
    const Said said = stand.run();
    CHECK(said.code == 4);
    CHECK(contains(said.out, "void: current 120 mA, in order is at most 100 mA"));
    const auto run = stand.record();
    CHECK(run.points[1].standing == Standing::voided);
    CHECK(run.points[1].findings[0].verdict == Verdict::none);
    CHECK_FALSE(run.points[1].findings[0].margin);
    CHECK(run.points[0].standing == Standing::valid);
    CHECK(run.points[2].findings[0].verdict == Verdict::pass);
    CHECK(contains(said.out, "run complete: 3 PASS, 0 MARGINAL, 0 FAIL, 1 NONE"));
    // A void point counts as measured: it is not a hole that carrying on fills.
    CHECK(rare_tally(stand.folder.path(), {"run", "--resume", "run", "--no-live", "--no-report"}).code == 4);
    CHECK(stand.record().points.size() == 3);
}

TEST_CASE("a watch stops the run, or pauses it until its patience is over") {
    const Stand stopping = watching("stop");
    const Said stopped = stopping.run();
    CHECK(stopped.code == 4);
    CHECK(contains(stopped.out, "run stopped"));
    CHECK(stopping.record().points.size() == 2);
    CHECK(stopping.record().points[1].standing == Standing::voided);
    const Stand pausing = watching("pause");
    const Said paused = pausing.run();
    CHECK(paused.code == 4);
    CHECK(contains(paused.err, "       pause: current 120 mA, in order is at most 100 mA: waiting"));
    CHECK(contains(paused.err, "still outside after 300 ms: the run stops"));
    CHECK(pausing.record().points.size() == 1);
}

TEST_CASE("watches that cannot be are named") {
    const auto wrong = [](const std::string& keys) {
        Stand stand;
        stand.tests = Stand::scanning("scan", "");
        stand.watches = "[[watch]]\nname = \"w\"\n" + keys;
        return stand.call({"check", "campaign.toml"}).err;
    };
    CHECK(contains(wrong("role = \"suply\"\nquantity = \"current\"\nmax = \"1 A\"\n"),
                   "did you mean \"supply\"?"));
    CHECK(
        contains(wrong("role = \"supply\"\nquantity = \"mood\"\nmax = \"1 A\"\n"), "no command query_mood"));
    CHECK(contains(wrong("role = \"supply\"\nquantity = \"current\"\n"), "a watch needs min or max"));
    CHECK(contains(wrong("role = \"supply\"\nquantity = \"current\"\nmax = \"1 A\"\naction = \"shout\"\n"),
                   "unknown action \"shout\""));
}

TEST_CASE("after a drift, points since the last good check lose their verdict and are measured again") {
    Stand stand;
    stand.tests = Stand::scanning("scan", "repeats = 9\n") + "[[test.judge]]\nrule = \"own/loud\"\n";
    stand.watches = rechecking(3);
    CHECK(stand.run().code == 0);
    const auto calm = stand.record();
    CHECK(points(calm, PointKind::check).size() >= 1);
    CHECK(calm.superseded.size() >= 2);  // earlier checks
    CHECK(points(calm, PointKind::point).size() == 9);
    CHECK(events(calm, "drift").empty());
    // All that leaves the unit falls by 2 dB after the 30th answer of the analyser, once.
    stand.simulation = "[[simulation.fault]]\nrole = \"analyser\"\nkind = \"drift\"\nafter = 30\ntimes = 1\n";
    std::filesystem::remove_all(stand.folder / "run");
    const Said said = stand.run();
    CHECK(said.code == 0);
    const auto run = stand.record();
    REQUIRE(events(run, "drift").size() == 1);
    CHECK(contains(
        events(run, "drift")[0]->text,
        "from the reference, allowed is 1 dB; 3 points lose their verdict and will be measured again"));
    const auto kept = points(run, PointKind::point);
    REQUIRE(kept.size() == 9);
    std::size_t again = 0;
    for (const auto* point : kept) {
        CHECK(point->standing == Standing::valid);
        CHECK(point->findings[0].verdict == Verdict::pass);
        again += point->attempt == 2;
    }
    CHECK(again == 3);
    std::size_t set_aside = 0;
    for (const auto& point : run.superseded) set_aside += point.kind == PointKind::point;
    CHECK(set_aside == 3);
    CHECK(contains(said.out, "run complete: 9 PASS"));
    CHECK(run.fact("state") == "complete");
}

TEST_CASE("what keeps drifting stays without verdict, and the run still ends") {
    Stand stand;
    stand.tests = Stand::scanning("scan", "repeats = 6\n") + "[[test.judge]]\nrule = \"own/loud\"\n";
    stand.watches = rechecking(2);
    // About 2 dB between two checks, without end.
    stand.unit_extra =
        "[[line]]\nport = \"out\"\nfrequency = \"1.45 MHz\"\nlevel = \"58 dBuV\"\ndrift = \"-40 "
        "dB\"\ndrift_time = "
        "\"5 ms\"\n";
    const Said said = stand.run();
    CHECK(said.code == 4);
    CHECK(stand.record().counts().none > 0);
    std::size_t doubted = 0;
    const auto left = stand.record();
    for (const auto& point : left.points) {
        for (const auto& f : point.findings)
            doubted += f.reason.starts_with("void: recheck stable: highest_level");
    }
    CHECK(doubted == stand.record().counts().none);
}

TEST_CASE("what a recheck has doubted is measured again although the run was killed before it came to that") {
    Stand stand;
    stand.tests = Stand::scanning("scan", "repeats = 3\n") + "[[test.judge]]\nrule = \"own/loud\"\n";
    CHECK(stand.run().code == 0);
    alter(stand.folder / "run",
          "UPDATE point SET standing = 'void', standing_cause = 'recheck', standing_reason = 'recheck ref: "
          "level moved' WHERE position = "
          "2");
    alter(stand.folder / "run",
          "INSERT INTO chain VALUES (NULL, 'standing', '2', 'void (recheck): recheck ref: level moved', '')");
    rechain(stand.folder / "run");
    CHECK(stand.record().counts().none == 1);
    CHECK(rare_tally(stand.folder.path(), {"run", "--resume", "run", "--no-live", "--no-report"}).code == 0);
    const auto run = stand.record();
    CHECK(run.counts().none == 0);
    CHECK(run.points.size() == 3);
    REQUIRE(run.superseded.size() == 1);
    CHECK(run.superseded[0].position == 2);
}
