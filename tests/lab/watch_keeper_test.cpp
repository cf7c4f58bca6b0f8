// Watches beside a run: what they remember between two looks, and what goes into the tally.
#include "lab/run/watch_keeper.hpp"

#include <doctest/doctest.h>

#include <thread>

#include "lab/formats/bench_file.hpp"
#include "lab/formats/campaign_file.hpp"
#include "lab/formats/input_files.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/bench_text.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;
using std::chrono::milliseconds;

namespace {

// A supply whose unit draws what its setting says.
struct Watched {
    TestFolder folder;
    RuleLibrary library;
    ProcedureLibrary procedures;
    Campaign campaign;
    Bench bench;
    Plan plan;
    std::unique_ptr<BenchConnection> connection;

    explicit Watched(const std::string& watches) {
        folder.write("unit.toml",
                     "[unit]\nname = \"u\"\n[settings]\nstate = \"idle\"\n[[draw]]\ncurrent = \"40 mA\"\n"
                     "[[draw]]\nwhen = { state = \"busy\" }\ncurrent = \"100 mA\"\n"
                     "[[line]]\nport = \"out\"\nfrequency = \"1 MHz\"\nlevel = \"50 dBuV\"\n");
        std::string text = "[bench]\nname = \"b\"\n";
        for (const auto& [role, dialect] : std::vector<std::pair<std::string, std::string>>{
                 {"analyser", "scpi-analyser"}, {"supply", "scpi-supply"}, {"unit", "unit-control"}}) {
            text += instrument_text(role, dialect, "out", "timeout = \"1 s\"\n");
        }
        const DiskFiles files(std::filesystem::path(RT_SOURCE) / "dialects");
        campaign = read_campaign(
            folder.write("campaign.toml",
                         "[campaign]\ntitle = \"t\"\n[unit]\nmaker = \"m\"\nmodel = \"x\"\nserial = 1\n"
                         "[[test]]\nname = \"scan\"\nprocedure = \"emission.scan\"\nparameters = { start = "
                         "\"0.9 MHz\", stop = "
                         "\"1.1 MHz\", bandwidth = \"9 kHz\", detector = \"peak\" }\n" +
                             watches),
            library, procedures, files);
        bench = read_bench(
            folder.write("bench.toml", text + "[simulation]\nunit = \"unit.toml\"\ninstant = true\n"), files);
        plan = make_plan(campaign, bench);
        plan.roles.insert("unit");
        connection = std::make_unique<BenchConnection>(plan);
        connection->role("supply").set("voltage", "5 V");
        connection->role("supply").set("output", "ON");
    }
    void state(const char* value) { connection->role("unit").set("state", value); }
};

std::string watch(const std::string& name, const std::string& max, const std::string& action) {
    return "[[watch]]\nname = \"" + name + "\"\nrole = \"supply\"\nquantity = \"current\"\nmax = \"" + max +
           "\"\nevery = \"20 ms\"\naction = \"" + action + "\"\n";
}

}  // namespace

TEST_CASE("nothing is read before the first look, and then it goes on by itself") {
    Watched world(watch("current", "100 mA", "note"));
    WatchKeeper keeper(world.campaign.watches, *world.connection);
    std::this_thread::sleep_for(milliseconds(60));
    CHECK(keeper.take_samples().empty());
    keeper.look();
    CHECK(keeper.all_inside());
    std::this_thread::sleep_for(milliseconds(200));
    const auto samples = keeper.take_samples();
    CHECK(samples.size() >= 3);
    CHECK(samples[0].watch == "current");
    CHECK(samples[0].value == about(0.04));
    CHECK(samples[0].unit == Unit::ampere);
    CHECK_FALSE(keeper.take_worst());
}

TEST_CASE("what was outside between two looks is not forgotten, though it is inside again") {
    Watched world(watch("current", "100 mA", "void"));
    WatchKeeper keeper(world.campaign.watches, *world.connection);
    keeper.look();
    world.state("busy");
    std::this_thread::sleep_for(milliseconds(150));  // seen by the background reading alone
    world.state("idle");
    keeper.look();
    CHECK(keeper.all_inside());
    const auto worst = keeper.take_worst();
    REQUIRE(worst);
    CHECK(worst->text == "current 140 mA, in order is at most 100 mA");
    CHECK(worst->value == about(0.14));
    CHECK_FALSE(keeper.take_worst());  // taken once
    const auto events = keeper.take_events();
    REQUIRE(events.size() == 1);
    CHECK(events[0].kind == "watch");
    CHECK(events[0].seconds > 0.05);
    CHECK(events[0].seconds < 5);
}

TEST_CASE("of several watches the gravest is heeded") {
    Watched world(watch("a", "100 mA", "note") + watch("b", "110 mA", "stop") + watch("c", "50 mA", "pause"));
    WatchKeeper keeper(world.campaign.watches, *world.connection);
    keeper.look();
    CHECK_FALSE(keeper.take_worst());
    world.state("busy");
    keeper.look();
    CHECK(keeper.take_worst()->watch->name == "b");
    CHECK_FALSE(keeper.all_inside());
    // What still lasts when the run ends is an event too.
    keeper.close_events();
    CHECK(keeper.take_events().size() == 3);
}

TEST_CASE("an instrument that no longer answers is trouble at the next look, not in the background") {
    Watched world(watch("current", "100 mA", "note"));
    WatchKeeper keeper(world.campaign.watches, *world.connection);
    keeper.look();
    {
        const auto hold = keeper.hold();  // while a connection is made anew nobody reads
        keeper.take_samples();
        std::this_thread::sleep_for(milliseconds(100));
        CHECK(keeper.take_samples().size() <= 1);
        world.connection->reconnect("supply");
    }
    // A loaded machine takes its time.
    bool read = false;
    for (int i = 0; i < 100 && !read; ++i) {
        std::this_thread::sleep_for(milliseconds(50));
        read = !keeper.take_samples().empty();
    }
    CHECK(read);
    CHECK(world.campaign.watches[0].limits_text() == "at most 100 mA");
}
