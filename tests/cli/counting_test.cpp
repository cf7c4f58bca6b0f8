// Errors counted no longer than it takes, in campaigns; tables of counts as points.
#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "tests/about.hpp"
#include "tests/cli/stand.hpp"

using rt::Verdict;
using rt::lab::PointKind;

namespace {

// Levels from far above the receiver's half (-90 dBm, 1 dB wide) to far below it, counted with `keys`.
Stand levels(const std::string& keys) {
    Stand stand;
    stand.tests = Stand::counting("link", Stand::axis("level",
                                                      "sets = [\"generator.level\"]\nvalues = [\"-70 "
                                                      "dBm\", \"-84 dBm\", \"-90 dBm\", \"-100 dBm\"]")) +
                  "[[test.judge]]\nrule = \"own/errors\"\n";
    const std::string was = "packets = \"100\"";
    stand.tests.replace(stand.tests.find(was), was.size(), "packets = \"5000\"" + keys);
    return stand;
}

std::vector<std::pair<Verdict, double>> verdicts(const rt::lab::RunRecord& run) {
    std::vector<std::pair<Verdict, double>> out;
    for (const auto* point : points(run, PointKind::point)) {
        const auto* sent = point->find_result("packets_sent");
        REQUIRE(sent);
        REQUIRE(point->findings.size() == 1);
        out.emplace_back(point->findings[0].verdict, sent->value.value);
    }
    return out;
}

// What the levels come to in truth: the receiver's half is -90 dBm behind 2 dB of wire.
std::map<std::string, Verdict> fixed_verdicts() {
    return {{"-70 dBm", Verdict::pass},
            {"-84 dBm", Verdict::pass},
            {"-90 dBm", Verdict::fail},
            {"-100 dBm", Verdict::fail}};
}

}  // namespace

TEST_CASE("counting that may end early comes to the same verdicts in a fraction of the packets") {
    const Stand whole = levels("");
    REQUIRE(whole.run().code == 1);
    const auto fixed = verdicts(whole.record());
    for (const std::string keys : {", stop = \"sequential\"", ", stop = \"bounds\", at_once = 100"}) {
        CAPTURE(keys);
        const Stand stand = levels(keys);
        const Said said = stand.run();
        CHECK(said.code == 1);
        const auto early = verdicts(stand.record());
        REQUIRE(early.size() == fixed.size());
        double sent = 0;
        for (std::size_t i = 0; i < early.size(); ++i) {
            CHECK(early[i].first == fixed[i].first);
            CHECK(fixed[i].second == 5000);
            sent += early[i].second;
        }
        CHECK(sent < 4 * 5000 / 5);
        // What was counted is kept with what ended it: judged again it says the same; a stricter limit gets
        // no verdict from so few.
        CHECK(rare_tally(stand.folder.path(), {"judge", "run"}).code == 1);
        CHECK(rare_tally(stand.folder.path(), {"verify", "run"}).code == 0);
        std::string strict = rt::lab::read_file(stand.folder / "own.toml");
        const std::string limit = "max = \"1 %\"";
        strict.replace(strict.find(limit), limit.size(), "max = \"0.2 %\"");
        strict.replace(strict.find("id = \"own\""), 10, "id = \"strict\"");
        stand.folder.write("strict.toml", strict);
        const Said again = rare_tally(
            stand.folder.path(), {"judge", "run", "--rulebook", "strict.toml", "--instead", "own=strict"});
        CHECK_MESSAGE(again.code == 1, again.out);
        CHECK(contains(again.out, "counting ended as soon as 1 % was decided: count again for this limit"));
        CHECK(contains(again.out, "now:    0 PASS, 0 MARGINAL, 2 FAIL, 2 NONE"));
    }
}

TEST_CASE("ending early needs a limit, and a time to soak") {
    Stand stand = levels(", stop = \"sequential\"");
    stand.tests.erase(stand.tests.find("[[test.judge]]"));
    const Said none = stand.run();
    CHECK(none.code == 2);
    CHECK(contains(none.err, "parameter limit"));
    stand.tests.insert(stand.tests.find("stop = "), "limit = \"2 %\", ");
    const Said plan = stand.call({"check", "campaign.toml"});
    CHECK_MESSAGE(plan.code == 0, plan.err);
    CHECK(contains(levels(", stop = \"time\"").run().err, "needs the parameter time"));
    // A soak goes on for its time: packets of 1 ms in the stage's own clock.
    Stand soak = levels(", stop = \"time\", time = \"200 ms\", at_once = 50");
    soak.simulation = "";
    CHECK(soak.run({"--only", "link"}).code == 1);
    for (const auto* point : points(soak.record(), PointKind::point)) {
        const auto* time = point->find_result("counting_time");
        REQUIRE(time);
        CHECK(time->value.value >= 0.2);
    }
}

