// A bench that is found wrong while a run is stopped, or after it: corrected on resume, as a recorded change.
#include <doctest/doctest.h>

#include <chrono>
#include <csignal>
#include <thread>

#include "lab/tally/chain.hpp"
#include "tests/about.hpp"
#include "tests/cli/stand.hpp"

using rt::lab::PointKind;

namespace {

constexpr const char* cable =
    "[[path]]\nrole = \"analyser\"\n[[path.part]]\nkind = \"cable\"\nname = \"C7\"\n";

// The level of a line through a cable, and the level of a generator at a meter, which has none.
struct Two : Stand {
    Two() {
        tests = scanning("scan", "[[test.judge]]\nrule = \"own/loud\"\n") +
                "[[test]]\nname = \"meter\"\nprocedure = \"power.level\"\ninstrument = \"power-meter\"\n"
                "settings = { \"generator.output\" = \"ON\", \"generator.level\" = \"-10 dBm\" }\n" +
                axis("frequency",
                     "values = [\"0.5 GHz\", \"1 GHz\"]\nsets = [\"generator.frequency\", "
                     "\"parameter.frequency\"]");
        paths = std::string(cable) + "loss = \"3 dB\"\n";
    }
    Said carry_on(std::vector<std::string> more = {}) const {
        more.insert(more.begin(),
                    {"run", "--resume", "run", "--bench", "bench.toml", "--no-live", "--no-report"});
        return call(std::move(more));
    }
};

double level(const rt::lab::RunRecord& run) {
    const auto scans = points(run, PointKind::point, "scan");
    REQUIRE(scans.size() == 1);
    REQUIRE(scans[0]->find_result("highest_level"));
    return scans[0]->find_result("highest_level")->value.value;
}

bool sound(const Stand& stand) {
    return rt::lab::verify_run(stand.folder / "run").altered.empty() &&
           contains(rare_tally(stand.folder.path(), {"judge", "run", "--captures"}).out, "0 differ");
}

}  // namespace

TEST_CASE(
    "a path that was stated wrongly is corrected: what went over it is measured again, the rest stays") {
    Two stand;
    REQUIRE(stand.run().code == 0);
    const auto before = stand.record();
    // 20 dB more of cable than was thought: the line is above the limit.
    stand.paths = std::string(cable) + "loss = \"23 dB\"\n";
    const Said said = stand.carry_on();
    CHECK_MESSAGE(said.code == 1, said.err);
    CHECK(contains(said.err,
                   "the bench was corrected: the path of the analyser; 1 point of scan is measured again"));
    const auto after = stand.record();
    CHECK(level(after) == within(0.2, level(before) + 20));
    REQUIRE(after.superseded.size() == 1);
    CHECK(after.superseded[0].test == "scan");
    CHECK(after.superseded[0].standing_reason == "the bench was corrected");
    for (const auto* point : points(after, PointKind::point, "meter")) CHECK(point->attempt == 1);
    CHECK(events(after, "bench").size() == 1);
    // Both benches are kept, and everything that is made of the run later goes by the second.
    CHECK(contains(rt::lab::read_file(stand.folder / "run/inputs/bench.toml"), "\"3 dB\""));
    CHECK(contains(rt::lab::read_file(stand.folder / "run/inputs/corrected-01/bench.toml"), "\"23 dB\""));
    CHECK(sound(stand));
    CHECK(contains(rare_tally(stand.folder.path(), {"report", "run"}).out, "report.html"));
    CHECK(contains(rt::lab::read_file(stand.folder / "run/report/report.html"), "the bench was corrected"));
    // A copy that is altered afterwards is told.
    stand.folder.write("run/inputs/corrected-01/bench.toml", "[bench]\n");
    CHECK(rt::lab::verify_run(stand.folder / "run").altered.size() == 1);
}

