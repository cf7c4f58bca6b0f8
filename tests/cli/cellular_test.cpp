// A modem on two testers: the shipped campaign, wrong statements, axes over carriers, both technologies at
// once.
#include <doctest/doctest.h>

#include <cmath>
#include <map>

#include "tests/about.hpp"
#include "tests/cli/shipped_campaign.hpp"

using rt::Verdict;

namespace {

struct Modem : ShippedCampaign {
    Modem() : ShippedCampaign("cellular", "simulated-modem.toml", {"modem-control.toml"}) {}
    rt::lab::RunRecord run(const std::string& only = "") {
        std::vector<std::string> words{"run",       "campaign.toml", "--out",       "run",
                                       "--no-live", "--no-report",   "--unattended"};
        if (!only.empty()) words.insert(words.end(), {"--only", only});
        const Said said = tell(words);
        INFO(said.err);
        return record();
    }
    // One carrier of each technology.
    void shorten() {
        replace(campaign, "bands = [\"1\", \"7\"]", "bands = [\"1\"]");
        for (int both = 0; both < 2; ++both)
            replace(campaign, "channels = [\"low\", \"middle\", \"high\"]", "channels = [\"middle\"]");
    }
    std::string refused(const std::string& old, const std::string& by) {
        replace(campaign, old, by);
        const Said said = tell({"check", "campaign.toml"});
        CHECK(said.code == 2);
        CHECK(lines(said.err) == 1);
        return said.err;
    }
};

std::string axis(const rt::lab::PointRecord& point, const std::string& name) {
    for (const auto& [known, value] : point.axes)
        if (known == name) return value;
    return {};
}

}  // namespace

TEST_CASE(
    "the demo's modem: each carrier as it was made, one edge leaks, one is not good enough for 256QAM") {
    Modem modem;
    const auto run = modem.run();
    REQUIRE(run.points.size() == 37);
    std::size_t failed = 0, judged = 0;
    for (const auto& point : run.points) {
        CAPTURE(point.label);
        CHECK(point.invalid.empty());
        for (const auto& finding : point.findings) {
            ++judged;
            CHECK(finding.verdict != Verdict::none);
            if (finding.verdict != Verdict::fail) continue;
            ++failed;
            const bool leaks =
                finding.rule == "ts-36.521-1/leakage" && axis(point, "carrier") == "7 high 10 MHz";
            const bool coarse = finding.rule == "ts-38.521-1/evm" &&
                                axis(point, "carrier") == "n78 high 40 MHz" &&
                                axis(point, "modulation") == "256qam";
            CHECK((leaks || coarse));
        }
    }
    CHECK(judged == 119);
    CHECK(failed == 3);
    // A sweep and samples of the same carrier say the same.
    std::map<std::string, std::pair<double, double>> of_samples;
    std::size_t compared = 0;
    for (const auto& point : run.points) {
        const auto ratio = [&] { return result(point, "leakage_ratio"); };
        const auto power = [&] { return result(point, "power"); };
        if (point.test == "lte-leakage") of_samples[axis(point, "carrier")] = {ratio(), power()};
        if (point.test != "lte-leakage-swept") continue;
        ++compared;
        CHECK(ratio() == within(0.25, of_samples.at(axis(point, "carrier")).first));
        CHECK(power() == within(0.15, of_samples.at(axis(point, "carrier")).second));
    }
    CHECK(compared == 6);
    const auto& first = run.points.front();
    CHECK(axis(first, "frequency") == "1.925 GHz");
    // 2.5 % of noise and an image of -36 dB, which is 1.6 %; products of -42 dB.
    CHECK(result(first, "evm") == within(0.3, std::hypot(2.5, 1.58, 0.8)));
    CHECK(result(first, "frequency_error_ppm") == within(0.003, 0.03));
    CHECK(result(first, "clock_error") == within(0.2, 0.03));
    CHECK(result(first, "carrier_leakage") == within(0.3, -32));
    CHECK(result(first, "image") == within(0.3, -36));
    CHECK(result(first, "power") == within(0.1, 23));
    const auto& both = run.points.back();
    CHECK(result(both, "total_power") == within(0.1, 10 * std::log10(100 + std::pow(10, 1.96))));
    CHECK(result(both, "nr_share") == within(0.5, 47.7));
    CHECK(both.inputs.size() == 2);
}