TEST_CASE("early endings go with searches, repeats, faults and runs that are carried on") {
    // The threshold of a search is that of whole counts, within a step.
    const auto searched = [](const std::string& keys) {
        Stand stand;
        stand.tests = Stand::counting("sensitivity", "") +
                      "[[test.sweep]]\naxis = \"level\"\nsets = [\"generator.level\"]\nsearch = { holds_at = "
                      "\"-70 dBm\", fails_at = \"-100 dBm\", resolution = \"0.5 dB\", result = "
                      "\"packet_error_ratio\", at_most = \"1 %\", gives = \"sensitivity\" }\n";
        const std::string was = "packets = \"100\"";
        stand.tests.replace(stand.tests.find(was), was.size(), "packets = \"4000\"" + keys);
        CHECK(stand.run().code == 0);
        const auto run = stand.record();
        double sent = 0, threshold = 0;
        std::string note;
        for (const auto& point : run.points) {
            if (const auto* n = point.find_result("packets_sent")) sent += n->value.value;
            if (const auto* s = point.find_result("sensitivity")) threshold = s->value.value;
            for (const auto& text : point.notes) note += text + "\n";
        }
        CHECK(contains(note, "in place of the 61 values of a grid"));
        return std::pair{threshold, sent};
    };
    const auto whole = searched(""), early = searched(", stop = \"sequential\", limit = \"1 %\"");
    CHECK(std::abs(whole.first - early.first) <= 0.5 + 1e-9);
    CHECK(early.second < whole.second / 2);
    // Repeats each decide for themselves; a run cut off and carried on comes to the same.
    Stand stand = levels(", stop = \"sequential\"");
    stand.tests.insert(stand.tests.find("procedure"), "repeats = 3\n");
    REQUIRE(stand.run().code == 1);
    const auto all = verdicts(stand.record());
    REQUIRE(all.size() == 12);
    cut_off(stand.folder / "run", 5);
    CHECK(rare_tally(stand.folder.path(), {"run", "--resume", "run", "--no-live", "--no-report"}).code == 1);
    const auto resumed = verdicts(stand.record());
    REQUIRE(resumed.size() == 12);
    for (std::size_t i = 0; i < all.size(); ++i) CHECK(resumed[i].first == all[i].first);
    // A fault in the middle of the counting is no decision.
    for (const char* kind : {"error-entry", "another-value", "restart"}) {
        Stand faulty = levels(", stop = \"sequential\", at_once = 20");
        faulty.simulation =
            "[[simulation.fault]]\nrole = \"counter\"\nkind = \"" + std::string(kind) + "\"\nafter = 9\n";
        const Said said = faulty.run();
        CAPTURE(kind);
        CHECK((said.code == 1 || said.code == 3 || said.code == 4));
        const auto truth = fixed_verdicts();
        for (const auto* point : points(faulty.record(), PointKind::point)) {
            REQUIRE(point->findings.size() == 1);
            const auto at = point->axes.back().second;
            const auto verdict = point->findings[0].verdict;
            CHECK((verdict == Verdict::none || verdict == truth.at(at)));
        }
    }
}