TEST_CASE("corrected twice and carried on without a word: the latest bench counts") {
    Two stand;
    REQUIRE(stand.run().code == 0);
    const double first = level(stand.record());
    stand.paths = std::string(cable) + "loss = \"23 dB\"\n";
    CHECK(stand.carry_on().code == 1);
    stand.paths = std::string(cable) + "table = \"table.csv\"\n";
    stand.folder.write("table.csv", "frequency [MHz],loss [dB]\n0.1,6\n100,6\n");
    CHECK(stand.carry_on().code == 0);
    CHECK(level(stand.record()) == within(0.2, first + 3));
    // The table itself is another one: so is the bench, though its own text is not.
    stand.folder.write("table.csv", "frequency [MHz],loss [dB]\n0.1,5\n100,5\n");
    CHECK(stand.carry_on().code == 0);
    CHECK(level(stand.record()) == within(0.2, first + 2));
    const Said redone = rare_tally(stand.folder.path(),
                                   {"run", "--resume", "run", "--redo", "scan", "--no-live", "--no-report"});
    CHECK_MESSAGE(redone.code == 0, redone.err);
    CHECK(level(stand.record()) == within(0.2, first + 2));
    CHECK(events(stand.record(), "bench").size() == 3);
    CHECK(stand.record().superseded.size() == 4);
    CHECK(sound(stand));
}

TEST_CASE("what no number depends on has nothing measured again, and the same bench is no correction") {
    Two stand;
    REQUIRE(stand.run().code == 0);
    CHECK(stand.carry_on().code == 0);
    CHECK(events(stand.record(), "bench").empty());
    stand.timeout = "30 s";
    const Said said = stand.carry_on();
    CHECK(said.code == 0);
    CHECK(
        contains(said.err,
                 "the bench was corrected: nothing that a number depends on; no point was measured with it"));
    CHECK(stand.record().superseded.empty());
    // An entry of a role is all of it: here what feeds the unit, without which nothing is measured.
    stand.instrument_keys["supply"] = "off_time = \"2 s\"\n";
    CHECK(contains(stand.carry_on().err,
                   "the entry of the supply; 3 points of meter, scan are measured again"));
    CHECK(stand.record().superseded.size() == 3);
    CHECK(sound(stand));
}

TEST_CASE("what rests on points that are measured again for it goes by the new ones") {
    Two stand;
    stand.tests +=
        "[[conclude]]\nname = \"spread\"\ntitle = \"Spread\"\nprocedure = \"results.spread\"\ntest = "
        "\"meter\"\nparameters = { result = \"power\" "
        "}\n";
    REQUIRE_MESSAGE(stand.run().code == 0, stand.run().err);
    stand.paths +=
        "[[path]]\nrole = \"power-meter\"\n[[path.part]]\nkind = \"cable\"\nname = \"C8\"\nloss = \"1 dB\"\n";
    const Said said = stand.carry_on();
    CHECK_MESSAGE(said.code == 0, said.err);
    CHECK(contains(said.err, "the path of the power-meter; 2 points of meter are measured again"));
    const auto run = stand.record();
    REQUIRE(points(run, PointKind::point, "spread").size() == 1);
    CHECK(points(run, PointKind::point, "spread")[0]->attempt == 2);
    CHECK(points(run, PointKind::point, "scan")[0]->attempt == 1);
    CHECK(sound(stand));
}

TEST_CASE("a bench that cannot do what the campaign asks changes nothing") {
    Two stand;
    REQUIRE(stand.run().code == 0);
    const auto before = rt::lab::read_file(stand.folder / "run/tally.seals");
    stand.dialects["analyser"] = "scpi-generator";
    const Said said = stand.carry_on();
    CHECK(said.code == 2);
    CHECK(contains(said.err, "analyser"));
    CHECK(rt::lab::read_file(stand.folder / "run/tally.seals") == before);
    CHECK_FALSE(std::filesystem::exists(stand.folder / "run/inputs/corrected-01"));
    CHECK(rare_tally(stand.folder.path(), {"run", "--resume", "run", "--out", "x"}).code == 2);
}

