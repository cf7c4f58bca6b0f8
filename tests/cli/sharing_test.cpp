// Interference that is switched on and off while a record runs: the shipped campaign, what goes wrong on the
// way, what check refuses.
#include <doctest/doctest.h>

#include "tests/about.hpp"
#include "tests/cli/shipped_campaign.hpp"

using rt::Verdict;

namespace {

struct Gateway : ShippedCampaign {
    Gateway() : ShippedCampaign("sharing", "simulated-gateway.toml", {"gateway-control.toml"}) {}
    Said run(const std::string& out = "run") {
        return tell({"run", "campaign.toml", "--only", "reaction", "--out", out, "--no-live", "--no-report"});
    }
};

}  // namespace

TEST_CASE("the demo's gateway: one channel listens, one is late, one is deaf") {
    TestFolder folder;
    const auto played = [&](const std::string& out) {
        const Said said = rare_tally(folder.path(), {"demo", "sharing", "--out", out});
        CHECK_MESSAGE(said.code == 1, said.err);
        return rt::lab::Tally::open(folder / (out + "/sharing-run")).read();
    };
    // Where the machine stands still for as long as the interference lasts there is rightly no verdict.
    const auto undecided = [](const rt::lab::RunRecord& run) {
        return std::any_of(run.points.begin(), run.points.end(), [](const auto& point) {
            return std::any_of(point.findings.begin(), point.findings.end(),
                               [](const auto& finding) { return finding.verdict == Verdict::none; });
        });
    };
    auto run = played("demo");
    for (int again = 0; again < 3 && undecided(run); ++again) run = played("demo-" + std::to_string(again));
    REQUIRE(run.points.size() == 10);
    for (std::size_t i = 0; i < 3; ++i) {
        // Occupancies of 5.4 ms with 0.4 ms between them.
        CHECK(result(run.points[i], "longest_occupancy") == within(5e-6, 5.4e-3));
        CHECK(result(run.points[i], "smallest_idle_share") == within(0.2, 100 * 0.4 / 5.4));
        for (const auto& finding : run.points[i].findings) CHECK(finding.verdict == Verdict::pass);
    }
    // -64 dBm/MHz over 20 MHz is -50.99 dBm at the unit: 10 dB stronger at the generator, 17 dB weaker behind
    // the coupler, 20 dB of attenuation taken off again.
    for (std::size_t i = 3; i < 6; ++i) {
        CHECK(result(run.points[i], "interference_power") ==
              within(0.5, -50.99 + 10 - 17 + 20 - 10 * std::log10(20 / 4)));
        // Switched for 200 ms, as far as the machine keeps time.
        CHECK(result(run.points[i], "interference_time") == within(0.1, 0.2));
    }
    CHECK(result(run.points[3], "reaction_time") <= 5.5e-3);
    CHECK(run.points[3].findings.at(0).verdict == Verdict::pass);
    CHECK(result(run.points[3], "control_share") == within(0.7, 100 * 4.5 * 0.3 / 50));
    CHECK(run.points[3].findings.at(1).verdict == Verdict::pass);
    CHECK(result(run.points[4], "reaction_time") > 18e-3);
    CHECK(result(run.points[4], "reaction_time") < 36e-3);
    CHECK(run.points[4].findings.at(0).verdict == Verdict::fail);
    CHECK(result(run.points[5], "reaction_time") > 0.13);
    CHECK(run.points[5].findings.at(0).verdict == Verdict::fail);
    // A blocker comes 100 ms later. Whom it deafens begins again, which is the worse of its two reactions.
    CHECK(run.points[6].findings.at(0).verdict == Verdict::pass);
    CHECK(run.points[6].findings.at(1).verdict == Verdict::pass);
    CHECK(result(run.points[7], "reaction_time") > 0.13);
    CHECK(run.points[7].findings.at(0).verdict == Verdict::fail);
    CHECK(run.points[8].findings.at(0).verdict == Verdict::fail);
    // On 5 GHz by the other standard: class 3 has 4 ms.
    CHECK(result(run.points[9], "longest_occupancy") == within(2e-5, 3.6e-3));
    for (const auto& finding : run.points[9].findings)
        CHECK_MESSAGE(finding.verdict == Verdict::pass, finding.reason);
}

