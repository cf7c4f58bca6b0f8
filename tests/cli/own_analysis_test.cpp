// Programs of the user's own as procedures: measured, kept, judged again, and everything that goes wrong.
#include <doctest/doctest.h>
#include <sys/stat.h>

#include <nlohmann/json.hpp>

#include "lab/tally/chain.hpp"
#include "tests/about.hpp"
#include "tests/cli/stand.hpp"

using nlohmann::json;
using rt::Verdict;
using rt::lab::PointKind;

namespace {

const std::string declared =
    "[analysis]\nname = \"ripple\"\ntitle = \"Ripple\"\nabout = \"Highest less lowest level.\"\n"
    "taken_like = \"emission.scan\"\nprogram = \"ripple.sh\"\ntimeout = \"5 s\"\n"
    "[[parameter]]\nname = \"floor\"\nunit = \"dBuV\"\ndefault = \"-200 dBuV\"\nhelp = \"levels below count "
    "as this\"\n"
    "[[result]]\nname = \"ripple\"\nunit = \"dB\"\nhelp = \"highest less lowest level\"\n"
    "[[trace]]\nname = \"looked_at\"\ntitle = \"Level\"\nunit = \"dBuV\"\nx_unit = \"Hz\"\n";

const std::string done = "echo '{\"done\": true, \"protocol\": 1}'\n";

// Highest less lowest level of the spectrum that the request names.
const std::string honest =
    "file=$(sed 's/.*\"file\":\"\\([^\"]*\\)\".*/\\1/')\n"
    "awk -F, '!/^#/ && $1 + 0 > 0 { n++; if (n == 1 || $2 > high) high = $2; if (n == 1 || $2 < low) low = "
    "$2; x = x (n > 1 ? \",\" : \"\") $1; y = y (n > 1 ? \",\" : \"\") $2 }\n"
    "END { printf \"{\\\"result\\\": \\\"ripple\\\", \\\"value\\\": %.9g, \\\"unit\\\": \\\"dB\\\"}\\n\", "
    "high - low\n"
    "printf \"{\\\"trace\\\": \\\"looked_at\\\", \\\"x\\\": [%s], \\\"y\\\": [%s], \\\"x_unit\\\": "
    "\\\"Hz\\\", \\\"unit\\\": \\\"dBuV\\\"}\\n\", x, y }' \"$file\"\n" +
    done;

void write_program(const TestFolder& folder, const std::string& script) {
    const auto file = folder.write("ripple.sh", "#!/bin/sh\n" + script);
    REQUIRE(::chmod(file.c_str(), 0755) == 0);
}

// `measure` of three levels that are 4.5 dB apart.
Said measured(const std::string& script, const std::string& analysis = declared,
              std::vector<std::string> more = {}) {
    const TestFolder folder;
    write_program(folder, script);
    folder.write("ripple.toml", analysis);
    folder.write("s.csv", "frequency [MHz],level [dBuV]\n1,20\n2,24.5\n3,22\n");
    more.insert(more.begin(),
                {"measure", "own.ripple", "s.csv", "--analysis", "ripple.toml", "--set", "detector=peak",
                 "--set", "bandwidth=9 kHz", "--limit", "ripple <= 9 dB", "--json"});
    return rare_tally(folder.path(), more);
}

// Why there is no verdict.
std::string none_of(const std::string& script) {
    const Said said = measured(script);
    CHECK_MESSAGE(said.code == 4, (said.out + said.err));
    const json out = json::parse(said.out, nullptr, false);
    REQUIRE_MESSAGE(out.is_object(), (said.out + said.err));
    REQUIRE(out["findings"].size() == 1);
    CHECK(out["findings"][0]["verdict"] == "NONE");
    CHECK(out["results"].empty());
    return out["findings"][0]["reason"];
}

std::string result(const std::string& rest) {
    return "cat > /dev/null; echo '{\"result\": " + rest + "}'\n";
}

Stand ripple_stand() {
    Stand stand;
    stand.campaign_keys = "analyses = [\"ripple.toml\"]\n";
    stand.own_rules = Stand::rule("ripple", "ripple", "dB", "max = \"30 dB\"");
    stand.tests =
        "[[test]]\nname = \"ripple\"\nprocedure = \"own.ripple\"\nparameters = { start = \"1 MHz\", stop = "
        "\"2 MHz\", bandwidth = \"9 kHz\", dwell = \"100 us\", detector = \"peak\", points = \"101\" }\n" +
        Stand::axis("state", "values = [\"idle\", \"loud\"]\nsets = [\"unit.state\"]") +
        "[[test.judge]]\nrule = \"own/ripple\"\n";
    write_program(stand.folder, honest);
    stand.folder.write("ripple.toml", declared);
    return stand;
}

}  // namespace

