// The operator at the terminal in the middle of a run: after a failure, at an unexpected signal, at the
// connections.
#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "tests/cli/stand.hpp"
#include "tests/cli/typist.hpp"

using rt::lab::PointKind;

namespace {

// Types `lines` into the program on a terminal of its own, each when it asks.
Said type(const Stand& stand, const std::vector<std::string>& lines, std::vector<std::string> arguments) {
    stand.write();
    arguments.insert(arguments.begin(), "run");
    arguments.insert(arguments.end(), {"--no-live", "--no-report"});
    return at_terminal_lines(stand.folder.path(), std::move(arguments), lines);
}

Stand failing() {
    Stand stand;
    stand.tests =
        Stand::scanning("scan", Stand::axis("state", "values = [\"loud\", \"idle\"]\nsets = [\"unit\"]")) +
        "[[test.judge]]\nrule = \"own/loud\"\n" + Stand::counting("link", "");
    return stand;
}

}  // namespace

TEST_CASE("after a failure the operator goes on, measures again, skips the test or stops the run") {
    const Stand stand = failing();
    const std::vector<std::string> asking{"campaign.toml", "--out", "run", "--ask-at-failure"};
    const Said again = type(stand, {"what", "redo", "go"}, asking);
    CHECK(contains(again.out, "scan: state=loud has failed  [go, redo, skip or stop; Enter means go]"));
    CHECK(contains(again.out, "\"what\" is none of them"));
    auto run = stand.record();
    CHECK(run.points.size() == 3);
    REQUIRE(run.superseded.size() == 1);
    CHECK(run.superseded[0].standing_reason == "measured again");
    CHECK(run.fact("state") == "complete");

    std::filesystem::remove_all(stand.folder / "run");
    type(stand, {"skip"}, asking);
    run = stand.record();
    CHECK(points(run, PointKind::point, "scan").size() == 1);
    CHECK(points(run, PointKind::point, "link").size() == 1);
    CHECK(run.fact("state") == "stopped");

    std::filesystem::remove_all(stand.folder / "run");
    type(stand, {"stop"}, asking);
    CHECK(stand.record().points.size() == 1);
}

TEST_CASE("Ctrl-C at a terminal asks after the present point, and going on loses nothing") {
    Stand stand;
    stand.tests = Stand::scanning("scan", "repeats = 300\n");
    stand.write();
    const auto press = [&](const std::string& answer) {
        // After a few points Ctrl-C, then the answer to what it asks.
        return at_terminal(stand.folder.path(),
                           {"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"},
                           {{"\003", "    3  "}, {answer + "\n"}});
    };
    CHECK(contains(press("go").out,
                   "interrupted: go on, skip the rest of this test, or stop the run?  [go, skip or stop; "
                   "Enter means stop]"));
    CHECK(stand.record().points.size() == 300);
    CHECK(stand.record().fact("state") == "complete");
    std::filesystem::remove_all(stand.folder / "run");
    press("stop");
    CHECK(stand.record().points.size() < 300);
    CHECK(stand.record().fact("state") == "stopped");
}

TEST_CASE("keys typed before a question was there do not answer it, and Enter is said to mean go") {
    Stand stand;
    stand.tests = Stand::scanning("scan", "prompt = \"Connect the cable\"\n");
    stand.write();
    // Half of the word for going on is typed ahead, with Enter after it; the question still waits for its own
    // answer.
    const Said said =
        at_terminal(stand.folder.path(), {"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"},
                    {{"stop\n"}}, "go\n");
    CHECK(contains(said.out, "Connect the cable  [go, look, skip or stop; Enter means go]"));
    CHECK(said.code == 4);
    CHECK(stand.record().points.empty());
    std::filesystem::remove_all(stand.folder / "run");
    CHECK(at_terminal_lines(stand.folder.path(),
                            {"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"}, {""})
              .code == 0);
    CHECK(stand.record().points.size() == 1);
}

