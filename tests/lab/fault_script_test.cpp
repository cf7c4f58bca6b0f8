// The fault plan of simulated instruments.
#include "lab/simulate/fault_script.hpp"

#include <doctest/doctest.h>

#include <chrono>

#include "lab/simulate/instruments/sources.hpp"
#include "lab/simulate/instruments/unit_control.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

struct Served {
    TestFolder folder;
    std::shared_ptr<Stage> stage;
    SimulatedGenerator generator;
    FaultScript script;

    explicit Served(std::vector<PlannedFault> faults)
        : stage(
              std::make_shared<Stage>(std::make_shared<SimulatedUnit>(folder.write(
                                          "u.toml", "[unit]\nname = \"u\"\n[settings]\nstate = \"idle\"\n")),
                                      Stage::Options{1, true, false})),
          generator(stage, "generator"),
          script(std::move(faults)) {}
    Reply say(const char* message) { return script.reply(generator, message); }
};

PlannedFault fault(const char* kind, long long after, long long times) {
    return {"generator", kind, after, times, 0.02, "-300,\"Device-specific error\""};
}

}  // namespace

TEST_CASE("faults come after the answers that go well, as often as planned") {
    Served served({fault("silent", 2, 2)});
    CHECK(served.say("*IDN?").text);
    served.say("POW -3");  // a command without answer does not count
    CHECK(served.say("POW?").text == "-3");
    CHECK_FALSE(served.say("*IDN?").text);
    CHECK_FALSE(served.say("*IDN?").text);
    CHECK(served.say("*IDN?").text);
    Served always({fault("drop", 1, 0)});
    CHECK_FALSE(always.say("*IDN?").drop);
    for (int i = 0; i < 3; ++i) CHECK(always.say("*IDN?").drop);
}

TEST_CASE("each kind spoils the answer in its own way") {
    Served garbage({fault("garbage", 0, 1)});
    CHECK(garbage.say("*IDN?").text->find('\x1b') != std::string::npos);
    CHECK(garbage.say("*OPC?").text == "1");
    const std::string whole = *garbage.say("*IDN?").text;
    Served half({fault("half-block", 0, 1)});
    const Reply reply = half.say("*IDN?");
    CHECK(reply.cut);
    CHECK(reply.text == whole.substr(0, whole.size() / 2));
    Served slow({fault("slow", 0, 1)});
    const auto start = std::chrono::steady_clock::now();
    CHECK(slow.say("*OPC?").text == "1");
    CHECK(std::chrono::steady_clock::now() - start >= std::chrono::milliseconds(20));
    Served entry({fault("error-entry", 1, 1)});
    CHECK(entry.say("SYST:ERR?").text == "0,\"No error\"");
    CHECK(entry.say("SYST:ERR?").text == "-300,\"Device-specific error\"");
    CHECK(entry.say("SYST:ERR?").text == "0,\"No error\"");
}

TEST_CASE(
    "a unit that hangs is silent until its supply was off; one in the wrong mode takes settings in vain") {
    Served world({});
    SimulatedUnitControl control(world.stage);
    FaultScript hang({{"unit", "hang", 1, 0, 0, ""}});
    CHECK(hang.reply(control, "UNIT:STATe?").text == "idle");
    CHECK_FALSE(hang.reply(control, "UNIT:STATe?").text);
    CHECK_FALSE(hang.reply(control, "*IDN?").text);
    world.stage->set_supply(5, 1, false);
    world.stage->set_supply(5, 1, true);
    CHECK(hang.reply(control, "UNIT:STATe?").text == "idle");
    FaultScript wrong({{"unit", "wrong-mode", 0, 0, 0, ""}});
    wrong.reply(control, "UNIT:STATe busy");
    CHECK(wrong.reply(control, "UNIT:STATe?").text == "idle");
    CHECK(wrong.reply(control, "SYST:ERR?").text == "0,\"No error\"");
}

TEST_CASE("numbered nodes take a suffix, others do not") {
    ScpiTree tree;
    std::string got;
    tree.on_query("READ#", [&](const ScpiArguments& a) { return a.at(0); });
    tree.on_command("[SENSe]:VOLTage#:RANGe", [&](const ScpiArguments& a) { got = a.at(0) + "=" + a.at(1); });
    tree.on_query("STATe", [](const auto&) { return std::string("on"); });
    CHECK(tree.execute("READ3?") == "3");
    CHECK(tree.execute("READ?") == "1");
    tree.execute("VOLT2:RANG 0.5");
    CHECK(got == "2=0.5");
    tree.clear_errors();
    tree.execute("STAT2?");
    CHECK(tree.pop_error() == "-114,\"Header suffix out of range\"");
    tree.execute("SENS2:VOLT2:RANG 1");  // only one number
    CHECK(tree.pop_error() == "-114,\"Header suffix out of range\"");
}
