// Identifying a bench, and a simulated one served by a process of its own.
#include <doctest/doctest.h>

#include <chrono>
#include <csignal>
#include <map>
#include <nlohmann/json.hpp>
#include <thread>

#include "lab/tally/tally.hpp"
#include "tests/cli/world.hpp"

namespace {

// Waits for the lines that say which role is served where.
std::map<std::string, std::string> addresses(const std::filesystem::path& file) {
    for (int i = 0; i < 100; ++i) {
        std::this_thread::sleep_for(std::chrono::milliseconds(50));
        std::map<std::string, std::string> out;
        const std::string text = std::filesystem::exists(file) ? rt::lab::read_file(file) : "";
        for (std::size_t at = 0, end; (end = text.find('\n', at)) != std::string::npos; at = end + 1) {
            const auto gap = text.find("  ", at);
            out[text.substr(at, gap - at)] = text.substr(gap + 2, end - gap - 2);
        }
        if (out.size() == 2) return out;
    }
    return {};
}

}  // namespace

TEST_CASE("bench says who answers and who does not") {
    World world;
    const Said all = world.call({"bench", "bench.toml"});
    CHECK(all.code == 0);
    CHECK(
        contains(all.out, "analyser  simulated  no calibration date  Rare Tally,simulated analyser,p,1.0\n"));
    world.analyser = "address = \"tcp://127.0.0.1:1\"\ncalibration_due = 2036-03-31\n";
    const Said some = world.call({"bench", "bench.toml"});
    CHECK(some.code == 3);
    CHECK(contains(some.out,
                   "calibration due 2036-03-31  no answer: instrument at 127.0.0.1:1: Connection refused"));
    const auto json = nlohmann::json::parse(world.call({"bench", "bench.toml", "--json"}).out);
    CHECK(json[0]["identity"] == "");
    CHECK(json[1]["identity"] == "Rare Tally,simulated unit control,u,1.0");
    CHECK(contains(world.call({"bench", "bench.toml", "--serve", "--port", "0"}).err,
                   "write a whole number from 1 to 65535"));
}

TEST_CASE("a run against instruments served by another process finds the same") {
    World world;
    CHECK(world.run().code == 0);
    const std::string out = (world.folder / "served").string();
    const pid_t server = start_in(world.folder.path(), binary(), {"bench", "bench.toml", "--serve"}, out);
    const auto served = addresses(out);
    REQUIRE(served.size() == 2);
    std::string bench = rt::lab::read_file(world.folder / "bench.toml");
    for (const char* role : {"analyser", "unit"}) {
        const auto at = bench.find("\"simulated\"", bench.find(std::string("role = \"") + role));
        bench.replace(at, 11, "\"" + served.at(role) + "\"");
    }
    world.folder.write("far.toml", bench);
    const Said run = rare_tally(world.folder.path(),
                                {"run", "campaign.toml", "--bench", "far.toml", "--out", "far", "-q"});
    ::kill(server, SIGTERM);
    CHECK(wait_for(server) == 0);
    CHECK(run.code == 0);
    const auto near = rt::lab::Tally::open(world.folder / "run").read(),
               far = rt::lab::Tally::open(world.folder / "far").read();
    REQUIRE(far.points.size() == near.points.size());
    for (std::size_t i = 0; i < near.points.size(); ++i) {
        CHECK(far.points[i].capture.sha256 == near.points[i].capture.sha256);
    }
}
