// A filter on a scalar bench, through the program: standards, loss by ratio, return loss, curves against
// lines.
#include <doctest/doctest.h>

#include <cmath>

#include "lab/tally/tally.hpp"
#include "tests/about.hpp"
#include "tests/cli/program.hpp"

using namespace rt::lab;

TEST_CASE("insertion and return loss of a filter are those of its order and its coupler") {
    TestFolder folder;
    for (const auto& file :
         std::filesystem::directory_iterator(std::filesystem::path(RT_SOURCE) / "demo/scalar"))
        folder.write(file.path().filename().string(), read_file(file.path()));
    const Said said =
        rare_tally(folder.path(), {"run", "campaign.toml", "--unattended", "--no-report", "--out", "run"});
    CAPTURE(said.err);
    CHECK(said.code == 0);
    const RunRecord run = Tally::open(folder / "run").read();
    std::size_t losses = 0, returns = 0;
    for (const auto& point : run.points) {
        if (point.test != "insertion" && point.test != "reflection") continue;
        const double hz = std::stod(point.axes.at(0).second) * 1e9;
        const double away = std::pow(10 * (hz / 2e9 - 2e9 / hz), 6);
        if (point.test == "insertion") {
            // Butterworth of order 3, 200 MHz wide, 0.8 dB at its centre; readings have their noise.
            CHECK(point.results.at(1).value.value == within(0.02, 0.8 + 10 * std::log10(1 + away)));
            ++losses;
            continue;
        }
        // Directivity of 36 dB bounds what can be told: |G| +- d (1 + |G|) and twice the source match times
        // |G| squared.
        const double g = std::sqrt(std::max(1e-6, away / (1 + away))), seen = point.results.at(1).value.value;
        CHECK(std::abs(seen - g) < 0.0159 * (1 + g) + 2 * 0.126 * 0.126 + 0.126 * g * g + 0.002);
        ++returns;
    }
    CHECK(losses == 61);
    CHECK(returns == 61);
    CHECK(contains(rare_tally(folder.path(), {"judge", "run", "--captures"}).out, "0 differ"));
    // Conclusions kept as tables are curves of a later run.
    std::string table;
    for (const auto& point : run.points) {
        if (point.test == "insertion-loss") table = point.capture.file;
    }
    REQUIRE(!table.empty());
    folder.write("earlier.csv", read_file(folder / "run" / table));
    std::string campaign = read_file(folder / "campaign.toml");
    const std::string at = "test = \"insertion\"\n";
    campaign.replace(campaign.find(at), at.size(),
                     at + "inputs = { earlier = \"file:earlier.csv\", earlier-2 = \"file:earlier.csv\" }\n");
    folder.write("campaign.toml", campaign);
    const Said again =
        rare_tally(folder.path(), {"run", "campaign.toml", "--unattended", "--no-report", "--out", "later"});
    CAPTURE(again.err);
    CHECK(again.code == 0);
    // A thru that was not put in place, and a sensor that is asked for what it cannot give.
    const std::string both = ", thru-incident = \"test:thru-incident\"";
    campaign.erase(campaign.find(both), both.size());
    folder.write("campaign.toml", campaign);
    const Said lacking = rare_tally(folder.path(), {"check", "campaign.toml"});
    CHECK(lacking.code == 2);
    CHECK(contains(lacking.err, "for one of device and thru only"));
}
