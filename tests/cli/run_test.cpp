#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "core/base/error.hpp"
#include "lab/tally/tally.hpp"
#include "tests/about.hpp"
#include "tests/cli/world.hpp"
#include "tests/lab/fake_instrument.hpp"

using nlohmann::json;

TEST_CASE("a run measures, judges, keeps and reports; its exit code says how it went") {
    struct Row {
        double level;
        int code;
        const char* verdict;
    };
    for (const auto& row : {Row{40, 0, "PASS"}, Row{54, 0, "MARGINAL"}, Row{70, 4, "NONE"}}) {
        CAPTURE(row.level);
        World world;
        world.line_dbuv = row.level;
        const Said said = world.run();
        CHECK(said.code == row.code);
        CHECK(contains(said.out, std::string(row.verdict)));
        CHECK(contains(said.out, "run complete: "));
        CHECK(contains(said.out, "wrote run/tally.sqlite\nwrote run/report/report.html\n"));
        CHECK(contains(said.err, "capture 2 of 2; "));
    }
    World failing;
    failing.line_dbuv = 70;
    failing.test.replace(failing.test.find("\"peak\""), 6, "\"average\"");
    failing.judge = "[[test.judge]]\nrule = \"cispr-32/mains-b-av\"\nallow_partial = true\n";
    const Said failed = failing.run();
    CHECK(failed.code == 1);
    const auto results = json::parse(rt::lab::read_file(failing.folder / "run/report/results.json"));
    CHECK(results["counts"] == json{{"PASS", 1}, {"MARGINAL", 0}, {"FAIL", 1}, {"NONE", 0}});
    CHECK(results["findings"][1]["verdict"] == "FAIL");
    CHECK(results["findings"][1]["margin"].get<double>() == about(46 - 70).epsilon(0.02));
    CHECK(results["findings"][1]["at"]["value"].get<double>() == about(1.5e6).epsilon(0.002));
    CHECK(results["findings"][1]["point"] == "state=on");
    CHECK(results["run"]["unit.serial"] == "7");
    CHECK(lines(rt::lab::read_file(failing.folder / "run/report/results.csv")) == 3);
}

TEST_CASE("verbose adds the results of each point to the progress, quiet leaves none") {
    const World world;
    CHECK_FALSE(contains(world.call({"run", "campaign.toml", "--out", "a"}).err, "highest_level"));
    CHECK(contains(world.call({"run", "campaign.toml", "--out", "b", "-v"}).err,
                   "       highest_level_frequency "));
    CHECK(world.call({"run", "campaign.toml", "--out", "c", "-q"}).err.empty());
}

TEST_CASE("the run folder holds the captures with their hashes, and all inputs") {
    World world;
    CHECK(world.run().code == 0);
    const rt::lab::RunRecord run = rt::lab::Tally::open(world.folder / "run").read();
    CHECK(run.fact("state") == "complete");
    REQUIRE(run.points.size() == 2);
    for (const auto& point : run.points) {
        const std::string text = rt::lab::read_file(world.folder / "run" / point.capture.file);
        CHECK(rt::lab::sha256(text) == point.capture.sha256);
        CHECK(text.size() == point.capture.bytes);
        // The finding follows from the kept capture alone.
        const Said again =
            rare_tally(world.folder.path(), {"measure", "emission.scan", "run/" + point.capture.file,
                                             "--rule", "cispr-32/mains-b-qp", "--allow-partial", "--json"});
        CHECK(json::parse(again.out)["findings"][0]["margin"] == *point.findings[0].margin);
    }
    CHECK(run.files.size() == 6);
    for (const auto& file : run.files)
        CHECK(rt::lab::sha256(rt::lab::read_file(world.folder / "run" / file.file)) == file.sha256);
    CHECK(rt::lab::read_file(world.folder / "run/inputs/campaign.toml") ==
          rt::lab::read_file(world.folder / "campaign.toml"));
    CHECK(run.instruments.size() == 2);
    CHECK(run.instruments[0].identity == "Rare Tally,simulated analyser,p,1.0");
    CHECK_FALSE(std::filesystem::exists(world.folder / "run/tally.sqlite-wal"));  // closed in good order
}

TEST_CASE("the same seed gives the same captures, bit for bit") {
    World world;
    world.write();
    for (const char* out : {"one", "two"})
        CHECK(world.call({"run", "campaign.toml", "--out", out}).code == 0);
    const auto one = rt::lab::Tally::open(world.folder / "one").read(),
               two = rt::lab::Tally::open(world.folder / "two").read();
    for (std::size_t i = 0; i < 2; ++i) {
        CHECK(one.points[i].capture.sha256 == two.points[i].capture.sha256);
        CHECK(one.points[i].id == two.points[i].id);
    }
}

TEST_CASE("a folder that holds a run is never overwritten, and one that cannot be made is an error") {
    World world;
    CHECK(world.run().code == 0);
    const std::string before = rt::lab::sha256(rt::lab::read_file(world.folder / "run/tally.sqlite"));
    const Said again = world.run();
    CHECK(again.code == 2);
    CHECK(again.err ==
          "rare-tally: run: holds a run already, which is never overwritten: name another folder\n");
    CHECK(rt::lab::sha256(rt::lab::read_file(world.folder / "run/tally.sqlite")) == before);
    world.folder.write("plain-file", "x");
    const Said blocked = world.call({"run", "campaign.toml", "--out", "plain-file/run"});
    CHECK(blocked.code == 2);
    CHECK(blocked.err ==
          "rare-tally: plain-file/run: cannot be made: Not a directory; name another folder\n");
    CHECK(rt::lab::read_file(world.folder / "plain-file") == "x");
}

