// The demo's receiver: both tables of packet errors come to the same verdicts, one in a fraction of the time.
#include <doctest/doctest.h>

#include "lab/tally/tally.hpp"
#include "tests/about.hpp"
#include "tests/cli/program.hpp"
#include "tests/lab/folder.hpp"

using rt::Verdict;

TEST_CASE("the demo's receiver: counted and decided say the same, in a fifth of the time at most") {
    TestFolder folder;
    const Said said = rare_tally(folder.path(), {"demo", "receiver", "--out", "demo"});
    CHECK_MESSAGE(said.code == 1, said.err);
    const auto run = rt::lab::Tally::open(folder / "demo/gateway").read();
    std::map<std::string, double> sent, saved;
    std::map<std::string, std::vector<std::pair<std::string, Verdict>>> verdicts;
    std::map<std::string, std::vector<double>> levels;
    for (const auto& point : run.points) {
        if (const auto* n = point.find_result("packets_sent")) sent[point.test] += n->value.value;
        if (const auto* s = point.find_result("time_saved")) saved[point.test] += s->value.value;
        for (const auto& f : point.findings) verdicts[point.test].emplace_back(f.rule, f.verdict);
        if (const auto* s = point.find_result("sensitivity")) levels[point.test].push_back(s->value.value);
    }
    CHECK(sent.at("errors-counted") == 8 * 23 * 1000);
    CHECK(sent.at("errors-decided") < sent.at("errors-counted") / 5);
    // 1 ms a packet: what was not sent was saved.
    CHECK(saved.at("errors-decided") ==
          about(1e-3 * (sent.at("errors-counted") - sent.at("errors-decided"))).epsilon(1e-6));
    REQUIRE(verdicts.at("sensitivity-counted").size() == 16);
    CHECK(verdicts.at("sensitivity-counted") == verdicts.at("sensitivity-decided"));
    // The simulated half levels are -88, -85.2, -82.6, -80, none, -71.4, -67.2 and -67 dBm; 10 % are lost
    // 2 dB log(9) / log(99) above. Straight lines over steps of 2 dB are within 1 dB of it.
    const double half[]{-88, -85.2, -82.6, -80, 0, -71.4, -67.2, -67};
    REQUIRE(levels.at("sensitivity-counted").size() == 8);
    for (std::size_t i = 0; i < 8; ++i) {
        if (i == 4) continue;  // the dead one has a bound only
        CHECK(levels.at("sensitivity-counted")[i] == within(1, half[i] + 2 * std::log(9) / std::log(99)));
        CHECK(levels.at("sensitivity-decided")[i] == within(1, levels.at("sensitivity-counted")[i]));
    }
    CHECK(verdicts.at("sensitivity-counted")[8].second == Verdict::fail);
    // Blockers of -34 dBm, 52 dB rejected, leave a wanted signal of -74 dBm alone.
    REQUIRE(verdicts.at("blocking").size() == 8);
    for (const auto& [rule, verdict] : verdicts.at("blocking")) CHECK(verdict == Verdict::pass);
    // What the gateway reports is 1.4 dB too high, at every level that it hears.
    std::size_t told = 0, rejected = 0;
    for (const auto& point : run.points) {
        if (point.test == "throughput") {
            const auto* error = point.find_result("report_error");
            REQUIRE(error);
            CHECK(error->value.value == within(0.051, 1.4));  // it tells tenths
            ++told;
        }
        if (point.test != "rejection") continue;
        // Noise of the interferer, 52 dB down, 2 dB log(9) / log(99) below where the receiver loses 10 % of
        // it.
        REQUIRE(rejected < 4);
        const double wanted[]{-79, -76, -74, -71};
        const double spare = wanted[rejected] - (half[rejected] + 2 * std::log(9) / std::log(99));
        CHECK(point.find_result("rejection")->value.value > 45);
        CHECK(point.find_result("carrier_to_interferer")->value.value ==
              -point.find_result("rejection")->value.value);
        CHECK(spare > 0);
        ++rejected;
    }
    CHECK(told == 8 * 23);
    CHECK(rejected == 4);
    // At -94 dBm the association is lost; it is brought up again for the next modulation, and the curves do
    // not die.
    std::size_t up = 0, out = 0;
    for (const auto& event : run.events) {
        if (event.kind != "association") continue;
        up += contains(event.text, "up again");
        out += contains(event.text, "does not hold at these settings");
    }
    CHECK(up == 7);
    CHECK(out == 8);
    const std::string page = rt::lab::read_file(folder / "demo/gateway/report/report.html");
    CHECK(contains(page, "dead curve"));
    CHECK(contains(page, "saturates early"));
    CHECK(contains(page, "shifted curve"));  // the second of four chains
    REQUIRE(verdicts.at("blocking-5ghz").size() == 4);
    for (const auto& [rule, verdict] : verdicts.at("blocking-5ghz")) CHECK(verdict == Verdict::pass);
    CHECK_FALSE(contains(page, "not monotonic"));
    // 14 dB more drown it; near the band it is 6 dB stronger, and stands that.
    std::string text = rt::lab::read_file(folder / "demo/receiver/campaign.toml");
    const std::string level = "\"blocker.level\" = \"-34 dBm\"";
    text.replace(text.find(level), level.size(), "\"blocker.level\" = \"-20 dBm\"");
    folder.write("demo/receiver/campaign.toml", text);
    const Said loud = rare_tally(folder.path(), {"run", "demo/receiver/campaign.toml", "--only", "blocking",
                                                 "--out", "loud", "--no-live", "--no-report"});
    CHECK_MESSAGE(loud.code == 1, loud.err);
    const auto again = rt::lab::Tally::open(folder / "loud").read();
    REQUIRE(again.points.size() == 8);
    for (const auto& point : again.points) {
        const bool near = point.find_result("received_level")->value.value > -70;
        CHECK(point.findings.at(0).verdict == (near ? Verdict::pass : Verdict::fail));
    }
}

