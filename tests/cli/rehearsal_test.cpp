// Faults rehearsed over every role, every way to reach it and every place of a run. In truth every point
// FAILS here: each of them would pass if an instrument were reset, set otherwise, or another's answer were
// taken. So whatever passes is a false PASS, and they are counted.
#include <doctest/doctest.h>

#include <cstdlib>

#include "tests/cli/stand.hpp"

using rt::Verdict;

namespace {

// Transmitting the unit is 10 dB too loud; 10 dB of attenuation are 9 dB too much loss; at -100 dBm nothing
// is received.
Stand failing() {
    Stand stand;
    stand.folder.write(
        "unit-asked.toml",
        "[dialect]\nid = \"unit-asked\"\ntitle = \"u\"\nkind = \"unit\"\nlike = \"unit-control\"\n"
        "[commands]\nconfirm_state = \"UNIT:STATe?\"\nconfirm_mode = \"UNIT:MODE?\"\n");
    stand.dialects["unit"] = "unit-asked.toml";
    stand.wire_extra = "attenuator = \"attenuator\"\n";
    stand.tests =
        Stand::scanning(
            "scan", "repeats = 2\nsettings = { \"unit.state\" = \"loud\", \"table.angle\" = \"30 deg\" }\n") +
        "[[test.judge]]\nrule = \"own/loud\"\n" +
        "[[test]]\nname = \"loss\"\nprocedure = \"path.loss\"\ninstrument = \"power-meter\"\nrepeats = 2\n"
        "parameters = { sent = \"0 dBm\", frequency = \"1 GHz\" }\nsettings = { \"generator.level\" = \"0 "
        "dBm\", "
        "\"generator.output\" = \"ON\", \"generator.frequency\" = \"1 GHz\", \"attenuator.attenuation\" = "
        "\"10 dB\" }\n"
        "[[test.judge]]\nrule = \"own/loss\"\n" +
        Stand::counting("link", "repeats = 2\n") + "[[test.judge]]\nrule = \"own/errors\"\n";
    const std::string frequency = "\"generator.frequency\" = \"1 GHz\" }\nrepeats";
    stand.tests.replace(stand.tests.find(frequency), 0, "\"generator.level\" = \"-100 dBm\", ");
    return stand;
}

// How many places of each are tried: one in the tests, more by RT_REHEARSE.
int places() {
    const char* wanted = std::getenv("RT_REHEARSE");
    return wanted ? std::atoi(wanted) : 1;
}

}  // namespace

TEST_CASE("undisturbed, every point of the rehearsal fails") {
    const Stand stand = failing();
    const Said said = stand.run();
    CAPTURE(said.out);
    CHECK(said.code == 1);
    const auto run = stand.record();
    CHECK(run.counts().fail == 6);
    CHECK(run.counts().pass + run.counts().marginal + run.counts().none == 0);
}

TEST_CASE("no fault of any instrument, over any transport, makes a PASS of what fails") {
    const std::vector<std::string> roles{"analyser", "generator", "attenuator", "power-meter",
                                         "counter",  "table",     "supply",     "unit"};
    const std::vector<std::string> kinds{"restart", "panel",         "swap",  "slow",
                                         "cut",     "another-value", "silent"};
    const std::vector<std::string> transports{"", ":hislip", ":vxi11", ":usb", ":gpib"};
    std::size_t passes = 0, runs = 0, touched = 0;
    std::uint64_t draw = 7;
    for (const auto& role : roles) {
        for (const auto& kind : kinds) {
            for (int place = 0; place < places(); ++place) {
                draw = draw * 6364136223846793005u + 1442695040888963407u;
                const std::uint64_t after = 1 + (draw >> 33) % 20, times = (draw >> 50) % 3;
                const std::string& transport = transports[(draw >> 53) % transports.size()];
                Stand stand = failing();
                stand.timeout = "400 ms";
                stand.addresses[role] = "simulated" + transport;
                stand.instrument_keys[role] = "retries = 1\n";
                stand.simulation = "[[simulation.fault]]\nrole = \"" + role + "\"\nkind = \"" + kind +
                                   "\"\nafter = " + std::to_string(after) +
                                   "\ntimes = " + std::to_string(times) + "\ndelay = \"600 ms\"\n";
                CAPTURE(stand.simulation);
                CAPTURE(transport);
                const Said said = stand.run();
                CHECK_MESSAGE((said.code == 1 || said.code == 3 || said.code == 4), said.err);
                ++runs;
                const auto counts = stand.record().counts();
                CHECK(counts.pass + counts.marginal == 0);
                passes += counts.pass + counts.marginal;
                touched += said.code != 1 || counts.fail != 6 || !stand.record().events.empty();
            }
        }
    }
    CHECK(passes == 0);
    CHECK(runs == roles.size() * kinds.size() * static_cast<std::size_t>(places()));
    // Most of them must have happened at all.
    CHECK(2 * touched > runs);
    MESSAGE(runs, " runs, ", touched, " touched, ", passes, " false PASS");
}