TEST_CASE("a table of counts with columns of settings is so many points") {
    TestFolder folder;
    std::string text = "rate [Mb/s],level [dBm],packets_sent,packets_received\n";
    for (const int rate : {6, 54})
        for (int level = -95; level <= -60; level += 5) {
            const int lost = level < (rate == 6 ? -82 : -65) ? 500 : 12;
            text += std::to_string(rate) + "," + std::to_string(level) + ",1000," +
                    std::to_string(1000 - lost) + "\n";
        }
    folder.write("table.csv", text);
    const Said said = rare_tally(folder.path(), {"measure", "receiver.error-rate", "table.csv", "--limit",
                                                 "packet_error_ratio <= 10 %", "--results", "results.csv"});
    CHECK(said.code == 1);
    CHECK(lines(said.out) == 1 + 16 + 1);
    CHECK(contains(said.out, "7 PASS"));
    CHECK(contains(said.out, "9 FAIL"));
    // What comes of it goes on into conclusions.
    const Said crossing = rare_tally(folder.path(), {"measure", "receiver.error-rate", "table.csv", "--json",
                                                     "--limit", "packet_error_ratio <= 10 %"});
    const auto json = nlohmann::json::parse(crossing.out);
    REQUIRE(json.size() == 16);
    CHECK(json[0]["point"] == "rate=6 Mbit/s level=-95 dBm");
    CHECK(json[0]["axes"]["level"] == "-95 dBm");
    CHECK(json[0]["measurement"]["findings"][0]["verdict"] == "FAIL");
    // One conclusion a rate: from -85 dBm (500 of 1000 lost) to -80 dBm (12) 10 % lie at -80.87 dBm, from -70
    // to -65 dBm at -65.87 dBm; limits that go by an axis find it.
    folder.write("own.toml",
                 "[rulebook]\nid = \"own\"\ntitle = \"own\"\nstandard = \"house rules\"\nedition = "
                 "\"1\"\nbasis = \"made up\"\n[[rule]]\nid = \"s\"\ntitle = \"s\"\nclause = "
                 "\"1\"\nquantity = \"q\"\napplies_to = \"sensitivity\"\nunit = \"dBm\"\nkind = "
                 "\"bound\"\nconfidence = \"sure\"\n[[rule.row]]\nwhen = { \"axis.rate\" = \"6 Mbit/s\" "
                 "}\nmax = \"-82 dBm\"\n[[rule.row]]\nwhen = { \"axis.rate\" = \"54 Mbit/s\" }\nmax = "
                 "\"-65 dBm\"\n");
    const Said curve =
        rare_tally(folder.path(), {"measure", "results.sensitivity", "results.csv", "--set", "over=level",
                                   "--set", "result=packet_error_ratio", "--set", "at_most=10 %",
                                   "--rulebook", "own.toml", "--rule", "own/s", "--json"});
    CHECK_MESSAGE(curve.code == 1, curve.err);
    const auto conclusions = nlohmann::json::parse(curve.out);
    REQUIRE(conclusions.size() == 2);
    const double expected[]{-80 - 5 * 8.8 / 48.8, -65 - 5 * 8.8 / 48.8};
    for (std::size_t i = 0; i < 2; ++i) {
        const auto& finding = conclusions[i]["measurement"]["findings"][0];
        CHECK(finding["value"].get<double>() == about(expected[i]).epsilon(1e-6));
        CHECK(finding["verdict"] == (i == 0 ? "FAIL" : "MARGINAL"));
    }
    // A rate that never meets its criterion has a bound, and keeps it in the file.
    folder.write("dead.csv",
                 "rate [Mb/s],level [dBm],packets_sent,packets_received\n6,-80,100,10\n6,-70,100,20\n");
    REQUIRE(rare_tally(folder.path(), {"measure", "receiver.error-rate", "dead.csv", "--results", "d.csv"})
                .code == 0);
    REQUIRE(rare_tally(folder.path(),
                       {"measure", "results.sensitivity", "d.csv", "--set", "over=level", "--set",
                        "result=packet_error_ratio", "--set", "at_most=10 %", "--results", "bound.csv"})
                .code == 0);
    CHECK(contains(rt::lab::read_file(folder / "bound.csv"), ">=-70"));
    // Rows with the same settings are added up, and that is said.
    folder.write("twice.csv",
                 "level [dBm],packets_sent,packets_received\n-80,100,99\n-80,100,97\n-70,50,50\n");
    const Said twice = rare_tally(
        folder.path(), {"measure", "receiver.error-rate", "twice.csv", "--results", "twice-results.csv"});
    CHECK(twice.code == 0);
    CHECK(contains(twice.out, "2 rows with these values are added up"));
    CHECK(contains(twice.out, "2 %"));
    const auto refused = [&](const std::string& heading, const std::string& row, const char* why) {
        folder.write("bad.csv", heading + "\n" + row + "\n");
        const Said bad = rare_tally(folder.path(), {"measure", "receiver.error-rate", "bad.csv"});
        CHECK(bad.code == 2);
        CHECK_MESSAGE(contains(bad.err, why), bad.err);
        CHECK(lines(bad.err) == 1);
    };
    refused("channel,packets_sent,packets_received", "3,100,99", "\"channel\" is not understood");
    refused("level [dBm],retries,packets_sent,packets_received", "-80,3,100,99",
            "\"retries\" is not understood");
    refused("level [dBm],packets_sent,packets_received", "-80,100,101", "more than were sent");
    refused("level [dBm],packets_sent", "-80,100", "packets_received");
    refused("level [dBm],packets_sent,packets_received", "-80,1.5,1", "is no count");
    refused("level [dBm],packets_sent,packets_received", ",100,99", "a setting is missing");
    refused("level [dBm],level [dBm],packets_sent,packets_received", "-80,-80,100,99", "two columns");
}
