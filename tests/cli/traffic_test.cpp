// Traffic as an instrument of a bench: between addresses of this machine, through an agent elsewhere, and
// simulated.
#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "lab/tally/tally.hpp"
#include "tests/about.hpp"
#include "tests/cli/networks.hpp"
#include "tests/cli/program.hpp"
#include "tests/lab/bench_text.hpp"
#include "tests/lab/folder.hpp"

namespace {

const std::string unit_here = "[[instrument]]\nrole = \"unit\"\nname = \"u\"\naddress = \"by hand\"\n";

std::string campaign(const std::string& parameters, const std::string& settings,
                     const std::string& more = "") {
    return "[campaign]\ntitle = \"t\"\nbench = \"bench.toml\"\nrulebooks = [\"own.toml\"]\n[unit]\nmaker = "
           "\"m\"\nmodel = \"Skerry-2\"\nserial = \"7\"\n[[test]]\nname = \"traffic\"\nprocedure = "
           "\"receiver.throughput\"\ninstrument = \"traffic\"\nparameters = { " +
           parameters + " }\nsettings = { " + settings + " }\n" + more +
           "[[test.judge]]\nrule = \"own/loss\"\n";
}

const std::string own_rules =
    "[rulebook]\nid = \"own\"\ntitle = \"own\"\nstandard = \"house rules\"\nedition = \"1\"\nbasis = \"made "
    "up\"\n[[rule]]\nid = \"loss\"\ntitle = \"loss\"\nclause = \"1\"\nquantity = \"q\"\napplies_to = "
    "\"frame_loss\"\nunit = \"%\"\nkind = \"bound\"\nmax = \"1 %\"\nconfidence = \"sure\"\n";

// A receiver at -90 dBm that carries 20 Mb/s and is gone below -95 dBm, behind a generator.
void write_simulated(const TestFolder& folder, const std::string& keys = "") {
    folder.write("own.toml", own_rules);
    folder.write("bench.toml", "[bench]\nname = \"b\"\n" + instrument_text("traffic", "traffic", "in") +
                                   instrument_text("generator", "scpi-generator", "in") + unit_here +
                                   "[simulation]\nunit = \"unit.toml\"\ninstant = true\n" + keys);
    folder.write("unit.toml",
                 "[unit]\nname = \"u\"\n[settings]\nstate = \"idle\"\n[[wire]]\nfrom = \"generator\"\nto = "
                 "\"in\"\nloss = \"2 dB\"\nat = \"1 GHz\"\n[[receiver]]\nport = \"in\"\nhalf = \"-90 "
                 "dBm\"\nwidth = \"1 dB\"\nmost = \"20 Mbit/s\"\nassociation = \"-95 dBm\"\n");
}

const std::string levels =
    "[[test.sweep]]\naxis = \"level\"\nsets = [\"generator.level\", \"parameter.transmit_level\"]\nvalues = "
    "[\"-98 dBm\", \"-91 dBm\", \"-89 dBm\", \"-88 dBm\", \"-87 dBm\", \"-80 dBm\", \"-60 dBm\"]\n";
const std::string generator = "\"generator.output\" = \"ON\", \"generator.frequency\" = \"1 GHz\"";

Said run(const TestFolder& folder) {
    return rare_tally(folder.path(),
                      {"run", "campaign.toml", "--out", "run", "--unattended", "--no-live", "--no-report"});
}

rt::lab::RunRecord record(const TestFolder& folder) {
    return rt::lab::Tally::open(folder / "run").read();
}

}  // namespace

TEST_CASE("real traffic between two addresses is measured, kept, judged and judged again") {
    TestFolder folder;
    folder.write("own.toml", own_rules);
    folder.write("bench.toml", "[bench]\nname = \"b\"\n" +
                                   instrument_text("traffic", "traffic", "", "timeout = \"10 s\"\n", "here") +
                                   unit_here);
    folder.write("campaign.toml",
                 campaign("rate = \"10 Mbit/s\", time = \"0.3 s\", octets = 500, way = \"both\"",
                          "\"traffic.from\" = \"127.0.0.1\", \"traffic.to\" = \"127.0.0.2\""));
    const Said said = run(folder);
    CHECK_MESSAGE(said.code == 0, said.err);
    const auto kept = record(folder);
    REQUIRE(kept.points.size() == 1);
    CHECK(kept.points[0].find_result("frames_sent")->value.value == 1500);
    CHECK(kept.points[0].find_result("frames_received")->value.value == 1500);
    CHECK(kept.points[0].find_result("latency_99")->value.value > 0);
    CHECK(rare_tally(folder.path(), {"verify", "run"}).code == 0);
    CHECK(rare_tally(folder.path(), {"judge", "run"}).code == 0);
    // The same again from the kept capture alone.
    const Said again = rare_tally(folder.path(), {"measure", "receiver.throughput",
                                                  (folder / "run" / kept.points[0].capture.file).string(),
                                                  "--set", "rate=10 Mbit/s", "--json"});
    CHECK(again.code == 0);
    CHECK(contains(again.out, "\"longest_gap\""));
    // An interface that is not there is bench trouble in one line, before anything is sent.
    folder.write("campaign.toml", campaign("rate = \"10 Mbit/s\", time = \"0.1 s\"",
                                           "\"traffic.from\" = \"127.0.0.1\", \"traffic.to\" = \"eth77\""));
    std::filesystem::remove_all(folder / "run");
    const Said none = run(folder);
    CHECK((none.code == 3 || none.code == 4));
    CHECK(contains(none.err + none.out, "is neither an address nor an interface of this machine"));
    // Nothing else lives in the program itself.
    folder.write("bench.toml", "[bench]\nname = \"b\"\n" +
                                   instrument_text("analyser", "scpi-analyser", "", "", "here") + unit_here);
    CHECK(contains(rare_tally(folder.path(), {"bench", "bench.toml"}).err,
                   "the program itself is traffic, a module's reader"));
}

