// What a person sees before anything counts, and what the program says of itself.
#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "tests/cli/stand.hpp"
#include "tests/cli/typist.hpp"

using nlohmann::json;

TEST_CASE("measure draws a quick curve on request, and names procedures by family") {
    TestFolder folder;
    folder.write("scan.csv", "frequency [MHz],level [dBuV]\n0.15,40\n1,45\n10,30\n30,20\n");
    const Said plot = rare_tally(folder.path(), {"measure", "emission.scan", "scan.csv", "--plot", "--rule",
                                                 "cispr-32/mains-b-av", "--allow-partial"});
    CHECK(contains(plot.out, "Frequency in MHz (logarithmic)"));
    CHECK(contains(plot.out, "─"));  // the limit
    CHECK_FALSE(
        contains(rare_tally(folder.path(), {"measure", "emission.scan", "scan.csv"}).out, "logarithmic"));
    const Said machine =
        rare_tally(folder.path(), {"measure", "emission.scan", "scan.csv", "--plot", "--json"});
    CHECK(json::accept(machine.out));
    CHECK(contains(
        rare_tally(folder.path(), {"measure", "emission.scan", "scan.csv", "--plot", "--trace", "nothing"})
            .err,
        "--trace nothing: no such curve"));
    const Said family = rare_tally(folder.path(), {"measure", "--list", "emission"});
    CHECK(lines(family.out) == 2);
    CHECK(contains(family.out, "emission.scan   Disturbance level against frequency"));
    CHECK(contains(rare_tally(folder.path(), {"measure", "--list", "emision"}).err,
                   "did you mean \"emission\"?"));
    CHECK(contains(rare_tally(folder.path(), {"measure", "--list", "emission.scan"}).out,
                   "parameters (name, default"));
}

TEST_CASE("what comes in at an instrument is shown again and again until Enter") {
    Stand stand;
    stand.write();
    const std::vector<std::string> look{"bench",       "bench.toml",    "--look", "analyser",
                                        "--procedure", "emission.scan", "--set",  "start=1 MHz",
                                        "--set",       "stop=2 MHz",    "--set",  "bandwidth=9 kHz",
                                        "--set",       "detector=peak"};
    const Said shown = at_terminal(stand.folder.path(), look, {{"\n", "Enter ends it"}});
    CHECK_MESSAGE(shown.code == 0, shown.out);
    CHECK(contains(shown.out, "analyser: 1 MHz to 2 MHz"));
    CHECK(contains(shown.out, "highest level"));
    const Said once = rare_tally(stand.folder.path(), look);  // nobody to press it
    CHECK(once.code == 0);
    CHECK_FALSE(contains(once.out, "\x1b"));
    CHECK(contains(rare_tally(stand.folder.path(), {"bench", "bench.toml", "--look", "analyzer"}).err,
                   "did you mean \"analyser\"?"));
    CHECK(contains(rare_tally(stand.folder.path(), {"bench", "bench.toml", "--look", "generator"}).err,
                   "say by --procedure what is to be looked at"));
    CHECK(contains(
        rare_tally(stand.folder.path(), {"bench", "bench.toml", "--look", "power-meter", "--procedure",
                                         "emission.scan", "--set", "start=1 MHz", "--set", "stop=2 MHz",
                                         "--set", "detector=peak", "--set", "bandwidth=9 kHz"})
            .err,
        "takes its captures with an instrument of kind analyser"));
    CHECK(contains(rare_tally(stand.folder.path(),
                              {"bench", "bench.toml", "--look", "power-meter", "--set", "frequency=1 GHz"})
                       .out,
                   "power -"));
}

TEST_CASE("at a prompt the operator looks at what comes in before he goes on, and nothing of it is kept") {
    Stand stand;
    stand.tests =
        Stand::scanning("scan", "prompt = \"Connect the cable\"\nsettings = { \"unit.state\" = \"loud\" }\n");
    stand.write();
    const Said said =
        at_terminal(stand.folder.path(), {"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"},
                    {{"look\n"}, {"\n", "Enter ends it"}, {"go\n"}});
    CHECK_MESSAGE(said.code == 0, said.out);
    CHECK(contains(said.out, "Connect the cable  [go, look, skip or stop; Enter means go]"));
    CAPTURE(said.out);
    CHECK(contains(said.out, "highest level 70 dBµV"));  // as the unit was set, not as it was before
    CHECK(stand.record().points.size() == 1);
    CHECK(stand.record().points[0].position == 1);
}