TEST_CASE("connections are confirmed before anything is measured") {
    Stand stand = failing();
    stand.campaign_keys = "confirm_connections = true\n";
    CHECK(contains(stand.run().err, "the prompt \"connections\" is there but nobody is"));
    stand.folder.write("answers.toml", "connections = \"stop\"\n");
    CHECK(stand.run({"--answers", "answers.toml"}).code == 4);
    CHECK(stand.record().points.empty());
    CHECK(events(stand.record(), "connections")[0]->text == "not confirmed");
    CHECK(std::filesystem::exists(stand.folder / "run/connections.svg"));
    stand.folder.write("answers.toml", "connections = \"go\"\n");
    const Said went = rare_tally(stand.folder.path(), {"run", "--resume", "run", "--answers", "answers.toml",
                                                       "--no-live", "--no-report"});
    CHECK(went.code == 1);
    CHECK(contains(went.err, "  out     ── analyser: x"));
    std::filesystem::remove_all(stand.folder / "run");
    CHECK(contains(type(stand, {"go"}, {"campaign.toml", "--out", "run"}).out,
                   "is everything connected as drawn?  [go, skip or stop; Enter means go]"));
}

TEST_CASE("at an unexpected signal the operator sees what was seen and what was expected") {
    Stand stand;
    stand.instrument_keys["power-meter"] = "zero = true\n";
    stand.tests =
        "[[test]]\nname = \"loss\"\nprocedure = \"path.loss\"\ninstrument = \"power-meter\"\n"
        "parameters = { sent = \"0 dBm\", frequency = \"1 GHz\" }\nsettings = { \"generator.output\" = "
        "\"OFF\" }\n";
    const Said said = type(stand, {"redo", "go"}, {"campaign.toml", "--out", "run"});
    CHECK(contains(
        said.out,
        "expected: a signal above -60 dBm, with 0 dBm sent  [go, redo, skip or stop; Enter means go]"));
    const auto run = stand.record();
    CHECK(events(run, "unexpected signal").size() == 2);
    REQUIRE(run.points.size() == 1);
    CHECK(run.points[0].results.empty());
}

TEST_CASE("machines hear of events, calibrations and attempts too") {
    Stand stand = failing();
    stand.watches =
        "[[watch]]\nname = \"current\"\nrole = \"supply\"\nquantity = \"current\"\nmax = \"100 mA\"\n";
    stand.write();
    const Said said =
        rare_tally(stand.folder.path(), {"run", "campaign.toml", "--out", "run", "--json", "--no-live"});
    CHECK(said.code == 1);
    const auto json = nlohmann::json::parse(said.out);
    REQUIRE(json["events"].size() == 1);
    CHECK(json["events"][0]["kind"] == "watch");
    CHECK(json["events"][0]["seconds"].get<double>() >= 0);
    CHECK(json["calibrations"].empty());
    CHECK(json["superseded"] == 0);
    CHECK(json["findings"][0]["attempt"] == 1);
    CHECK(json["findings"][0]["position"] == 1);
    const auto plan =
        nlohmann::json::parse(rare_tally(stand.folder.path(), {"check", "campaign.toml", "--json"}).out);
    CHECK(plan["points"] == 3);
    CHECK(plan["at_most"] == false);
    CHECK(plan["tests"][1]["captures"] == 1);
}

TEST_CASE("the report tells of everything that happened to a run") {
    Stand stand;
    stand.tests =
        Stand::counting(
            "link",
            Stand::axis(
                "level",
                "values = [\"-60 dBm\", \"-88 dBm\"]\nunit = \"dBm\"\nsets = [\"generator.level\"]")) +
        Stand::scanning("scan", Stand::axis("state", "values = [\"idle\", \"loud\"]\nsets = [\"unit\"]")) +
        "[[test.judge]]\nrule = \"own/loud\"\n";
    stand.watches =
        "[[watch]]\nname = \"current\"\nrole = \"supply\"\nquantity = \"current\"\nmax = \"100 mA\"\naction "
        "= \"void\"\n";
    CHECK(stand.run().code == 4);
    CHECK(rare_tally(stand.folder.path(), {"run", "--resume", "run", "--redo", "3", "--no-live"}).code == 4);
    const std::string page = rt::lab::read_file(stand.folder / "run/report/report.html");
    CHECK(contains(page, "void: current 120 mA, in order is at most 100 mA"));
    CHECK(contains(page, "Watched throughout"));
    CHECK(contains(page, "Set aside"));
    CHECK(contains(page, "chosen to be measured again"));
    CHECK(contains(page, "Connection diagram of the bench"));
    CHECK(contains(page, "Results of link over its sweep"));
    CHECK(contains(page, "(attempt 2)"));
    CHECK(contains(rt::lab::read_file(stand.folder / "run/report/results.csv"), "void: current 120 mA"));
}

