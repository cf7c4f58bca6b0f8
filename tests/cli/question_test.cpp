// Questions before a run, prompts before a test, and doing without the operator.
#include <doctest/doctest.h>

#include "lab/tally/tally.hpp"
#include "tests/cli/typist.hpp"
#include "tests/cli/world.hpp"

namespace {

const std::string questions =
    "[[question]]\nname = \"battery\"\nask = \"Is the battery charged?\"\ndefault = \"yes\"\n"
    "[[question]]\nname = \"cell-date\"\nask = \"Date on the cell?\"\nkind = \"date-not-past\"\n"
    "[[question]]\nname = \"supply\"\nask = \"Supply voltage?\"\nkind = \"value\"\nmin = \"11.5 V\"\nmax = "
    "\"12.5 V\"\n"
    "[[question]]\nname = \"serial\"\nask = \"Scan the serial number\"\nkind = \"text\"\nsets = \"serial\"\n";

const std::string good = "cell-date = 2099-01-31\nsupply = \"12 V\"\nserial = \"SK2-0042\"\nbattery = true\n";

World asking() {
    World world;
    world.unit += questions;
    return world;
}

Said with_answers(const World& world, const std::string& answers) {
    world.folder.write("answers.toml", answers);
    return world.call({"run", "campaign.toml", "--out", "run", "--answers", "answers.toml", "-q"});
}

// The run does not begin: exit 2, one line, no folder.
std::string refused(const std::string& answers) {
    const World world = asking();
    const Said said = with_answers(world, answers);
    CHECK(said.code == 2);
    CHECK(lines(said.err) == 1);
    CHECK_FALSE(std::filesystem::exists(world.folder / "run"));
    return said.err;
}

std::string without(const std::string& name) {
    const auto at = good.find(name);
    return good.substr(0, at) + good.substr(good.find('\n', at) + 1);
}

}  // namespace

TEST_CASE("answers from a file are checked, kept and shown; the scanned serial becomes the unit's") {
    const World world = asking();
    CHECK(with_answers(world, good).code == 0);
    const auto run = rt::lab::Tally::open(world.folder / "run").read();
    CHECK(run.fact("answer.supply") == "12 V");
    CHECK(run.fact("answer.battery") == "yes");
    CHECK(run.fact("unit.serial") == "SK2-0042");
    const std::string html = rt::lab::read_file(world.folder / "run/report/report.html");
    CHECK(contains(html, "Answered before the run"));
    CHECK(contains(html, "SK2-0042"));
    for (const char* file : {"connections.svg", "live.html"}) {
        CAPTURE(file);
        CHECK(contains(rt::lab::read_file(world.folder / "run" / file), "SK2-0042"));
    }
    // Carried on, nothing is asked again.
    CHECK(rare_tally(world.folder.path(), {"run", "--resume", "run", "-q"}).code == 0);
}

TEST_CASE("a pre-check that is not met keeps the run from beginning") {
    CHECK(
        contains(refused(without("battery") + "battery = \"no\"\n"),
                 "campaign.toml:8:1: question \"battery\" (Is the battery charged?): not met: answered no"));
    CHECK(contains(refused(without("cell-date") + "cell-date = 2020-01-31\n"),
                   "not met: 2020-01-31 has passed"));
    CHECK(contains(refused(without("supply") + "supply = \"13 V\"\n"),
                   "not met: 13 V is not 11.5 V to 12.5 V"));
    CHECK(contains(refused(without("supply") + "supply = \"12 kHz\"\n"), "is a frequency: write a voltage"));
    CHECK(contains(refused(without("battery") + "battery = \"maybe\"\n"), "\"maybe\" is neither yes nor no"));
    CHECK(contains(refused(good + "weather = \"fine\"\n"),
                   "answers.toml:5:1: no question or prompt \"weather\" in the campaign"));
    CHECK(contains(refused(without("supply")), "question \"supply\" (Supply voltage?): nobody answers"));
}

TEST_CASE("unattended, defaults answer; what has none must be in the file") {
    const World world = asking();
    const Said said = world.call({"run", "campaign.toml", "--out", "run", "--unattended", "-q"});
    CHECK(said.code == 2);
    CHECK(contains(said.err, "question \"cell-date\" (Date on the cell?): nobody answers"));
    world.folder.write("answers.toml", without("battery"));
    CHECK(
        world
            .call({"run", "campaign.toml", "--out", "run", "--unattended", "--answers", "answers.toml", "-q"})
            .code == 0);
    CHECK(rt::lab::Tally::open(world.folder / "run").read().fact("answer.battery") == "yes");
}

