// Instruments and units reached otherwise: recorded captures, programs, by hand; dialects tried; benches
// drawn.
#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "tests/cli/stand.hpp"

using rt::lab::PointKind;

namespace {

const std::string scans =
    Stand::scanning("scan", Stand::axis("state", "values = [\"idle\", \"loud\"]\nsets = [\"unit\"]")) +
    "[[test.judge]]\nrule = \"own/loud\"\n";

}  // namespace

TEST_CASE("a run can be repeated from its captures, without any instrument") {
    Stand stand;
    stand.tests =
        scans +
        Stand::counting(
            "link",
            Stand::axis("level", "values = [\"-60 dBm\"]\nunit = \"dBm\"\nsets = [\"generator.level\"]")) +
        "[[test.judge]]\nrule = \"own/errors\"\n";
    CHECK(stand.run().code == 1);
    const auto live = stand.record();
    std::filesystem::rename(stand.folder / "run", stand.folder / "live");
    for (const char* role : {"analyser", "counter", "generator", "unit"})
        stand.addresses[role] = "files:live/captures/*-{test}-{label}.csv";
    stand.addresses["supply"] = "files:live/captures/none";
    CHECK(stand.run().code == 1);
    const auto replayed = stand.record();
    REQUIRE(replayed.points.size() == live.points.size());
    for (std::size_t i = 0; i < live.points.size(); ++i) {
        CHECK(replayed.points[i].capture.sha256 == live.points[i].capture.sha256);
        CHECK(replayed.points[i].findings[0].margin == live.points[i].findings[0].margin);
    }
    // Carried on from its copies it still finds them.
    CHECK(rare_tally(stand.folder.path(),
                     {"run", "--resume", "run", "--redo", "scan", "--no-live", "--no-report"})
              .code == 1);
    stand.addresses["analyser"] = "files:live/captures/{colour}.csv";
    std::filesystem::remove_all(stand.folder / "run");
    const Said unknown = stand.run();
    CHECK(unknown.code == 2);
    CHECK(contains(unknown.err, "nothing is called {colour} here"));
    stand.addresses["analyser"] = "files:live/captures/{test}-{state}.csv";
    std::filesystem::remove_all(stand.folder / "run");
    const Said missing = stand.run();
    CHECK(missing.code == 3);
    CHECK(contains(missing.err, "analyser: no recorded capture"));
}

TEST_CASE("a program sets the unit, and its refusal or silence ends the run") {
    Stand stand;
    stand.tests = scans;
    stand.addresses["unit"] = "program:set-unit.sh";
    const auto with = [&](const std::string& script) {
        stand.folder.write("set-unit.sh", "#!/bin/sh\n" + script);
        std::filesystem::permissions(stand.folder / "set-unit.sh", std::filesystem::perms::owner_all);
        std::filesystem::remove_all(stand.folder / "run");
        return stand.run();
    };
    CHECK(with("echo \"$1=$2\" >> told\n").code == 0);  // nobody tells the simulated unit: it stays idle
    CHECK(rt::lab::read_file(stand.folder / "told") == "state=idle\nstate=loud\n");
    const Said refused = with("echo first; echo 'no such state' >&2; exit 7\n");
    CHECK(refused.code == 3);
    CHECK(contains(refused.err, "did not set state = \"idle\": \"no such state\""));
    stand.timeout = "400 ms";
    const Said silent = with("sleep 5\n");
    CHECK(silent.code == 3);
    CHECK(contains(silent.err, "set-unit.sh did not end within 0.4 s"));
    std::filesystem::remove(stand.folder / "set-unit.sh");
    std::filesystem::remove_all(stand.folder / "run");
    CHECK(contains(stand.run().err, "set-unit.sh cannot be started: No such file"));
}

TEST_CASE("a unit set by hand is a prompt for each change") {
    Stand stand;
    stand.tests = scans;
    stand.addresses["unit"] = "by hand";
    CHECK(contains(stand.run().err, "the prompt \"unit\" is there but nobody is"));
    stand.folder.write("answers.toml", "unit = \"go\"\n");
    CHECK(stand.run({"--answers", "answers.toml"}).code == 0);
    std::filesystem::remove_all(stand.folder / "run");
    stand.folder.write("answers.toml", "unit = \"stop\"\n");
    CHECK(stand.run({"--answers", "answers.toml"}).code == 4);
    CHECK(stand.record().points.empty());
}

TEST_CASE("bench --try sends every command of every shipped dialect, and hears no error") {
    Stand stand;
    stand.write();
    const Said said = rare_tally(stand.folder.path(), {"bench", "bench.toml", "--try", "--json", "--allow",
                                                       "outputs", "--allow", "movement", "--allow", "zero"});
    const auto list = nlohmann::json::parse(said.out);
    for (const auto& entry : list) {
        CAPTURE(entry.dump());
        CHECK(entry["trouble"] == "");
        CHECK(entry["seconds"].get<double>() < 3);
    }
    CHECK(said.code == 0);
    CHECK(list.size() > 50);
    // A dialect with a slip in a command: the error queue says which.
    std::string dialect =
        rt::lab::read_file(std::filesystem::path(RT_SOURCE) / "dialects/scpi-attenuator.toml");
    dialect.replace(dialect.find("INPut:ATT"), 9, "INPUT:TTA");
    stand.folder.write("mine.toml", dialect);
    std::string bench = rt::lab::read_file(stand.folder / "bench.toml");
    bench.replace(bench.find("\"scpi-attenuator\""), 17, "\"mine.toml\"");
    stand.folder.write("bench.toml", bench);
    const Said slip =
        rare_tally(stand.folder.path(), {"bench", "bench.toml", "--try", "--role", "attenuator"});
    CHECK(slip.code == 3);
    CHECK(contains(slip.out, "-113,\"Undefined header\""));
    CHECK(contains(rare_tally(stand.folder.path(), {"bench", "bench.toml", "--try", "--role", "x"}).err,
                   "no such role"));
}

TEST_CASE("a bench is drawn as text and as a picture, parts of its paths included") {
    Stand stand;
    stand.paths =
        "[[path]]\nrole = \"analyser\"\n[[path.part]]\nname = \"cable <7>\"\nkind = \"cable\"\nloss = \"0.5 "
        "dB\"\n";
    stand.write();
    const Said said = rare_tally(stand.folder.path(), {"bench", "bench.toml", "--diagram", "b.svg"});
    CHECK(said.code == 0);
    CHECK(contains(said.out, "out     ── cable <7> (0.5 dB) ── analyser: x"));
    const std::string svg = rt::lab::read_file(stand.folder / "b.svg");
    CHECK(contains(svg, "cable &lt;7&gt;"));
    CHECK(contains(svg, "</svg>"));
    CHECK(rare_tally(stand.folder.path(), {"bench", "bench.toml", "--diagram", "b.png"}).code == 2);
}
