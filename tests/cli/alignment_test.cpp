// A module is aligned: its gain table is made, written, read back; what is not plausible or not taken stops
// before it does harm.
#include <doctest/doctest.h>

#include <algorithm>
#include <chrono>
#include <csignal>
#include <thread>

#include "tests/about.hpp"
#include "tests/cli/shipped_campaign.hpp"

using rt::Verdict;

namespace {

struct Module : ShippedCampaign {
    std::string control;
    Module() : ShippedCampaign("alignment", "simulated-module.toml", {"limits.toml"}) {
        control = rt::lab::read_file(std::filesystem::path(RT_SOURCE) / "demo/alignment/module-control.toml");
    }
    // At both ends of the band alone.
    void shorten() {
        replace(
            campaign,
            "\"2502.5 MHz\", \"2513.5 MHz\", \"2524.5 MHz\", \"2535 MHz\", \"2545.5 MHz\", \"2556.5 MHz\", "
            "\"2567.5 MHz\"",
            "\"2502.5 MHz\", \"2567.5 MHz\"");
    }
    rt::lab::RunRecord run(std::vector<std::string> more = {}) {
        folder.write("module-control.toml", control);
        std::vector<std::string> words{"run",       "campaign.toml", "--out",       "run",
                                       "--no-live", "--no-report",   "--unattended"};
        words.insert(words.end(), more.begin(), more.end());
        const Said said = tell(words);
        INFO(said.err);
        return record();
    }
};

const std::vector<std::string> few{"--only", "levels", "--only", "tx-table", "--only", "power"};

std::vector<std::string> tables(const rt::lab::RunRecord& run) {
    std::vector<std::string> out;
    for (const auto& event : run.events)
        if (event.kind == "table" && contains(event.text, "gain_table")) out.push_back(event.text);
    return out;
}

std::vector<const rt::lab::PointRecord*> of_test(const rt::lab::RunRecord& run, const std::string& test) {
    std::vector<const rt::lab::PointRecord*> out;
    for (const auto& point : run.points)
        if (point.test == test) out.push_back(&point);
    return out;
}

// The simulated module's level, as its file has it, cold.
double level_of(int index, double mhz) {
    return -12 + 1.6 * index - 1.5 * std::pow(index / 15.0, 3) + 0.3 * std::sin(2.1 * index + 0.4) -
           2 * (mhz - 2535) / 100;
}

}  // namespace

TEST_CASE(
    "the demo's module: its table by hand, written once, and every level within a step below its target") {
    Module module;
    const auto run = module.run();
    const auto levels = of_test(run, "levels");
    REQUIRE(levels.size() == 112);
    for (const auto* point : levels) {
        CAPTURE(point->label);
        const int index = std::stoi(point->axes.at(0).second);
        const double mhz = std::stod(point->axes.at(1).second);
        // Half a decibel of drift while it warms up.
        CHECK(result(*point, "power") == within(0.3, level_of(index, mhz) - 0.25));
    }
    const auto said = tables(run);
    REQUIRE(said.size() == 2);
    CHECK(said[0] == "unit.gain_table before: 2535:0:8");
    // At 2535 MHz: the highest index whose level, as it was measured, stays below the target.
    for (const int target : {-4, 0, 4, 8}) {
        int best = 0;
        for (const auto* point : levels) {
            const bool there = point->axes.at(1).second == "2535 MHz";
            if (there && result(*point, "power") <= target)
                best = std::max(best, std::stoi(point->axes.at(0).second));
        }
        CAPTURE(target);
        CHECK(contains(said[1], "2535:" + std::to_string(target) + ":" + std::to_string(best)));
    }
    const auto verified = of_test(run, "power");
    REQUIRE(verified.size() == 12);
    for (const auto* point : verified) CHECK(point->findings.at(0).verdict == Verdict::pass);
    const auto receivers = of_test(run, "receivers");
    REQUIRE(receivers.size() == 2);
    CHECK(receivers[0]->findings.at(0).verdict == Verdict::pass);
    CHECK(receivers[1]->findings.at(0).verdict == Verdict::fail);
    CHECK(of_test(run, "drift").at(0)->findings.at(0).verdict == Verdict::fail);
    // The receiver's own reading: far off before, by its table within a few tenths at channels between.
    const auto before = of_test(run, "rx-levels");
    REQUIRE(before.size() == 24);
    for (const auto* point : before) CHECK(std::abs(result(*point, "report_error")) > 0.5);
    const auto by_table = of_test(run, "rx-verified");
    REQUIRE(by_table.size() == 9);
    for (const auto* point : by_table) {
        CHECK(result(*point, "report_error") == within(0.35, 0));
        CHECK(point->findings.at(0).verdict == Verdict::pass);
    }
}