TEST_CASE("no fault of an oscilloscope or a network analyser makes a PASS of something else") {
    // The wired ports of the demo, where most things pass in truth: what passes must have the undisturbed
    // value.
    TestFolder folder;
    const std::filesystem::path demo = std::filesystem::path(RT_SOURCE) / "demo";
    folder.write("ports.toml", rt::lab::read_file(demo / "ports.toml"));
    folder.write("skerry-2.toml", rt::lab::read_file(demo / "skerry-2.toml"));
    const auto run_with = [&](const std::string& role, const std::string& transport,
                              const std::string& faults) {
        std::string bench = rt::lab::read_file(demo / "ports-bench.toml");
        for (std::size_t at = 0; (at = bench.find("\"30 s\"", at)) != std::string::npos;)
            bench.replace(at, 6, "\"1 s\"");
        const auto own = bench.find("role = \"" + role + "\"");
        if (own != std::string::npos) bench.insert(bench.find("simulated\"", own) + 9, transport);
        folder.write("ports-bench.toml", bench + "\n" + faults);
        std::filesystem::remove_all(folder / "run");
        return rare_tally(folder.path(), {"run", "ports.toml", "--only", "droop", "--only", "return-loss",
                                          "--out", "run", "--no-live", "--no-report"});
    };
    const auto values = [&] {
        std::map<std::string, double> out;
        for (const auto& point : rt::lab::Tally::open(folder / "run").read().points) {
            for (const auto& f : point.findings) {
                if (f.verdict == Verdict::pass || f.verdict == Verdict::marginal)
                    out[point.test + f.rule] = *f.margin;
            }
        }
        return out;
    };
    run_with("", "", "");
    const auto truth = values();
    REQUIRE(truth.size() >= 2);
    const std::vector<std::string> kinds{"restart", "panel",         "swap",  "slow",
                                         "cut",     "another-value", "silent"};
    const std::vector<std::string> transports{"", ":hislip", ":vxi11", ":usb", ":gpib"};
    std::uint64_t draw = 3;
    std::size_t wrong = 0, runs = 0;
    for (const std::string role : {"ethernet-scope", "network"}) {
        for (const auto& kind : kinds) {
            for (int place = 0; place < places(); ++place) {
                draw = draw * 6364136223846793005u + 1442695040888963407u;
                const std::string faults = "[[simulation.fault]]\nrole = \"" + role + "\"\nkind = \"" + kind +
                                           "\"\nafter = " + std::to_string(1 + (draw >> 33) % 20) +
                                           "\ntimes = " + std::to_string((draw >> 50) % 3) +
                                           "\ndelay = \"1500 ms\"\n";
                const std::string& transport = transports[(draw >> 53) % transports.size()];
                CAPTURE(faults);
                CAPTURE(transport);
                const Said said = run_with(role, transport, faults);
                CHECK_MESSAGE((said.code == 0 || said.code == 1 || said.code == 3 || said.code == 4),
                              said.err);
                ++runs;
                for (const auto& [name, margin] : values()) {
                    const auto known = truth.find(name);
                    // Noise of another draw moves the margins by less than this.
                    const bool same = known != truth.end() &&
                                      std::abs(known->second - margin) < 0.02 * std::abs(known->second) + 0.2;
                    CHECK_MESSAGE(same, name);
                    wrong += !same;
                }
            }
        }
    }
    CHECK(wrong == 0);
    CHECK(runs == 14 * static_cast<std::size_t>(places()));
}

TEST_CASE("what an instrument says against itself takes the verdict away") {
    for (const std::string state : {"unlevelled", "unlocked", "uncalibrated"}) {
        CAPTURE(state);
        Stand stand = failing();
        stand.simulation =
            "[[simulation.fault]]\nrole = \"generator\"\nkind = \"" + state + "\"\nafter = 0\n";
        CHECK(stand.run().code == 4);
        CHECK(stand.record().counts().none == 6);
        CHECK(contains(stand.record().points[0].invalid, "the generator says that it is " + state));
    }
}
