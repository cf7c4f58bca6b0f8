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