TEST_CASE("killed at any moment while the bench is corrected, the run has the old one or the new one") {
    for (const int after_ms : {5, 20, 40, 60, 80, 120}) {
        CAPTURE(after_ms);
        Two stand;
        REQUIRE(stand.run().code == 0);
        const double first = level(stand.record());
        stand.paths = std::string(cable) + "loss = \"8 dB\"\n";
        stand.write();
        {
            const pid_t child =
                start_in(stand.folder.path(), binary(),
                         {"run", "--resume", "run", "--bench", "bench.toml", "--no-live", "--no-report"});
            std::this_thread::sleep_for(std::chrono::milliseconds(after_ms));
            ::kill(child, SIGKILL);
            wait_for(child);
        }
        CHECK(rt::lab::verify_run(stand.folder / "run").altered.empty());
        CHECK(stand.carry_on().code == 0);
        CHECK(level(stand.record()) == within(0.2, first + 5));
        CHECK(events(stand.record(), "bench").size() == 1);
        CHECK(sound(stand));
    }
}

TEST_CASE("a recheck over a path that was corrected goes by a new reference, and voids nothing") {
    Two stand;
    stand.watches =
        "[[recheck]]\nname = \"line\"\nprocedure = \"emission.scan\"\ninstrument = \"analyser\"\nresult = "
        "\"highest_level\"\nwithin = \"1 dB\"\nevery_points = 1\nparameters = { start = \"1 MHz\", stop = "
        "\"2 MHz\", "
        "bandwidth = \"9 kHz\", dwell = \"100 us\", detector = \"peak\", points = \"101\" }\n";
    const Said first = stand.run();
    REQUIRE_MESSAGE(first.code == 0, first.err);
    const auto before = stand.record();
    REQUIRE(before.head.references.contains("line"));
    stand.paths = std::string(cable) + "loss = \"8 dB\"\n";
    const Said said = stand.carry_on();
    CHECK_MESSAGE(said.code == 0, said.err);
    const auto after = stand.record();
    CHECK(level(after) == within(0.2, level(before) + 5));
    for (const auto& point : after.points) CHECK(point.standing == rt::lab::Standing::valid);
    CHECK(std::stod(after.head.references.at("line")) ==
          within(0.2, std::stod(before.head.references.at("line")) + 5));
    CHECK(sound(stand));
}

TEST_CASE(
    "what is measured through a path whose loss was measured with what is another now is measured again") {
    // The feed's loss is called otherwise than the test that measures it.
    Two stand;
    stand.paths +=
        "[[path]]\nrole = \"generator\"\n[[path.part]]\nname = \"feed\"\ncalibration = \"feed-loss\"\n";
    stand.tests =
        "[[test]]\nname = \"feed\"\nprocedure = \"path.loss\"\ninstrument = \"power-meter\"\n"
        "settings = { \"generator.output\" = \"ON\", \"generator.level\" = \"0 dBm\" }\n"
        "parameters = { sent = \"0 dBm\" }\nprovides = \"feed-loss\"\nprovides_result = \"loss\"\n" +
        Stand::axis("frequency",
                    "sets = [\"generator.frequency\", \"parameter.frequency\"]\nvalues = [\"0.5 GHz\", \"1.5 "
                    "GHz\"]") +
        Stand::counting("counts", "needs = [\"feed-loss\"]\n") + stand.tests;
    const Said first = stand.run();
    REQUIRE_MESSAGE(first.code == 0, first.err);
    stand.paths += "[[path]]\nrole = \"power-meter\"\n[[path.part]]\nname = \"C8\"\nloss = \"1 dB\"\n";
    const Said said = stand.carry_on();
    CHECK_MESSAGE(said.code == 0, said.err);
    const auto run = stand.record();
    for (const char* again : {"feed", "counts", "meter"})
        for (const auto* point : points(run, PointKind::point, again)) CHECK(point->attempt == 2);
    CHECK(points(run, PointKind::point, "counts").size() == 1);
    CHECK(points(run, PointKind::point, "scan").at(0)->attempt == 1);
    CHECK(run.calibrations.size() == 2);
    CHECK(sound(stand));
}
