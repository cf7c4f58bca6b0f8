// A modem attached to testers with cells: power by command, sessions that are lost.
#include <doctest/doctest.h>

#include <cmath>
#include <map>
#include <set>

#include "tests/about.hpp"
#include "tests/cli/shipped_campaign.hpp"

using rt::Verdict;

namespace {

struct Attached : ShippedCampaign {
    Attached() : ShippedCampaign("attached", "simulated-modem.toml", {}) {}
    Said run(const std::string& only = "") {
        std::vector<std::string> words{"run",       "campaign.toml", "--out",       "run",
                                       "--no-live", "--no-report",   "--unattended"};
        if (!only.empty()) words.insert(words.end(), {"--only", only});
        return tell(words);
    }
    // One carrier; the maximum once.
    void shorten() {
        replace(campaign, "channels = [\"low\", \"middle\", \"high\"]", "channels = [\"middle\"]");
        replace(campaign, "values = [\"qpsk\", \"64qam\"]", "values = [\"qpsk\"]");
    }
    std::size_t events(const std::string& text) {
        const auto run = record();
        return static_cast<std::size_t>(std::count_if(
            run.events.begin(), run.events.end(),
            [&](const auto& event) { return event.kind == "association" && contains(event.text, text); }));
    }
};

}  // namespace

TEST_CASE(
    "the demo's modem, attached: power as commanded, both cells at once, lost sessions measured again") {
    Attached modem;
    const Said said = modem.run();
    CHECK_MESSAGE(said.code == 0, (said.err + said.out));
    const auto run = modem.record();
    REQUIRE(run.points.size() == 13);
    std::size_t judged = 0;
    struct Level {
        const char* result;
        double tolerance, value;
    };
    const std::map<std::string, std::vector<Level>> levels{
        {"lte-maximum", {{"power", 0.1, 22.6}}},
        {"lte-minimum", {{"power", 0.3, -43}}},
        {"lte-steps", {{"highest_power", 0.1, 0}, {"lowest_power", 0.1, -6}, {"step_error", 0.1, 0}}},
        {"both", {{"total_power", 0.2, 20 + 3.01}}}};
    std::map<std::string, int> points_of;
    for (const auto& point : run.points) {
        CAPTURE(point.test + " " + point.label);
        CHECK(point.invalid.empty());
        for (const auto& finding : point.findings)
            judged += finding.verdict == Verdict::pass || finding.verdict == Verdict::marginal;
        // The modem's own levels, from its file; the way to the tester is taken out.
        ++points_of[point.test];
        for (const auto& [name, tolerance, value] : levels.at(point.test))
            CHECK(result(point, name) == within(tolerance, value));
    }
    CHECK(points_of ==
          std::map<std::string, int>{{"both", 1}, {"lte-maximum", 6}, {"lte-minimum", 3}, {"lte-steps", 3}});
    CHECK(judged == 6 * 4 + 3 + 3 + 5);
    CHECK(modem.events("did not stand; up again") >= 2);
}

TEST_CASE(
    "steps of power that are told by the tester: others than stated fail, at the end of what it can they "
    "stop") {
    Attached modem;
    modem.shorten();
    modem.replace(modem.campaign, "\"-1, -1, -1, -1, -1, -1\"", "\"-1, -1, -6, -1, -1, -1\"");
    CHECK(modem.run("lte-steps").code == 1);
    REQUIRE(modem.record().points.size() == 1);
    CHECK(result(modem.record().points[0], "step_error") == within(0.1, -5));
    CHECK(modem.record().points[0].findings.at(0).verdict == Verdict::fail);
    // From below its highest level up: the last steps cannot be carried out.
    Attached up;
    up.shorten();
    up.replace(up.campaign, "\"-1, -1, -1, -1, -1, -1\"", "\"4, 4, 4, 4\"");
    up.replace(up.campaign, "\"lte-tester.power_target\" = \"0 dBm\"",
               "\"lte-tester.power_target\" = \"10 dBm\"");
    up.replace(up.campaign, "step = \"-1 dB\"", "step = \"4 dB\"");
    up.replace(up.campaign, "duration = \"17 ms\", reference_level = \"-10 dBm\"",
               "duration = \"13 ms\", reference_level = \"13 dBm\"");
    CHECK(up.run("lte-steps").code == 0);
    REQUIRE(up.record().points.size() == 1);
    CHECK(result(up.record().points[0], "highest_power") == within(0.1, 22.6));
    CHECK(result(up.record().points[0], "step_error") == within(0.1, -3.4));
    CHECK(up.record().points[0].findings.at(0).verdict == Verdict::pass);
    // What is no list of steps is refused by the tester, and nothing is measured.
    Attached wrong;
    wrong.shorten();
    wrong.replace(wrong.campaign, "\"-1, -1, -1, -1, -1, -1\"", "\"down, down\"");
    const Said said = wrong.run("lte-steps");
    CHECK(said.code == 3);
    CHECK(contains(said.err, "does not take power_pattern"));
}

