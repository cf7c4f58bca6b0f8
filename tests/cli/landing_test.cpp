// A landing-system receiver on its bench: the shipped campaign, indications that a person reads, what check
// refuses, levels of generators that count otherwise.
#include <doctest/doctest.h>

#include "tests/about.hpp"
#include "tests/cli/shipped_campaign.hpp"
#include "tests/cli/typist.hpp"

using rt::Verdict;

namespace {

struct Drone : ShippedCampaign {
    Drone()
        : ShippedCampaign("landing", "simulated-receiver.toml",
                          {"receiver-control.toml", "limits.toml", "spiral.csv"}) {}
    // All of it, with nobody there.
    rt::lab::RunRecord run_all() {
        const Said said =
            tell({"run", "campaign.toml", "--out", "run", "--no-live", "--no-report", "--unattended"});
        INFO(said.err);
        return record();
    }
    std::vector<std::string> words(const std::string& test) {
        write();
        return {"run", "campaign.toml", "--only", test, "--out", "run", "--no-live", "--no-report"};
    }
    rt::lab::RunRecord run(const std::string& test) {
        auto arguments = words(test);
        arguments.emplace_back("--unattended");
        const Said said = rare_tally(folder.path(), std::move(arguments));
        INFO(said.err);
        return record();
    }
};

std::vector<const rt::lab::PointRecord*> of_test(const rt::lab::RunRecord& run, const std::string& test) {
    std::vector<const rt::lab::PointRecord*> out;
    for (const auto& point : run.points) {
        if (point.test == test) out.push_back(&point);
    }
    return out;
}

}  // namespace

TEST_CASE("the demo's drone: sent and measured back, indicated, flags, a contact found by the pattern") {
    Drone drone;
    const auto run = drone.run_all();
    const auto sent = of_test(run, "sent");
    REQUIRE(sent.size() == 2);
    for (const auto& [point, deviation] : {std::pair{sent[0], 0.0}, {sent[1], 0.093}}) {
        CHECK(result(*point, "ddm") == within(2e-4, deviation));
        CHECK(result(*point, "sdm") == within(0.02, 40));
        CHECK(result(*point, "carrier_power") == within(0.05, -20));
        CHECK(result(*point, "carrier_frequency") == about(109.9e6).epsilon(1e-8));
        CHECK(result(*point, "ident_wrong") == 0);
        CHECK(result(*point, "ident_depth") == within(0.2, 10));
    }
    const auto centring = of_test(run, "centring");
    REQUIRE(centring.size() == 3);
    // 0.8 and 9 of 150, less a backlash of at most 0.75, with noise of 0.3 over ten readings.
    for (const std::size_t i : {0U, 1U}) CHECK(result(*centring[i], "indication") == within(1.1, 0.8));
    CHECK(result(*centring[2], "indication") == within(1.1, 9));
    CHECK(centring[2]->findings.at(0).verdict == Verdict::fail);
    // -67 dBm at the antenna.
    CHECK(result(*centring[1], "gain_level") == within(0.01, (110 - 67) / 20.0));
    for (const auto* point : of_test(run, "localiser")) {
        CAPTURE(point->label);
        CHECK(std::abs(result(*point, "indication_error")) < 2);
    }
    // 4 % of what is sent.
    CHECK(result(*of_test(run, "glide-path").back(), "indication_error") == within(0.3, 4));
    for (const char* test : {"flag", "too-weak"}) {
        for (const auto* point : of_test(run, test)) {
            CHECK(result(*point, "flag_shown") == 100);
            CHECK(point->find_result("indication") == nullptr);
            CHECK(point->findings.at(0).verdict == Verdict::pass);
        }
    }
    // 10 uV are -87 dBm in 50 ohm.
    const auto weak = of_test(run, "weak");
    REQUIRE(weak.size() == 3);
    CHECK(result(*weak[2], "gain_level") == within(0.01, (110 - 86.99) / 20));
    // The contact opens between 60 and 100 of the indication, and nowhere else.
    std::size_t found = 0;
    for (const auto* point : of_test(run, "spiral")) {
        if (point->findings.at(0).verdict != Verdict::fail) continue;
        ++found;
        const double along = rt::parse_quantity(point->axes.back().second).value;
        CHECK(along * 150 / 0.175 * 1.04 == within(21, 80));
    }
    CHECK(found >= 2);
    const auto hysteresis = of_test(run, "localiser-hysteresis");
    REQUIRE(hysteresis.size() == 7);
    // Half of the backlash to either side, but at the ends, where it turns.
    for (std::size_t i = 1; i < 6; ++i) CHECK(result(*hysteresis[i], "range") == within(0.4, 1.5));
}