TEST_CASE("a program of one's own measures a file: result, curve, verdict, and who made it") {
    const Said said = measured(honest);
    CHECK_MESSAGE(said.code == 0, (said.out + said.err));
    const json out = json::parse(said.out);
    CHECK(out["results"][0]["value"].get<double>() == about(4.5));
    CHECK(out["findings"][0]["verdict"] == "PASS");
    CHECK(contains(out.dump(), "ripple.sh, SHA-256"));
    // What it answers in another unit of the same dimension is converted.
    const std::string percent =
        "[[result]]\nname = \"share\"\nunit = \"%\"\nhelp = \"a share\"\n[[result]]\nname = \"delay\"\nunit "
        "= "
        "\"s\"\nhelp = \"a time\"\n";
    const Said other =
        measured(result("\"delay\", \"value\": 12, \"unit\": \"ns\", \"known\": \"at least\"") + done,
                 declared + percent);
    const json converted = json::parse(other.out);
    CHECK(converted["results"][0]["value"].get<double>() == about(12e-9));
    CHECK(contains(other.out, "at least"));
}

TEST_CASE("what goes wrong with a program gives no verdict and says what it was") {
    CHECK(contains(none_of("echo broken here >&2; exit 3\n"), "exit code 3: \"broken here\""));
    CHECK(contains(none_of("kill -9 $$\n"), "ended by signal 9"));
    CHECK(contains(none_of("echo nonsense\n" + done), "line 1 of the answer is no JSON object"));
    // Cut off in the middle, as by a crash that went unnoticed.
    CHECK(contains(none_of(result("\"ripple\", \"value\": 1, \"unit\": \"dB\"")), "not complete"));
    CHECK(contains(none_of(result("\"ripple\", \"value\": 1, \"unit\": \"dB\"") +
                           "echo '{\"done\": true, \"protocol\": 2}'\n"),
                   "\"protocol\": 1"));
    CHECK(contains(none_of(result("\"riple\", \"value\": 1, \"unit\": \"dB\"") + done), "does not declare"));
    CHECK(contains(none_of(result("\"ripple\", \"value\": null, \"unit\": \"dB\"") + done), "no number"));
    CHECK(contains(none_of(result("\"ripple\", \"value\": \"4\", \"unit\": \"dB\"") + done), "no number"));
    CHECK(contains(none_of(result("\"ripple\", \"value\": 1e999, \"unit\": \"dB\"") + done), "answer"));
    CHECK(contains(none_of(result("\"ripple\", \"value\": 1, \"unit\": \"V\"") + done), "dB was declared"));
    CHECK(contains(none_of(result("\"ripple\", \"value\": 1") + done), "dB was declared"));
    const std::string once = result("\"ripple\", \"value\": 1, \"unit\": \"dB\"");
    CHECK(contains(none_of(once + once + done), "a second time"));
    CHECK(contains(none_of("echo '{\"invalid\": \"no signal\"}'\n" + once + done), "no signal"));
    CHECK(contains(none_of("echo '{\"trace\": \"looked_at\", \"x\": [2, 1], \"y\": [1, 1], \"x_unit\": "
                           "\"Hz\", \"unit\": \"dBuV\"}'\n" +
                           done),
                   "ascending"));
    CHECK(contains(none_of(done + once), "behind the line that ends"));
    // A rule is not met by a result that the program left out.
    CHECK(contains(none_of("cat > /dev/null\n" + done), "ripple"));
}

TEST_CASE("a program that does not end is ended, with what it started") {
    std::string analysis = declared;
    analysis.replace(analysis.find("5 s"), 3, "0.3 s");
    const Said said = measured("sleep 60 & sleep 60\n", analysis);
    CHECK(said.code == 4);
    CHECK(contains(said.out, "did not end within 0.3 s"));
}

TEST_CASE("an analysis file that cannot be used is refused with file, line and cure") {
    const auto refused = [](const std::string& from, const std::string& to) {
        std::string analysis = declared;
        analysis.replace(analysis.find(from), from.size(), to);
        const Said said = measured(honest, analysis);
        CHECK(said.code == 2);
        CHECK_MESSAGE(contains(said.err, "ripple.toml:"), said.err);
        return said.err;
    };
    CHECK(contains(refused("\"emission.scan\"", "\"emission.scna\""), "did you mean \"emission.scan\""));
    CHECK(contains(refused("\"ripple.sh\"", "\"gone.sh\""), "gone.sh"));
    CHECK(contains(refused("\"5 s\"", "\"0 s\""), "above 0 s"));
    CHECK(contains(refused("unit = \"dB\"", "unit = \"mV\""), "without a prefix"));
    CHECK(contains(refused("\"floor\"", "\"detector\""), "is taken"));
    CHECK(contains(refused("name = \"ripple\"\nunit", "name = \"Rip ple\"\nunit"), "lower-case"));
    CHECK(contains(measured(honest, declared, {"--set", "flor=1 dBuV"}).err, "did you mean \"floor\""));
    const Said unknown = rare_tally(".", {"measure", "own.ripple", "s.csv"});
    CHECK(contains(unknown.err, "--analysis FILE"));
}