TEST_CASE("questions are checked when the campaign is read") {
    World world;
    world.unit += "[[question]]\nname = \"a\"\nask = \"?\"\nkind = \"value\"\n";
    CHECK(contains(world.check().err, "a value needs min or max"));
    World twice;
    twice.unit += questions + "[[question]]\nname = \"serial\"\nask = \"again\"\n";
    CHECK(contains(twice.check().err, "is the name of an earlier question"));
}

TEST_CASE("a prompt needs somebody, or the word that everything is in place") {
    World world;
    world.test += "prompt = \"Connect the analyser to the supply port\"\n";
    const Said nobody = world.run();
    CHECK(nobody.code == 2);
    CHECK(contains(
        nobody.err,
        "test \"scan\" has a prompt but nobody is: run on a terminal, answer it in an --answers file"));
    CHECK_FALSE(std::filesystem::exists(world.folder / "run"));
    CHECK(world.call({"run", "campaign.toml", "--out", "run", "--unattended", "-q"}).code == 0);
    const auto run = rt::lab::Tally::open(world.folder / "run").read();
    REQUIRE(run.events.size() == 1);
    CHECK(run.events[0].text == "scan: Connect the analyser to the supply port (done)");
}

TEST_CASE("on a terminal the operator answers, skips and stops") {
    World world = asking();
    std::string second = world.test + world.judge;
    second.replace(second.find("\"scan\""), 6, "\"other\"");
    world.test += "prompt = \"Turn the unit round\"\n";
    world.sweep += second;
    world.write();
    const Said skipped = at_terminal_lines(world.folder.path(), {"run", "campaign.toml", "--out", "run"},
                                           {"yes", "2099-01-31", "12 V", "SK2-0042", "skip"});
    CHECK(contains(skipped.out, "Is the battery charged?  [yes or no"));
    CHECK(contains(skipped.out, "scan: Turn the unit round  [go, look, skip or stop; Enter means go]"));
    const auto run = rt::lab::Tally::open(world.folder / "run").read();
    CHECK(run.points.size() == 1);  // of the other test
    CHECK(run.points[0].test == "other");
    CHECK(run.fact("state") == "stopped");
    CHECK(run.fact("unit.serial") == "SK2-0042");
    // The skipped test can be measured later.
    at_terminal_lines(world.folder.path(), {"run", "--resume", "run"}, {"go"});
    const auto whole = rt::lab::Tally::open(world.folder / "run").read();
    CHECK(whole.points.size() == 3);
    CHECK(whole.fact("state") == "complete");
}

TEST_CASE("an answer that will not do is asked for again with the reason, and Enter takes the default") {
    World world = asking();
    world.write();
    const Said said =
        at_terminal_lines(world.folder.path(), {"run", "campaign.toml", "--out", "run", "--no-report"},
                          {"", "31.1.2099", "2099-01-31", "13 V", "12 bananas", "12 V", "", "SK2-0042"});
    CHECK(said.code == 0);
    CHECK(contains(said.out, "Is the battery charged?  [yes or no; Enter means yes]"));
    CHECK(contains(said.out, "\"31.1.2099\" is no date: write it as 2027-05-31"));
    CHECK(contains(said.out, "not met: 13 V is not 11.5 V to 12.5 V"));
    CHECK(contains(said.out, "the answer is empty"));
    const auto run = rt::lab::Tally::open(world.folder / "run").read();
    CHECK(run.fact("answer.battery") == "yes");
    CHECK(run.fact("answer.supply") == "12 V");
    // Whoever cannot answer it ends it, and nothing was begun.
    std::filesystem::remove_all(world.folder / "run");
    const Said stopped =
        at_terminal_lines(world.folder.path(), {"run", "campaign.toml", "--out", "run"}, {"no", "stop"});
    CHECK(stopped.code == 2);
    CHECK(contains(stopped.out, "not met: answered no"));
    CHECK_FALSE(std::filesystem::exists(world.folder / "run"));
}

TEST_CASE("an answers file may answer for tests that are left out this time") {
    World world;
    std::string second = world.test + world.judge;
    second.replace(second.find("\"scan\""), 6, "\"other\"");
    world.test += "prompt = \"Connect the analyser\"\n";
    world.sweep += second;
    world.write();
    world.folder.write("answers.toml", "scan = \"go\"\n");
    const std::vector<std::string> arguments{"run",       "campaign.toml", "--out", "run",
                                             "--answers", "answers.toml",  "-q"};
    auto only = arguments;
    only.insert(only.end(), {"--only", "other"});
    CHECK(rare_tally(world.folder.path(), only).code == 0);
    world.folder.write("answers.toml", "scann = \"go\"\n");
    CHECK(contains(rare_tally(world.folder.path(), only).err, "no question or prompt \"scann\""));
}