TEST_CASE("a sweep that is repeated until it is stopped ends with the test, not with the run") {
    Stand stand;
    stand.tests = Stand::scanning("scan", "until_stopped = true\n") + Stand::scanning("after", "");
    stand.write();
    const std::vector<std::string> arguments{"run", "campaign.toml", "--out",
                                             "run", "--no-live",     "--no-report"};
    const Said said = at_terminal(stand.folder.path(), arguments, {{"\003", "    4  "}, {"skip\n"}});
    CHECK_MESSAGE(said.code == 0, said.out);  // that is how it is meant to end
    rt::lab::RunRecord run = stand.record();
    CHECK(points(run, PointKind::point, "scan").size() >= 4);
    CHECK(points(run, PointKind::point, "after").size() == 1);
    std::filesystem::remove_all(stand.folder / "run");
    CHECK(stand.run().code == 0);  // nobody there: once
    run = stand.record();
    CHECK(points(run, PointKind::point, "scan").size() == 1);
    CHECK(run.fact("state") == "complete");
    stand.tests = Stand::scanning("scan", "until_stopped = true\nduration = \"1 s\"\n");
    CHECK(contains(stand.run().err, "goes with no duration"));
}

TEST_CASE("a second Ctrl-C aborts the capture under way, and the run can be carried on") {
    Stand stand;
    // A sweep that dwells for 8 s; the simulated instrument ends it for itself. The second Ctrl-C comes when
    // the sweep has long begun: before, it would end the setting up.
    std::string slow = Stand::scanning("scan", "");
    slow.replace(slow.find("100 us"), 6, "8 s");
    stand.tests = slow;
    stand.timeout = "4 s";
    stand.write();
    const std::string bench = rt::lab::read_file(stand.folder / "bench.toml");
    std::string real = bench;
    real.replace(real.find("instant = true"), 14, "instant = false");
    stand.folder.write("bench.toml", real);
    const Said said =
        at_terminal(stand.folder.path(), {"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"},
                    {{"\003", "0 of 1, "}, {"\003", "once more aborts it", std::chrono::seconds(2)}});
    CHECK_MESSAGE(said.code == 4, said.out);
    CHECK(contains(said.out, "aborting the capture under way"));
    const rt::lab::RunRecord run = stand.record();
    CHECK(run.points.empty());
    CHECK(run.fact("state") == "stopped");
    REQUIRE(events(run, "aborted").size() >= 1);
    CHECK(contains(events(run, "aborted")[0]->text, "the operator ended what the analyser was doing"));
}

TEST_CASE("on a terminal a run is a table under headings, with one line that tells what goes on") {
    Stand stand;
    stand.tests = Stand::scanning("scan", "title = \"A scan\"\nsettings = { \"unit.state\" = \"loud\" }\n") +
                  Stand::axis("mode", "sets = [\"unit\"]\nvalues = [\"a\", \"b\"]") +
                  "[[test.judge]]\nrule = \"own/loud\"\n";
    stand.write();
    const Said shown =
        at_terminal(stand.folder.path(), {"run", "campaign.toml", "--out", "run", "--no-report"}, {});
    CHECK(contains(shown.out, "A scan"));
    CHECK(contains(shown.out, "scan  emission.scan  own/loud"));
    CHECK(contains(shown.out, "point  verdict          value         limit     margin  at"));
    CHECK(contains(shown.out, "1 of 2, "));       // the line that stays
    CHECK(contains(shown.out, "\r\x1b[K"));       // is taken away before others come
    CHECK_FALSE(contains(shown.out, " so far"));  // and nothing scrolls
    // The longest line of the 80 columns.
    std::filesystem::remove_all(stand.folder / "run");
    const Said piped = stand.run();
    CHECK(contains(piped.out, "≤ 60.00 dBµV"));
    CHECK_FALSE(contains(piped.out + piped.err, "\x1b"));
    CHECK(contains(piped.err, "capture 2 of 2; "));
    CHECK(lines(piped.err) < 12);
}

