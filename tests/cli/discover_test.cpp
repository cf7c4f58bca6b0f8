// Instruments that are found: in network namespaces of the test's own, since loopback has no broadcast.
#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "tests/cli/networks.hpp"
#include "tests/cli/program.hpp"
#include "tests/lab/folder.hpp"

namespace {

const std::string script = joined_networks("bench served.toml --serve --listen 0.0.0.0 --port-mapper") +
                           R"sh("$1" bench --discover --interface va --time "1 s" --out found.toml --json
)sh";

}  // namespace

TEST_CASE("an instrument that answers a broadcast is found, asked, and begins a bench") {
    if (!can_make_networks()) {
        MESSAGE("not tried: this machine lets nobody make a network namespace");
        return;
    }
    TestFolder folder;
    folder.write(
        "served.toml",
        "[bench]\nname = \"b\"\n[[instrument]]\nrole = \"analyser\"\nname = \"x\"\naddress = "
        "\"simulated:vxi11\"\ndialect = \"scpi-analyser\"\nconnected_to = \"out\"\n[simulation]\nunit = "
        "\"unit.toml\"\n");
    folder.write("unit.toml", "[unit]\nname = \"u\"\n[settings]\nstate = \"idle\"\n");
    folder.write("find.sh", script);
    const Said said = run_in(folder.path(), "/usr/bin/unshare",
                             {"-n", "/bin/sh", (folder / "find.sh").string(), in_build("rare-tally")});
    CAPTURE(said.err);
    REQUIRE(said.code == 0);
    const auto list = nlohmann::json::parse(said.out);
    REQUIRE(list.size() == 1);
    CHECK(list[0]["address"] == "vxi11://10.77.0.2");
    CHECK(contains(list[0]["identity"].get<std::string>(), "simulated analyser"));
    CHECK(list[0]["dialect"] == "scpi-analyser");
    const std::string bench = rt::lab::read_file(folder / "found.toml");
    CHECK(contains(bench, "role = \"analyser\""));
    CHECK(contains(bench, "address = \"vxi11://10.77.0.2\""));
}

TEST_CASE("what cannot be looked at is said, and nothing is written over") {
    TestFolder folder;
    folder.write("there.toml", "");
    const auto found = [&](std::vector<std::string> more) {
        more.insert(more.begin(), {"bench", "--discover", "--time", "100 ms"});
        return rare_tally(folder.path(), more);
    };
    CHECK(contains(found({"--interface", "nothere"}).err,
                   "not looked at by broadcast on nothere: there is no such interface"));
    CHECK(contains(found({"--interface", "lo"}).err, "no broadcast address"));
    CHECK(contains(found({}).err, "no broadcast was sent"));
    CHECK(contains(found({"--out", "there.toml"}).err, "is there already"));
    CHECK(found({"--out", "there.toml"}).code == 2);
    CHECK(found({"--time", "1 h"}).code == 2);
    CHECK(contains(rare_tally(folder.path(), {"bench", "b.toml", "--discover"}).err, "leave the file out"));
}
