// The described world behind simulated instruments.
#include <doctest/doctest.h>

#include <cmath>

#include "lab/simulate/stage.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

const std::string head = "[unit]\nname = \"u\"\n[settings]\nstate = \"idle\"\n";

std::shared_ptr<Stage> stage_of(const TestFolder& folder, const std::string& text, bool supplied = false) {
    return std::make_shared<Stage>(std::make_shared<SimulatedUnit>(folder.write("u.toml", head + text)),
                                   Stage::Options{1, true, supplied});
}

}  // namespace

TEST_CASE("a wire loses by the square root of frequency") {
    const Wire wire{"a", "b", 2, 1e9, ""};
    CHECK(wire.loss_at(1e9) == about(2));
    CHECK(wire.loss_at(4e9) == about(4));
    CHECK(wire.loss_at(0.25e9) == about(1));
}

TEST_CASE(
    "a receiver loses half at its level, one in a hundred a width above, 99 in a hundred a width below") {
    const Receiver receiver{"in", {}, -90, 2, 1e-3, 100};
    CHECK(receiver.loss_share(-90) == about(0.5));
    CHECK(receiver.loss_share(-88) == about(0.01));
    CHECK(receiver.loss_share(-92) == about(0.99));
    CHECK(receiver.loss_share(0) == about(0));
}

TEST_CASE("a pattern is strongest in front and at its height") {
    const Pattern pattern{"out", 30, 10, 1.5, 2};
    CHECK(pattern.gain_db(30, 1.5) == about(0));
    CHECK(pattern.gain_db(210, 1.5) == about(-10));
    CHECK(pattern.gain_db(120, 1.5) == about(-5));
    CHECK(pattern.gain_db(30, 3) == about(-3));
}

TEST_CASE("what is at the far end of a wire is what left the port less its loss") {
    TestFolder folder;
    const auto stage =
        stage_of(folder,
                 "[[line]]\nport = \"out\"\nfrequency = \"1 GHz\"\nlevel = \"100 dBuV\"\n"
                 "[[noise]]\nport = \"out\"\nfrom = \"1 MHz\"\nto = \"4 GHz\"\ndensity = \"-140 dBm/Hz\"\n"
                 "[[wire]]\nfrom = \"out\"\nto = \"analyser\"\nloss = \"3 dB\"\nat = \"1 GHz\"\n");
    const double here = stage->emission("out").lines[0].level_dbm;
    const Emission there = stage->emission("out", "analyser");
    CHECK(there.lines[0].level_dbm == about(here - 3));
    CHECK(there.noise[0].density_to_dbm_hz == about(-140 - 6));
    CHECK(stage->emission("out", "other").lines[0].level_dbm == about(here));
    CHECK(stage->emission("elsewhere").lines.empty());
}

TEST_CASE("drift is added to all that leaves, warming follows the time that instruments spent") {
    TestFolder folder;
    const auto stage =
        stage_of(folder, "[[line]]\nport = \"out\"\nfrequency = \"1 MHz\"\nlevel = \"50 dBuV\"\n");
    const double before = stage->emission("out").lines[0].level_dbm;
    stage->drift(-2);
    CHECK(stage->emission("out").lines[0].level_dbm == about(before - 2));
    CHECK(stage->seconds() == 0);
    stage->spend(3);
    CHECK(stage->seconds() == 3);
    const auto warm = std::make_shared<Stage>(std::make_shared<SimulatedUnit>(folder.write(
                                                  "w.toml",
                                                  "[unit]\nname = \"u\"\ntemperature = \"20 degC\"\nwarming "
                                                  "= \"10 degC\"\nwarming_time = \"60 s\"\n[settings]\n")),
                                              Stage::Options{1, true, false});
    CHECK(warm->temperature() == about(20));
    warm->spend(60);
    CHECK(warm->temperature() == about(20 + 10 * (1 - std::exp(-1))));
}

TEST_CASE("the current is that of the settings, up to the limit of the supply") {
    TestFolder folder;
    const auto stage = stage_of(
        folder,
        "[[draw]]\ncurrent = \"40 mA\"\n[[draw]]\nwhen = { state = \"busy\" }\ncurrent = \"100 mA\"\n", true);
    CHECK_FALSE(stage->powered());
    CHECK(stage->current() == 0);
    stage->set_supply(5, 0.1, true);
    CHECK(stage->current() == about(0.04));
    stage->unit().set("state", "busy");
    CHECK(stage->current() == about(0.1));
    stage->set_supply(3.9, 1, true);  // too low for a unit of 5 V
    CHECK_FALSE(stage->powered());
}

TEST_CASE("slips in a described world are named") {
    TestFolder folder;
    const auto error = [&](const std::string& text) { return input_error([&] { stage_of(folder, text); }); };
    CHECK(error("[[draw]]\nwhen = { stat = \"x\" }\ncurrent = \"1 A\"\n")
              .find("no setting \"stat\": did you mean \"state\"?") != std::string::npos);
    CHECK(error("[[wire]]\nfrom = \"a\"\nto = \"b\"\nloss = \"1 dB\"\nat = \"0 Hz\"\n")
              .find("must be above 0 Hz") != std::string::npos);
    CHECK(error("[[receiver]]\nport = \"a\"\nhalf = \"-90 dBm\"\nwidth = \"0 dB\"\n")
              .find("must be above 0 dB") != std::string::npos);
    CHECK(error("[[receiver]]\nport = \"a\"\nhalf = \"-90 V\"\nwidth = \"1 dB\"\n")
              .find("write a power level") != std::string::npos);
    CHECK(error("[[pattern]]\nport = \"a\"\nfront = \"0 deg\"\n").find("depth") != std::string::npos);
}