TEST_CASE("single keys step what is sent while the signal runs, and each step is an event") {
    Stand stand;
    stand.tests =
        "[[test]]\nname = \"hunt\"\nprocedure = \"power.level\"\ninstrument = \"power-meter\"\nparameters = "
        "{ frequency = "
        "\"1 GHz\" }\nsettings = { \"generator.output\" = \"ON\", \"generator.frequency\" = \"1 GHz\", "
        "\"generator.level\" = "
        "\"-30 dBm\", \"unit.mode\" = \"a\" }\nbell = true\n"
        "[[test.key]]\nsets = \"generator.level\"\nup = \"u\"\ndown = \"d\"\nstep = \"2 dBm\"\n"
        "[[test.key]]\nsets = \"unit.mode\"\nup = \"m\"\nvalues = [\"a\", \"b\"]\n";
    stand.write();
    const std::vector<std::string> arguments{"run", "campaign.toml", "--out",
                                             "run", "--no-live",     "--no-report"};
    const std::string at = "Enter goes on";
    const Said said = at_terminal(stand.folder.path(), arguments,
                                  {{"u", at}, {"u", at}, {"x", at}, {"d", at}, {"m", at}, {"\n", at}});
    CHECK_MESSAGE(said.code == 0, said.out);
    CHECK(contains(said.out, "d/u generator.level -28 dBm, m unit.mode a; Enter goes on"));
    CHECK(contains(said.out, "\a"));
    const auto run = stand.record();
    std::string steps;
    for (const auto* event : events(run, "by hand")) steps += event->text + ";";
    CHECK(steps ==
          "hunt: generator.level -28 dBm;hunt: generator.level -26 dBm;hunt: generator.level -28 dBm;"
          "hunt: unit.mode b;");
    // The points are measured as the campaign says, 2 dB behind the cable.
    REQUIRE(run.points.size() == 1);
    CHECK(run.points[0].results[0].value.value == doctest::Approx(-32).epsilon(0.01));
    std::filesystem::remove_all(stand.folder / "run");
    CHECK(stand.run().code == 0);  // nobody there: nothing is stepped
    CHECK(events(stand.record(), "by hand").empty());
    const auto refused = [&](const std::string& from, const std::string& to) {
        Stand bad;
        bad.tests = stand.tests;
        bad.tests.replace(bad.tests.find(from), from.size(), to);
        return bad.run().err;
    };
    CHECK(contains(refused("up = \"m\"", "up = \"u\""), "is taken: choose another key"));
    CHECK(contains(refused("sets = \"unit.mode\"", "sets = \"unit.state\""),
                   "has no value in the settings of the test"));
    CHECK(contains(refused("step = \"2 dBm\"", "step = \"2 V\""), "step"));
    CHECK(contains(refused("values = [\"a\", \"b\"]", "values = [\"a\"]"), "needs two and more"));
}

TEST_CASE("the line that stays counts the seconds of a long capture") {
    Stand stand;
    std::string slow = Stand::scanning("scan", "");
    slow.replace(slow.find("100 us"), 6, "4.5 s");  // all of the span at once
    stand.tests = slow;
    stand.write();
    std::string bench = rt::lab::read_file(stand.folder / "bench.toml");
    bench.replace(bench.find("instant = true"), 14, "instant = false");
    stand.folder.write("bench.toml", bench);
    const Said said = at_terminal(stand.folder.path(),
                                  {"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"}, {});
    CHECK(said.code == 0);
    CHECK(contains(said.out, "scan, for 3"));
}