TEST_CASE("a campaign measures by a program; its answers are kept, and no run folder starts programs") {
    const Stand stand = ripple_stand();
    CHECK(stand.call({"check", "campaign.toml"}).code == 0);
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 1, said.err);  // 70 dBuV over the floor is more than 30 dB
    const auto run = stand.record();
    REQUIRE(run.points.size() == 2);
    CHECK(run.points[0].findings.at(0).verdict == Verdict::fail);
    CHECK(run.points[1].find_result("ripple")->value.value >
          run.points[0].find_result("ripple")->value.value);
    // Without the program everything is still told, from the answers.
    std::filesystem::remove(stand.folder / "ripple.sh");
    const auto& where = stand.folder.path();
    const Said judged = rare_tally(where, {"judge", "run", "--captures"});
    CHECK_MESSAGE(contains(judged.out, "0 differ"), (judged.out + judged.err));
    CHECK(rare_tally(where, {"report", "run", "--out", "r"}).code <= 1);
    CHECK(rt::lab::verify_run(stand.folder / "run").altered.empty());
    // An answer that was changed afterwards is noticed.
    REQUIRE_FALSE(run.points[0].attachments.empty());
    CHECK(run.points[0].attachments[0].kind == "answer");
    stand.folder.write("run/" + run.points[0].attachments[0].file,
                       "{\"result\": \"ripple\", \"value\": 1, \"unit\": \"dB\"}\n{\"done\": true, "
                       "\"protocol\": 1}\n");
    CHECK(rt::lab::verify_run(stand.folder / "run").altered.size() == 1);
    CHECK(contains(rare_tally(where, {"judge", "run", "--captures"}).err, "was altered"));
}

TEST_CASE("a run is carried on with the program it began with, and no other") {
    const Stand stand = ripple_stand();
    CHECK(stand.run().code == 1);
    cut_off(stand.folder / "run", 1);
    write_program(stand.folder, "# another\n" + honest);
    const std::vector<std::string> resume{"run", "--resume", "run", "--no-live", "--no-report"};
    const Said refused = rare_tally(stand.folder.path(), resume);
    CHECK(refused.code == 2);
    CHECK(contains(refused.err, "is not the program that the run began with"));
    CHECK(stand.record().points.size() == 1);
    write_program(stand.folder, honest);
    CHECK(rare_tally(stand.folder.path(), resume).code == 1);
    CHECK(stand.record().points.size() == 2);
}

TEST_CASE("two captures by name reach a program, corrected by their path") {
    const Stand stand = [] {
        Stand out;
        out.campaign_keys = "analyses = [\"step.toml\"]\n";
        out.own_rules = Stand::rule("step", "step", "dB", "min = \"9 dB\"");
        out.tests =
            "[[test]]\nname = \"step\"\nprocedure = \"own.step\"\ninstrument = \"power-meter\"\n"
            "settings = { \"generator.output\" = \"ON\", \"generator.level\" = \"-20 dBm\", "
            "\"generator.frequency\" = \"1 GHz\" }\nparameters = { frequency = \"1 GHz\" }\n"
            "[[test.take]]\ninput = \"after\"\nsettings = { \"generator.level\" = \"-10 dBm\" }\n"
            "[[test.judge]]\nrule = \"own/step\"\n";
        out.paths = "[[path]]\nrole = \"power-meter\"\n[[path.part]]\nname = \"p\"\nloss = \"3 dB\"\n";
        out.folder.write("step.toml",
                         "[analysis]\nname = \"step\"\ntitle = \"Step\"\nabout = \"a\"\ntaken_like = "
                         "\"power.level\"\nprogram = \"ripple.sh\"\n"
                         "[[input]]\nname = \"before\"\nhelp = \"first\"\n[[input]]\nname = "
                         "\"after\"\nhelp = \"second\"\n"
                         "[[result]]\nname = \"step\"\nunit = \"dB\"\nhelp = \"after less before\"\n"
                         "[[result]]\nname = \"before\"\nunit = \"dBm\"\nhelp = \"level before\"\n");
        write_program(
            out.folder,
            "request=$(cat)\n"
            "file() { printf '%s' \"$request\" | sed \"s/.*\\\"name\\\":\\\"$1\\\",[^}]*\\\"file"
            "\\\":\\\"\\([^\\\"]*\\)\\\".*/\\1/\"; }\n"
            "level() { awk -F, '!/^#/ && $2 + 0 > 0 { print $3 }' \"$(file $1)\"; }\n"
            "b=$(level before); a=$(level after)\n"
            "echo \"{\\\"result\\\": \\\"step\\\", \\\"value\\\": $(echo \"$a $b\" | awk '{ print $1 "
            "- $2 }'), \\\"unit\\\": \\\"dB\\\"}\"\n"
            "echo \"{\\\"result\\\": \\\"before\\\", \\\"value\\\": $b, \\\"unit\\\": "
            "\\\"dBm\\\"}\"\n" +
                done);
        return out;
    }();
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 0, (said.out + said.err));
    const auto run = stand.record();
    REQUIRE(run.points.size() == 1);
    REQUIRE_MESSAGE(run.points[0].find_result("step"), run.points[0].invalid);
    CHECK(run.points[0].find_result("step")->value.value == within(0.01, 10));
    // -20 dBm less 2 dB of cable, as the meter reads it, plus the 3 dB of its path.
    CHECK(run.points[0].find_result("before")->value.value == within(0.05, -19));
}