TEST_CASE("the kernel of another network counts what an agent there says it received") {
    const std::string script =
        joined_networks("traffic --serve --listen 10.77.0.2 --port 5032") +
        R"sh("$1" traffic va agent:10.77.0.2:5032 --rate "8 Mbit/s" --length 1000 --time "1 s" --way both --json --out kept.csv
nsenter -t $HOLD -n grep '^Udp:' /proc/net/snmp > there.txt
grep '^Udp:' /proc/net/snmp > here.txt
if "$1" traffic va agent:10.77.0.2:5032 --rate "8 Mbit/s" --length 2000 --time "1 s" 2> long.txt; then exit 9; fi
)sh";
    if (!can_make_networks()) {
        MESSAGE("not tried: this machine lets nobody make a network namespace");
        return;
    }
    TestFolder folder;
    folder.write("go.sh", script);
    const Said said = run_in(folder.path(), "/usr/bin/unshare",
                             {"-n", "/bin/sh", (folder / "go.sh").string(), in_build("rare-tally")});
    CAPTURE(said.err);
    REQUIRE(said.code == 0);
    const auto json = nlohmann::json::parse(said.out);
    REQUIRE(json["flows"].size() == 2);
    for (const auto& flow : json["flows"]) {
        CHECK(flow["sent"] == 1000);
        CHECK(flow["received"] == 1000);
        // Two clocks, for all that it knows: compared before and behind.
        REQUIRE(!flow["latency"].is_null());
        CHECK(flow["latency"]["within_s"] > 0);
        CHECK(flow["latency"]["within_s"] < 0.02);
        CHECK(flow["latency"]["least_s"] <= flow["latency"]["half_s"]);
    }
    // InDatagrams of the kernel: first of the numbers.
    const auto datagrams = [&](const char* file) {
        const std::string text = rt::lab::read_file(folder / file);
        return std::stol(text.substr(text.rfind("Udp: ") + 5));
    };
    CHECK(datagrams("there.txt") == 1000);
    CHECK(datagrams("here.txt") == 1000);
    // Frames longer than the interface takes are said to be so, not cut in two.
    CHECK(contains(rt::lab::read_file(folder / "long.txt"), "frames of 2000 octets do not fit"));
}

TEST_CASE("a simulated link carries what its level lets through, and loses its association below") {
    TestFolder folder;
    write_simulated(folder);
    folder.write("campaign.toml",
                 campaign("rate = \"10 Mbit/s\", time = \"2 s\", path_loss = \"2 dB\", way = \"both\"",
                          generator, levels));
    const Said said = run(folder);
    CHECK_MESSAGE(said.code == 1, said.err);
    const auto kept = record(folder);
    REQUIRE(kept.points.size() == 7);
    const auto value = [&](std::size_t i, const char* name) {
        const auto* result = kept.points[i].find_result(name);
        REQUIRE_MESSAGE(result, name);
        return result->value.value;
    };
    CHECK(value(0, "received_level") == within(1e-9, -100));
    CHECK(value(0, "frame_loss") == 100);  // no association
    CHECK(value(0, "longest_gap") == about(2.0));
    CHECK(value(6, "frame_loss") == 0);
    CHECK(value(6, "throughput") == about(10e6).epsilon(1e-3));
    // Loss 1 / (1 + 99^((level + 90) / 1 dB)): at -89 dBm half of 20 Mb/s times 0.99 is more than is offered.
    CHECK(value(2, "frame_loss") > value(3, "frame_loss") - 1e-9);
    CHECK(kept.points[0].findings[0].verdict == rt::Verdict::fail);
    CHECK(kept.points[6].findings[0].verdict == rt::Verdict::pass);
    // What is offered beyond its most does not arrive.
    folder.write("campaign.toml", campaign("rate = \"40 Mbit/s\", time = \"2 s\"",
                                           "\"generator.level\" = \"-60 dBm\", " + generator));
    std::filesystem::remove_all(folder / "run");
    CHECK(run(folder).code == 1);
    const auto full = record(folder);
    CHECK(full.points[0].find_result("throughput")->value.value == about(20e6).epsilon(0.01));
    CHECK(full.points[0].find_result("frame_loss")->value.value == about(50).epsilon(0.01));
}

TEST_CASE("faults of a traffic instrument make no PASS") {
    for (const char* kind :
         {"silent", "drop", "garbage", "half-block", "error-entry", "overload", "restart"}) {
        TestFolder folder;
        write_simulated(folder, "[[simulation.fault]]\nrole = \"traffic\"\nkind = \"" + std::string(kind) +
                                    "\"\nafter = 6\n");
        std::string bench = rt::lab::read_file(folder / "bench.toml");
        bench.insert(bench.find("dialect = \"traffic\"\n"), "timeout = \"1 s\"\n");
        folder.write("bench.toml", bench);
        // 40 % of what is offered is lost in truth.
        folder.write("campaign.toml", campaign("rate = \"33 Mbit/s\", time = \"100 ms\"",
                                               "\"generator.level\" = \"-60 dBm\", " + generator));
        const Said said = run(folder);
        CAPTURE(kind);
        CAPTURE(said.err);
        CHECK(said.code != 0);
        CHECK(record(folder).counts().pass == 0);
    }
}