TEST_CASE("a session lost while it is measured: once more, and at last without verdict") {
    Attached modem;
    modem.shorten();
    // Attached for less than a record and its questions take.
    modem.replace(modem.unit, "drops_after = \"1 s\"", "drops_after = \"0.06 s\"");
    CHECK(modem.run("lte-maximum").code == 4);
    const auto run = modem.record();
    REQUIRE(run.points.size() == 1);
    for (const auto& finding : run.points[0].findings) CHECK(finding.verdict == Verdict::none);
    CHECK_FALSE(run.points[0].findings.empty());
    CHECK_FALSE(run.points[0].invalid.empty());
}

TEST_CASE("a modem that does not attach gives no verdict, and says why") {
    Attached modem;
    modem.shorten();
    modem.replace(modem.campaign, "\"lte-tester.downlink_level\" = \"-57 dBm\"",
                  "\"lte-tester.downlink_level\" = \"-90 dBm\"");
    modem.replace(modem.campaign, "must_hold = true\n", "must_hold = true\nwithin = \"1 s\"\n");
    const Said said = modem.run("lte-maximum");
    CHECK(said.code == 4);
    CHECK(contains(said.out, "a link that it needs did not come up"));
    CHECK(modem.events("does not come up within 1 s; no verdict") == 1);
}

TEST_CASE("one of two sessions lost leaves both together without verdict") {
    Attached modem;
    modem.replace(modem.campaign, "\"nr-tester.downlink_level\" = \"-50 dBm\"",
                  "\"nr-tester.downlink_level\" = \"-99 dBm\"");
    modem.replace(modem.campaign, "settings = { \"nr-tester.connection\" = \"ON\" }",
                  "settings = { \"nr-tester.connection\" = \"ON\" }\nwithin = \"0.5 s\"");
    CHECK(modem.run("both").code == 4);
    CHECK(modem.events("the link nr-tester.connection does not come up") >= 1);
    for (const auto& finding : modem.record().points.at(0).findings) CHECK(finding.verdict == Verdict::none);
}

TEST_CASE(
    "what the cell tells is what is sent: another identity is no measurement, a part of the blocks is one") {
    Attached modem;
    modem.shorten();
    std::string kept = modem.campaign;
    modem.replace(modem.campaign, "\"lte-tester.identity\" = \"37\"", "\"lte-tester.identity\" = \"38\"");
    CHECK(modem.run("lte-maximum").code == 4);
    std::filesystem::remove_all(modem.folder / "run");
    modem.campaign = kept;
    modem.replace(
        modem.campaign, "\"lte-tester.cell\" = \"ON\"",
        "\"lte-tester.cell\" = \"ON\"\n\"lte-tester.first_block\" = \"4\"\n\"lte-tester.blocks\" = \"12\"");
    modem.replace(modem.campaign, "parameters = { cell = 37, sample_rate",
                  "parameters = { cell = 37, first_block = 4, blocks = 12, sample_rate");
    CHECK(modem.run("lte-maximum").code == 0);
}

TEST_CASE("a tester of mobile devices records samples, and sweeps nothing") {
    Attached modem;
    modem.replace(modem.campaign, "procedure = \"cellular.power\"", "procedure = \"cellular.leakage\"");
    modem.replace(modem.campaign, "rules = [\"ts-36.521-1/minimum-power\"]",
                  "rules = [\"ts-36.521-1/leakage\"]");
    const Said said = modem.tell({"check", "campaign.toml"});
    CHECK(said.code == 2);
    CHECK(contains(said.err, "needs an instrument of kind analyser"));
    // With samples it can.
    modem.replace(modem.campaign, "parameters = { technology = \"lte\", sample_rate = \"15.36 MHz\"",
                  "parameters = { technology = \"lte\", by = \"samples\", sample_rate = \"61.44 MHz\"");
    CHECK(modem.tell({"check", "campaign.toml"}).code == 0);
    CHECK(contains(modem.tell({"bench", "bench.toml", "--try"}).out, "1 GHz, samples at 1 MHz for 1 ms"));
    // Nothing is sent, and nobody attaches, without leave.
    CHECK(contains(modem.tell({"bench", "bench.toml", "--try"}).out, "CELL:STATe OFF"));
    CHECK(contains(modem.tell({"bench", "bench.toml", "--try", "--allow", "outputs"}).out, "CELL:STATe ON"));
}