TEST_CASE("a link that is never brought up again measures as dead; what cannot be asked is found by check") {
    TestFolder folder;
    CHECK(rare_tally(folder.path(), {"demo", "receiver", "--out", "demo"}).code == 1);
    const std::string file = "demo/receiver/campaign.toml";
    const std::string text = rt::lab::read_file(folder / file);
    const auto with = [&](const std::string& old, const std::string& by) {
        std::string changed = text;
        REQUIRE(changed.find(old) != std::string::npos);
        changed.replace(changed.find(old), old.size(), by);
        folder.write(file.c_str(), changed);
    };
    // Told to connect where nothing arrives: it does not come up, which is said at every point.
    with("{ \"attenuator.attenuation\" = \"30 dB\", \"unit.connect\"",
         "{ \"attenuator.attenuation\" = \"99 dB\", \"unit.connect\"");
    std::string changed = rt::lab::read_file(folder / file);
    const std::string within_5 = "within = \"5 s\"";
    changed.replace(changed.find(within_5), within_5.size(), "within = \"50 ms\"");
    folder.write(file.c_str(), changed);
    const Said dead =
        rare_tally(folder.path(), {"run", file, "--only", "throughput", "--only", "throughput-by-level",
                                   "--out", "dead", "--no-live", "--no-report"});
    CHECK(dead.code == 1);
    const auto run = rt::lab::Tally::open(folder / "dead").read();
    std::size_t silent = 0, said = 0;
    for (const auto& point : run.points) {
        if (point.test == "throughput" && point.label.find("mcs=1") == 0)
            silent += point.find_result("frame_loss")->value.value == 100;
    }
    for (const auto& event : run.events)
        said += event.kind == "association" && contains(event.text, "does not come up within 50 ms");
    CHECK(silent == 23);
    CHECK(said > 100);
    const auto refused = [&](const std::string& old, const std::string& by, const std::string& why) {
        with(old, by);
        const Said said_so = rare_tally(folder.path(), {"check", file});
        CHECK(said_so.code == 2);
        CHECK_MESSAGE(contains(said_so.err, why), said_so.err);
    };
    refused("asks = \"unit.link\"", "asks = \"unit.lamp\"", "has no command query_lamp");
    refused("asks = \"unit.link\"", "asks = \"link\"", "is nothing to ask");
    refused("\"unit.connect\" = \"ON\"", "\"unit.dial\" = \"ON\"", "has no command set_dial");
    refused("reads = { reported_level = ", "reads = { reportd_level = ", "did you mean");
    refused("= \"unit.rssi\"", "= \"unit.glow\"", "has no command query_glow");
}