TEST_CASE("an indicator that a person reads: typed, asked again for what is none, NONE without anybody") {
    Drone drone;
    Drone::replace(drone.bench, "name = \"SD-2 receiver, localiser output\"\naddress = \"simulated\"",
                   "name = \"SD-2 receiver, localiser output\"\naddress = \"by hand\"");
    const auto nobody = drone.run("centring");
    REQUIRE(nobody.points.size() == 3);
    for (const auto& finding : nobody.points[0].findings) {
        CHECK(finding.verdict == Verdict::none);
        CHECK_MESSAGE(finding.reason.find("nobody was there") != std::string::npos, finding.reason);
    }
    std::filesystem::remove_all(drone.folder / "run");
    const Said said =
        at_terminal_lines(drone.folder.path(), drone.words("centring"), {"3", "three", "-6.5", "2 flag"});
    CHECK_MESSAGE(said.out.find("is no reading") != std::string::npos, said.out);
    const auto run = rt::lab::Tally::open(drone.folder / "run").read();
    REQUIRE(run.points.size() == 3);
    CHECK(result(run.points[0], "indication") == 3);
    CHECK(run.points[0].findings.at(0).verdict == Verdict::pass);
    CHECK(result(run.points[1], "indication") == -6.5);
    CHECK(run.points[1].findings.at(0).verdict == Verdict::fail);
    CHECK(run.points[2].findings.at(0).verdict == Verdict::none);
    CHECK(run.points[2].findings.at(1).verdict == Verdict::fail);
    // From the kept readings the same is judged again.
    const Said again = rare_tally(drone.folder.path(), {"judge", "run"});
    CHECK(again.code == 1);
}

TEST_CASE("a flag that sticks fails where it must be shown, and nothing hides a dead receiver") {
    Drone drone;
    for (int i = 0; i < 3; ++i) Drone::replace(drone.unit, "flag_level = \"-93 dBm\"", "flag_sticks = true");
    for (const auto& point : drone.run("flag").points) CHECK(point.findings.at(0).verdict == Verdict::fail);
    Drone dead;
    Drone::replace(dead.campaign, "\"localiser.output\" = \"ON\"", "\"localiser.output\" = \"OFF\"");
    for (const auto& point : dead.run("centring").points) {
        CHECK(point.findings.at(0).verdict == Verdict::none);
        CHECK(point.findings.at(1).verdict == Verdict::fail);
    }
}

TEST_CASE("a generator whose level counts the mean power gets the level for it") {
    Drone drone;
    drone.folder.write("mean.toml",
                       "[dialect]\nid = \"mean\"\nlike = \"scpi-vector-generator\"\ntitle = \"T\"\n"
                       "kind = \"generator\"\nlevel_counts = \"mean\"\n[greatest]\nlevel = \"0 dBm\"\n");
    Drone::replace(drone.bench, "\"scpi-vector-generator\"", "\"mean.toml\"");
    const auto run = drone.run("sent");
    REQUIRE(run.points.size() == 2);
    // The simulated one counts the peak: what comes lies lower by peak over mean. Both tones of 20 %, the
    // identification of 10 % while it is on.
    const double peak = std::pow(1.5, 2), mean = 1 + 2 * 0.04 / 2;
    CHECK(result(run.points[0], "carrier_power") == within(0.08, -20 - 10 * std::log10(peak / mean)));

    Drone::replace(drone.campaign, "\"localiser.level\" = \"-20 dBm\"", "\"localiser.level\" = \"3 dBm\"");
    const Said said = drone.tell({"check", "campaign.toml"});
    CHECK(said.code == 2);
    CHECK_MESSAGE(said.err.find("beyond the highest level") != std::string::npos, said.err);
}