TEST_CASE("an interferer that fails, or does not switch, gives no verdict; the next points are right again") {
    for (const std::string kind : {"error-entry", "drop", "cut", "another-value", "panel", "slow"}) {
        CAPTURE(kind);
        Gateway gateway;
        // Somewhere between the settings of the first point and the end of the second.
        for (const int after : {11, 14, 17}) {
            CAPTURE(after);
            Gateway now;
            now.bench += "\n[[simulation.fault]]\nrole = \"interferer\"\nkind = \"" + kind +
                         "\"\nafter = " + std::to_string(after) + "\n";
            Gateway::replace(now.bench, "role = \"interferer\"\n",
                             "role = \"interferer\"\ntimeout = \"700 ms\"\n");
            const Said said = now.run();
            const auto run = now.record();
            for (const auto& point : run.points) {
                REQUIRE_FALSE(point.findings.empty());
                const bool first =
                    contains(point.axes.at(0).second, "1") && point.axes.at(0).second.size() == 1;
                // Only the first channel may pass.
                CHECK((first || point.findings.at(0).verdict != Verdict::pass));
                if (point.findings.at(0).verdict == Verdict::pass)
                    CHECK(result(point, "interference_time") == within(0.1, 0.2));
            }
            CHECK_MESSAGE((said.code == 1 || said.code == 3 || said.code == 4), said.err);
        }
    }
}

TEST_CASE("without interference, or with too little, there is no verdict") {
    for (const char* level : {"-130 dBm", "-104 dBm/MHz over 20 MHz"}) {
        Gateway gateway;
        Gateway::replace(gateway.campaign, "-64 dBm/MHz over 20 MHz", level);
        const Said said = gateway.run();
        CHECK_MESSAGE(said.code == 4, said.err);
        const auto run = gateway.record();
        REQUIRE(run.points.size() == 3);
        for (const auto& point : run.points) {
            for (const auto& finding : point.findings) {
                CHECK(finding.verdict == Verdict::none);
                CHECK(contains(finding.reason, "no interference is seen in the record"));
            }
        }
    }
}

TEST_CASE("repeats and redo begin with the interferer off") {
    Gateway gateway;
    Gateway::replace(
        gateway.campaign,
        "procedure = \"radio.occupancy\"\nsweeps = [\"channels\", \"frequencies\"]\nsettings",
        "procedure = \"radio.occupancy\"\nrepeats = 2\nsweeps = [\"channels\", \"frequencies\"]\nsettings");
    const Said said = gateway.run();
    CHECK_MESSAGE(said.code == 1, said.err);
    const auto run = gateway.record();
    REQUIRE(run.points.size() == 6);
    for (const auto& point : run.points) CHECK(result(point, "interference_time") == within(0.1, 0.2));
    std::size_t switched = 0;
    for (const auto& event : run.events) switched += event.kind == "switched";
    CHECK(switched == 12);
}

TEST_CASE("check refuses what cannot be switched while a record runs") {
    const auto refused = [](const std::string& old, const std::string& by) {
        Gateway gateway;
        Gateway::replace(gateway.campaign, old, by);
        const Said said = gateway.tell({"check", "campaign.toml"});
        CHECK(said.code == 2);
        CHECK(lines(said.err) >= 1);
        return said.err;
    };
    CHECK(contains(refused("\"interferer.output\" = \"OFF\"\n", ""), "what is it before the record?"));
    CHECK(contains(refused("after = \"300 ms\"", "after = \"500 ms\""), "the record lasts 400 ms"));
    CHECK(contains(refused("after = \"300 ms\"", "after = \"100 ms\""), "later than the one before"));
    CHECK(contains(refused("settings = { \"interferer.output\" = \"ON\" }",
                           "settings = { \"interferer.level\" = \"-3 dBm\" }"),
                   "only what is switched"));
    CHECK(contains(
        refused("settings = { \"interferer.output\" = \"ON\" }", "settings = { \"unit.traffic\" = \"OFF\" }"),
        "no setting of an instrument"));
    CHECK(contains(refused("\"-64 dBm/MHz over 20 MHz\"", "\"-64 dBm/MHz over 20 dB\""), "\"20 dB\""));
    CHECK(contains(refused("\"-64 dBm/MHz over 20 MHz\"", "\"-64 dBm over 20 MHz\""), "power density"));
}