TEST_CASE("levels that do not rise make no table: nothing is written, nothing verified") {
    // Other reasons: tests/core/cellular_channels_test.cpp.
    Module module;
    module.shorten();
    const std::string even = "ripple = \"0.3 dB\"", uneven = "ripple = \"3 dB\"";
    for (auto at = module.unit.find(even); at != std::string::npos; at = module.unit.find(even))
        module.unit.replace(at, even.size(), uneven);
    const auto run = module.run(few);
    CHECK(tables(run).empty());
    const auto verified = of_test(run, "power");
    REQUIRE(verified.size() == 12);
    for (const auto* point : verified) {
        CHECK(point->results.empty());
        CHECK(point->findings.at(0).verdict == Verdict::none);
        CHECK_MESSAGE(contains(point->findings.at(0).reason, "is not above the index before it"),
                      point->findings.at(0).reason);
    }
}

TEST_CASE("a table that the unit does not have afterwards ends the run; what it had before is put back") {
    Module module;
    module.shorten();
    ShippedCampaign::replace(module.control, "confirm_gain_table = \"UNIT:GAIN_TABLE?\"",
                             "confirm_gain_table = \"UNIT:BANDWIDTH?\"");
    const auto run = module.run(few);
    CHECK(run.fact("state") != "complete");
    CHECK(of_test(run, "levels").size() == 32);
    CHECK(of_test(run, "power").empty());  // it ends there
    const auto said = tables(run);
    REQUIRE(said.size() >= 2);
    CHECK(contains(said[0], "before: 5 MHz"));
    CHECK(contains(said[1], "was not taken: the unit has gain_table \"5 MHz\""));
    CHECK(contains(said[1], "what it had before was put back"));
}

TEST_CASE("row by row, and a run that is carried on") {
    Module module;
    module.shorten();
    ShippedCampaign::replace(module.campaign, "most_step = \"4 dB\" }",
                             "most_step = \"4 dB\", join = \"rows\" }");
    const auto rows = tables(module.run(few));
    REQUIRE(rows.size() == 2);
    CHECK(rows[1] == "unit.gain_table written, 28 rows");
    // Killed among the levels: the table is made of those before and after.
    Module killed;
    killed.shorten();
    killed.folder.write("module-control.toml", killed.control);
    killed.write();
    const pid_t child =
        start_in(killed.folder.path(), binary(),
                 {"run", "campaign.toml", "--out", "run", "--no-live", "--no-report", "--unattended"});
    const auto captures = [&] {
        std::error_code error;
        const std::filesystem::directory_iterator all(killed.folder / "run/captures", error), end;
        return error ? 0 : std::distance(all, end);
    };
    for (int waited = 0; waited < 10000 && captures() < 16; ++waited)
        std::this_thread::sleep_for(std::chrono::milliseconds(2));
    ::kill(child, SIGKILL);
    CHECK(wait_for(child) == 128);
    const std::size_t before = killed.record().points.size();
    CHECK(before < 33);
    const Said said = rare_tally(killed.folder.path(),
                                 {"run", "--resume", "run", "--no-live", "--no-report", "--unattended"});
    INFO(said.err);
    const auto run = killed.record();
    REQUIRE(of_test(run, "levels").size() == 32);
    const auto written = tables(run);
    REQUIRE(written.size() == 2);
    CHECK(contains(written[1], "written: 2502.5:-4:"));
    REQUIRE(of_test(run, "power").size() == 12);
    for (const auto* point : of_test(run, "power")) CHECK(point->findings.at(0).verdict == Verdict::pass);
}

TEST_CASE("check refuses tables that nobody makes") {
    const auto refused = [](const std::string& old, const std::string& by) {
        Module module;
        module.folder.write("module-control.toml", module.control);
        ShippedCampaign::replace(module.campaign, old, by);
        const Said said = module.tell({"check", "campaign.toml"});
        CHECK(said.code == 2);
        CHECK(lines(said.err) >= 1);
        return said.err;
    };
    CHECK(contains(refused("provides = \"tx-table\"\n", ""), "provides the calibration \"tx-table\""));
    CHECK(contains(refused("tests = { a = \"warm\", b = \"cold\" }",
                           "tests = { a = \"warm\", b = \"cold\" }\nprovides = \"other\""),
                   "goes with results.gain-table"));
}