TEST_CASE("a part of the campaign, stopping at a failure, and the traffic kept") {
    World world;
    world.line_dbuv = 70;
    world.test.replace(world.test.find("\"peak\""), 6, "\"average\"");
    world.judge = "[[test.judge]]\nrule = \"cispr-32/mains-b-av\"\nallow_partial = true\n";
    const std::string again = "repeats = 3\n";
    std::string second = world.test + world.judge;
    second.replace(second.find("\"scan\""), 6, "\"other\"");
    world.test += again;
    world.sweep += second;
    CHECK(contains(world.call({"check", "campaign.toml", "--only", "other"}).out, "1 point, "));
    CHECK(contains(world.call({"check", "campaign.toml", "--only", "othre"}).err,
                   "has no test \"othre\": did you mean \"other\"?"));
    CHECK(world.call({"run", "campaign.toml", "--only", "other", "--out", "part", "-q"}).code == 0);
    const auto part = rt::lab::Tally::open(world.folder / "part").read();
    CHECK(part.points.size() == 1);
    CHECK(part.fact("state") == "complete");
    CHECK(rare_tally(world.folder.path(), {"run", "--resume", "part", "-q"}).code ==
          0);  // nothing of the other test
    CHECK(rt::lab::Tally::open(world.folder / "part").read().points.size() == 1);

    const Said stopped =
        world.call({"run", "campaign.toml", "--stop-at-failure", "--traffic", "--out", "stopped"});
    CHECK(stopped.code == 1);
    CHECK(contains(stopped.out, "run stopped: 3 PASS, 0 MARGINAL, 1 FAIL"));
    CHECK(rt::lab::Tally::open(world.folder / "stopped").read().points.size() == 4);
    const std::string traffic = rt::lab::read_file(world.folder / "stopped/traffic.log");
    CHECK(contains(traffic, " analyser > SENSe:FREQuency:STARt 1000000\n"));
    CHECK(contains(traffic, " analyser < 0,\"No error\"\n"));
    CHECK(contains(traffic, " analyser < a block of "));
    CHECK(contains(traffic, " unit > UNIT:STATe on\n"));
}

TEST_CASE("lapsed calibration: measured and kept, but no verdict and no number") {
    World world;
    world.analyser += "calibration_due = 2020-01-31\n";
    const Said said = world.run();
    CHECK(said.code == 4);
    CHECK(contains(said.err,
                   "attention: the calibration of the analyser (a) lapsed on 2020-01-31: its tests will get "
                   "no verdict\n"));
    CHECK(contains(said.out, "0 PASS, 0 MARGINAL, 0 FAIL, 2 NONE"));
    const auto results = json::parse(rt::lab::read_file(world.folder / "run/report/results.json"));
    CHECK(results["results"].empty());
    CHECK(results["findings"][0]["value"].is_null());
    CHECK(contains(world.check().out, "attention: the calibration"));
}

TEST_CASE("overload: the reason, no verdict, no number") {
    World world;
    world.test.insert(world.test.find("detector ="), "reference_level = \"-75 dBm\", ");
    world.line_dbuv = 60;
    const Said said = world.run();
    CHECK(said.code == 4);
    CHECK(
        contains(said.out, "  state=on: analyser overloaded: raise the reference level or the attenuation"));
}

TEST_CASE(
    "instruments that cannot be reached, stay silent or talk nonsense: exit 3, and what was done is kept") {
    std::string port;
    {
        FakeInstrument gone([](const auto&) { return ""; });
        port = gone.port();
    }
    World unreachable;
    unreachable.analyser = "address = \"tcp://127.0.0.1:" + port + "\"\n";
    const Said nobody = unreachable.run();
    CHECK(nobody.code == 3);
    CHECK(contains(nobody.err,
                   "rare-tally: instrument at 127.0.0.1:" + port + ": Connection refused (connecting)\n"));
    CHECK(rt::lab::Tally::open(unreachable.folder / "run").read().fact("state") == "aborted");

    FakeInstrument silent([](const auto&) { return ""; });
    World waiting;
    waiting.timeout = "400 ms";
    waiting.analyser = "address = \"tcp://127.0.0.1:" + silent.port() + "\"\n";
    const Said quiet = waiting.run();
    CHECK(quiet.code == 3);
    CHECK(contains(quiet.err, "did not answer within 0.4 s (waiting for an answer)"));

    // Sane for the first point, then garbage.
    int sweeps = 0;
    FakeInstrument fickle([&](const std::string& line) -> std::string {
        if (line.find("*IDN?") != std::string::npos) return "Maker,\x1b[31mModel,\",1\n";
        if (line.find("OPC?") != std::string::npos) return ++sweeps == 1 ? "1\n" : "?!\n";
        if (line.find("QUES") != std::string::npos) return "0\n";
        if (line.find("ERRor") != std::string::npos) return "0,\"No error\"\n";
        if (line.find("TRACe:DATA") != std::string::npos)
            return "#43568" + std::string(3568, '\0') + "\n";  // 446 levels of 0
        return "";
    });
    World broken;
    broken.analyser = "address = \"tcp://127.0.0.1:" + fickle.port() + "\"\n";
    const Said garbage = broken.run();
    CHECK(garbage.code == 3);
    CHECK(contains(garbage.err, "analyser: the end of the sweep was announced by \"?!\" instead of 1"));
    CHECK_FALSE(contains(garbage.err, "\x1b"));  // an instrument's identity does not colour the terminal
    const auto kept = rt::lab::Tally::open(broken.folder / "run").read();
    CHECK(kept.points.size() == 1);
    CHECK(kept.events.size() == 1);
    // And the part that was measured can be reported.
    const Said report = rare_tally(broken.folder.path(), {"report", "run"});
    CHECK(report.code == 0);
    CHECK(contains(rt::lab::read_file(broken.folder / "run/report/report.html"), "This run is not complete"));
}