TEST_CASE("a cell, an identity or a level that is stated wrongly gives no verdict") {
    Modem modem;
    modem.shorten();
    modem.campaign.replace(modem.campaign.find("cell = 37"), 9, "cell = 38");
    const auto wrong_cell = modem.run("lte-modulation");
    REQUIRE_FALSE(wrong_cell.points.empty());
    for (const auto& point : wrong_cell.points) {
        REQUIRE(point.findings.size() == 4);
        for (const auto& finding : point.findings) {
            CHECK(finding.verdict == Verdict::none);
            CHECK(contains(finding.reason, "cell whose number modulo 30 is 7"));
        }
    }
    Modem other;
    ShippedCampaign::replace(other.campaign, "nr_identity = 301", "nr_identity = 302");
    const auto both = other.run("both");
    REQUIRE(both.points.size() == 1);
    CHECK(both.points[0].results.empty());
    REQUIRE_FALSE(both.points[0].findings.empty());
    for (const auto& finding : both.points[0].findings) {
        CHECK(finding.verdict == Verdict::none);
        CHECK(contains(finding.reason, "nr: not the expected signal"));
    }
    // 10 dB less range: the tester is overloaded.
    Modem loud;
    loud.shorten();
    ShippedCampaign::replace(loud.campaign, "duration = \"4.2 ms\", reference_level = \"13 dBm\"",
                             "duration = \"4.2 ms\", reference_level = \"0 dBm\"");
    const auto overloaded = loud.run("lte-modulation");
    REQUIRE_FALSE(overloaded.points.empty());
    for (const auto& point : overloaded.points) {
        REQUIRE(point.findings.size() == 4);
        for (const auto& finding : point.findings) CHECK(finding.verdict == Verdict::none);
    }
}

TEST_CASE("a tester that fails in the middle of two takes makes no sum of one") {
    std::size_t seen = 0;
    for (const std::string kind : {"error-entry", "drop", "cut"}) {
        for (const int after : {9, 13}) {
            CAPTURE(kind);
            CAPTURE(after);
            Modem modem;
            modem.bench += "\n[[simulation.fault]]\nrole = \"nr-tester\"\nkind = \"" + kind +
                           "\"\nafter = " + std::to_string(after) + "\n";
            ShippedCampaign::replace(modem.bench, "timeout = \"60 s\"\nconnected_to = \"nr\"",
                                     "timeout = \"2 s\"\nconnected_to = \"nr\"");
            for (const auto& point : modem.run("both").points) {
                ++seen;
                for (const auto& finding : point.findings) {
                    CHECK(finding.verdict != Verdict::fail);
                    CHECK((finding.verdict == Verdict::none ||
                           std::abs(result(point, "total_power") - 22.8) < 0.1));
                }
            }
        }
    }
    CHECK(seen >= 2);
}

TEST_CASE("axes over carriers: frequencies, partners, numbers; what is not there is refused in one line") {
    Modem modem;
    ShippedCampaign::replace(
        modem.campaign,
        "channels = [\"low\", \"middle\", \"high\"], band_to = [\"parameter.band\"], bandwidth_to = "
        "[\"parameter.channel_bandwidth\", \"unit.lte_bandwidth\"]",
        "channels = [18300, \"high\"], band_to = [\"parameter.band\"], bandwidth_to = "
        "[\"parameter.channel_bandwidth\", \"unit.lte_bandwidth\"]");
    ShippedCampaign::replace(modem.campaign, "bands = [\"1\", \"7\"]", "bands = [\"1\"]");
    const auto run = modem.run("lte-steps");
    REQUIRE(run.points.size() == 2);
    CHECK(axis(run.points[0], "carrier") == "1 18300 10 MHz");
    CHECK(axis(run.points[0], "frequency") == "1.95 GHz");
    CHECK(axis(run.points[1], "frequency") == "1.975 GHz");
    for (const auto& point : run.points) {
        CHECK(result(point, "step_error") == within(0.15, 0));
        CHECK(point.findings.at(0).verdict == Verdict::pass);
    }
    CHECK(contains(Modem().refused("bands = [\"1\", \"7\"]", "bands = [\"1\", \"6\"]"),
                   "band \"6\" is not known"));
    CHECK(contains(Modem().refused("bandwidths = [\"10 MHz\"]", "bandwidths = [\"12 MHz\"]"),
                   "there is no channel of 12 MHz"));
    CHECK(contains(
        Modem().refused("channels = [\"low\", \"middle\", \"high\"], band_to", "channels = [18001], band_to"),
        "it would reach beyond the band; with 10 MHz there are 18050 to 18550"));
}

TEST_CASE("a matrix of ten thousand carriers and modulations is looked through before the run") {
    Modem modem;
    ShippedCampaign::replace(
        modem.campaign, "bands = [\"1\", \"7\"], bandwidths = [\"10 MHz\"]",
        "bands = [\"1\", \"2\", \"3\", \"4\", \"7\", \"9\", \"10\", \"12\", \"18\", \"19\", \"20\", \"21\", "
        "\"22\", \"24\", \"25\", \"26\", \"28\", \"33\", \"34\", \"35\", \"36\", \"37\", \"38\", \"39\", "
        "\"40\", \"41\", "
        "\"42\", \"43\", \"44\"], bandwidths = [\"5 MHz\", \"10 MHz\", \"15 MHz\"]");
    ShippedCampaign::replace(modem.campaign, "values = [\"qpsk\", \"64qam\"]",
                             "values = [\"qpsk\", \"16qam\", \"64qam\"]");
    ShippedCampaign::replace(modem.campaign, "title = \"LTE: modulation and maximum power\"",
                             "title = \"LTE: modulation and maximum power\"\nrepeats = 13");
    const Said said = modem.tell({"check", "campaign.toml", "--only", "lte-modulation"});
    CHECK_MESSAGE(said.code == 0, said.err);
    CHECK_MESSAGE(contains(said.out, "10179"), said.out);
}