TEST_CASE("rules are listed by book and found by words, dialects shown, keys explained") {
    TestFolder folder;
    const auto said = [&](std::vector<std::string> words) {
        return rare_tally(folder.path(), std::move(words));
    };
    const Said books = said({"rules"});
    CHECK(contains(books.out, "cispr-32 "));
    CHECK(contains(books.out, " rules in 19 books"));
    CHECK(lines(books.out) == 20);
    const Said book = said({"rules", "list", "usb-2.0"});
    CHECK(contains(book.out, "usb-2.0/chirp-length"));
    CHECK_FALSE(contains(book.out, "cispr-32/"));
    CHECK(contains(said({"rules", "list", "usb2"}).err, "usb-2.0"));
    CHECK(contains(said({"rules", "search", "Occupied", "BANDWIDTH"}).out, "en-300-328/band-low"));
    CHECK(contains(said({"rules", "search", "no", "such", "words"}).out, "no rule has these words"));
    CHECK(json::parse(said({"rules", "search", "chirp", "--json"}).out).size() >= 7);
    CHECK(contains(said({"dialects", "show", "unit-control"}).out, "id = \"unit-control\""));
    CHECK(contains(said({"dialects", "show", "unit-controll"}).err, "did you mean \"unit-control\"?"));
    CHECK(contains(said({"explain", "soak"}).out, "what is waited at each change"));
    CHECK(contains(said({"explain", "test.sweep"}).out, "One axis. It has values"));
    CHECK(contains(said({"explain", "campaign"}).out, "[[test]]"));
    CHECK(contains(said({"explain", "dwell"}).out, "parameter of emission.scan"));
    CHECK(contains(said({"explain", "attenuation"}).out, "attenuator of the source"));
    const Said slip = said({"explain", "sweeep"});
    CHECK(slip.code == 2);
    CHECK(contains(slip.err, "did you mean"));
    CHECK(contains(said({"help", "measure"}).out, "Example:"));
    CHECK(contains(said({"help", "mesure"}).err, "did you mean \"measure\"?"));
    const auto version = json::parse(said({"--version", "--json"}).out);
    CHECK(version["program"] == "rare-tally");
    CHECK(version["libraries"].size() > 5);
}

TEST_CASE(
    "a parameter set on the command line counts above the campaign, is kept and shown, and a dry run moves "
    "nothing") {
    Stand stand;
    stand.tests =
        Stand::scanning("scan", "") + "[[test.judge]]\nrule = \"own/loud\"\n" + Stand::scanning("other", "");
    stand.write();
    const Said dry = stand.run({"--dry-run", "--set", "scan.stop=3 MHz"});
    CHECK_MESSAGE(dry.code == 0, dry.err);
    CHECK(contains(dry.out, "1 MHz to 3 MHz"));
    CHECK_FALSE(std::filesystem::exists(stand.folder / "run"));
    CHECK(stand.run({"--set", "scan.stop=3 MHz", "--only", "own/loud"}).code == 0);
    const auto run = stand.record();
    REQUIRE(run.points.size() == 1);  // "other" is not judged by that rule
    CHECK(run.points[0].test == "scan");
    const auto stop = [](const auto& parameter) {
        return parameter.first == "stop" && parameter.second == "3 MHz";
    };
    CHECK(std::any_of(run.points[0].parameters.begin(), run.points[0].parameters.end(), stop));
    // Carried on and judged again by what was kept.
    CHECK(rare_tally(stand.folder.path(),
                     {"run", "--resume", "run", "--redo", "scan", "--no-live", "--no-report"})
              .code == 0);
    const auto again = stand.record();
    CHECK(std::any_of(again.points[0].parameters.begin(), again.points[0].parameters.end(), stop));
    std::filesystem::remove_all(stand.folder / "run");
    CHECK(contains(stand.run({"--set", "scann.stop=3 MHz"}).err, "did you mean \"scan\"?"));
    CHECK(contains(stand.run({"--set", "scan.stopp=3 MHz"}).err, "stop"));
    CHECK(contains(stand.run({"--set", "stop=3 MHz"}).err, "write TEST.PARAMETER=VALUE"));
    CHECK(contains(stand.run({"--only", "clause 99"}).err, "has no test \"clause 99\""));
    CHECK(stand.run({"--only", "1"}).code == 0);  // the clause of the rule
    CHECK(stand.record().points.size() == 1);
}
