// Instruments that are found: in network namespaces of the test's own, since loopback has no broadcast.
#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "tests/cli/program.hpp"
#include "tests/lab/folder.hpp"

namespace {

// Two namespaces joined by a pair of interfaces: instruments in one, the program in the other.
const char* const script = R"sh(set -e
trap 'kill $HOLD $SERVE 2>/dev/null' EXIT
ip link set lo up
ip link add va type veth peer name vb
unshare -n sleep 60 & HOLD=$!
for i in $(seq 100); do [ "$(readlink /proc/$HOLD/ns/net)" != "$(readlink /proc/$$/ns/net)" ] && break; sleep 0.05; done
ip link set vb netns $HOLD
ip addr add 10.77.0.1/24 brd + dev va; ip link set va up
nsenter -t $HOLD -n sh -c 'ip link set lo up; ip addr add 10.77.0.2/24 brd + dev vb; ip link set vb up'
nsenter -t $HOLD -n "$1" bench served.toml --serve --listen 0.0.0.0 --port-mapper > served.log 2>&1 & SERVE=$!
for i in $(seq 100); do grep -q serving served.log && break; sleep 0.1; done
"$1" bench --discover --interface va --time "1 s" --out found.toml --json
)sh";

bool can_make_networks() {
    return std::system("unshare -n sh -c 'ip link add va type veth peer name vb' >/dev/null 2>&1") == 0;
}

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