TEST_CASE("check refuses what cannot be sent or read") {
    const auto refused = [](const char* old, const char* by, const std::string& words) {
        Drone drone;
        drone.replace_one(old, by);
        const Said said = drone.tell({"check", "campaign.toml"});
        CHECK_MESSAGE(said.code == 2, words);
        CHECK_MESSAGE(said.err.find(words) != std::string::npos, said.err);
    };
    refused("values = [\"18X\"", "values = [\"19X\"", "no channel of a landing system");
    refused("values = [\"-0.155\"", "values = [\"-0.455\"", "more than the sum of both depths");
    refused("\"localiser.ident\" = \"ISK\"", "\"localiser.ident\" = \"I_K\"", "no Morse code");
    refused("\"10 uV\"", "\"0 uV\"", "above 0 V");
    refused("\"10 uV\"", "\"10 uA\"", "level");
    refused("dialect = \"scpi-vector-generator\"", "dialect = \"scpi-generator\"", "load_iq");
    refused("signal = \"landing.composite\"", "signal = \"link.pattern\"", "load_waveform");
    refused("\"glide-path.output\" = \"ON\"", "\"glide-path.modulation\" = \"OFF\"",
            "follows from the signal");
    refused("readings = \"4\"", "readings = \"0\"", "readings");
}

TEST_CASE("a test that moves the carrier leaves it to the channel again for the next") {
    Drone drone;
    drone.campaign.resize(drone.campaign.find("# For fault finding by hand"));
    Drone::replace(drone.campaign, "name = \"sent\"", "name = \"aside\"");
    Drone::replace(drone.campaign, "\"localiser.level\" = \"-20 dBm\"",
                   "\"localiser.level\" = \"-20 dBm\", \"localiser.frequency\" = \"109.91 MHz\"");
    drone.campaign += R"(
[[test]]
name = "again"
procedure = "landing.signal"
instrument = "analyser"
settings = { "localiser.level" = "-20 dBm" }
parameters = { centre = "109.9 MHz", sample_rate = "50 kHz", duration = "2 s", reference_level = "-5 dBm" }
)";
    const auto run = drone.run_all();
    REQUIRE(run.points.size() == 3);
    CHECK(result(run.points[0], "carrier_frequency") == about(109.91e6).epsilon(1e-8));
    CHECK(result(run.points[2], "carrier_frequency") == about(109.9e6).epsilon(1e-8));
    CHECK(result(run.points[2], "carrier_power") == within(0.05, -20));
}

TEST_CASE("a generator of navigation signals is set by its dialect, and what it sends is measured back") {
    Drone drone;
    const auto begin = drone.bench.find("[[instrument]]\nrole = \"localiser\"");
    const auto end = drone.bench.find("[[instrument]]\nrole = \"glide-path\"");
    drone.bench.replace(begin, end - begin,
                        "[[instrument]]\nrole = \"localiser\"\nname = \"N\"\naddress = \"simulated\"\n"
                        "dialect = \"scpi-navigation-generator\"\n\n");
    drone.campaign.resize(drone.campaign.find("[[test]]\nname = \"sent\""));
    Drone::replace(drone.campaign, "\"localiser.output\" = \"ON\"",
                   "\"localiser.output\" = \"ON\"\n\"localiser.part\" = \"LOCaliser\"\n"
                   "\"localiser.frequency\" = \"109.9 MHz\"\n\"unit.tuned\" = \"36X\"");
    drone.campaign += R"(
[[test]]
name = "sent"
procedure = "landing.signal"
instrument = "analyser"
settings = { "localiser.level" = "-20 dBm", "localiser.phase" = "20 deg", "localiser.ident" = "ISK", "localiser.ident_depth" = "8 %" }
parameters = { centre = "109.9 MHz", sample_rate = "50 kHz", duration = "12 s", reference_level = "-5 dBm", ident = "ISK" }
[[test.sweep]]
axis = "deviation"
sets = ["localiser.deviation"]
values = ["-0.155", "0.031"]

[[test]]
name = "flag"
procedure = "landing.indication"
instrument = "localiser-needle"
parameters = { every = "1 ms", flag = "shown" }
[[test.sweep]]
axis = "removed"
sets = ["localiser.removed"]
values = ["LOWer", "UPPer", "NONE"]
[[test.judge]]
rule = "sd2-receiver/flag-shown"
)";
    const auto run = drone.run_all();
    REQUIRE(run.points.size() == 5);
    for (const auto& [i, deviation] : {std::pair{0U, -0.155}, {1U, 0.031}}) {
        CHECK(result(run.points[i], "ddm") == within(2e-4, deviation));
        CHECK(result(run.points[i], "phase") == within(0.1, 20));
        CHECK(result(run.points[i], "ident_depth") == within(0.2, 8));
        CHECK(result(run.points[i], "carrier_power") == within(0.05, -20));
    }
    CHECK(run.points[2].findings.at(0).verdict == Verdict::pass);
    CHECK(run.points[3].findings.at(0).verdict == Verdict::pass);
    CHECK(run.points[4].findings.at(0).verdict == Verdict::fail);
}
