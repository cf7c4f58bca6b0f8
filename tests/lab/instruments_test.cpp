// The simulated instruments, through their dialects and sockets, in one world.
#include <doctest/doctest.h>

#include <chrono>
#include <cmath>

#include "lab/captures/acquire.hpp"
#include "lab/formats/bench_file.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/simulate/instruments/bench.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/bench_text.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

const char* const unit_text = R"(
[unit]
name = "u"
temperature = "20 degC"
[settings]
state = "idle"
[[line]]
port = "out"
frequency = "1 MHz"
level = "60 dBuV"
[[wire]]
from = "generator"
to = "power-meter"
loss = "2 dB"
at = "1 GHz"
[[wire]]
from = "generator"
to = "in"
loss = "2 dB"
at = "1 GHz"
attenuator = "attenuator"
[[through]]
from = "in"
to = "out"
gain = "20 dB"
saturation = "10 dBm"
[[receiver]]
port = "in"
half = "-90 dBm"
width = "2 dB"
packet_bits = 100
[[draw]]
current = "40 mA"
[[draw]]
when = { state = "busy" }
current = "60 mA"
[[pattern]]
port = "out"
front = "90 deg"
depth = "12 dB"
height = "2 m"
per_metre = "1 dB"
[[waveform]]
port = "clock"
rate = "10 Mbit/s"
amplitude = "0.5 V"
rise_time = "5 ns"
)";

// A bench with one simulated instrument of each kind; `instant` takes the time out.
struct World {
    TestFolder folder;
    Bench bench;
    std::unique_ptr<SimulatedBench> simulated;

    explicit World(bool supply = false, bool instant = true) {
        folder.write("unit.toml", unit_text);
        std::string text = "[bench]\nname = \"b\"\n";
        const auto add = [&](const std::string& role, const std::string& dialect, const std::string& port) {
            text +=
                instrument_text(role, dialect, port,
                                "impedance = \"50 ohm\"\nscan_bandwidth = \"40 MHz\"\ntimeout = \"2 s\"\n");
        };
        add("analyser", "scpi-analyser", "out");
        add("generator", "scpi-generator", "in");
        add("attenuator", "scpi-attenuator", "in");
        add("power-meter", "scpi-power-meter", "");
        add("counter", "scpi-counter", "in");
        add("scope", "scpi-oscilloscope", "clock");
        add("network", "scpi-network-analyser", "generator");
        add("table", "scpi-positioner", "");
        if (supply) add("supply", "scpi-supply", "power");
        add("unit", "unit-control", "");
        text += std::string("[simulation]\nunit = \"unit.toml\"\ninstant = ") + (instant ? "true" : "false") +
                "\n";
        bench = read_bench(folder.write("bench.toml", text),
                           DiskFiles(std::filesystem::path(RT_SOURCE) / "dialects"));
        simulated = std::make_unique<SimulatedBench>(bench);
    }
    InstrumentRole role(const std::string& name) {
        const Instrument& instrument = *bench.find(name);
        return InstrumentRole(ScpiSession(instrument, simulated->serve(instrument).place()));
    }
};

double level_at(InstrumentRole& analyser, double hz) {
    SpectrumSetup setup;
    setup.start_hz = hz - 50e3, setup.stop_hz = hz + 50e3, setup.points = 101;
    setup.resolution_bandwidth_hz = 10e3, setup.dwell_s = 1e-3,
    setup.reference_level = Quantity{10, Unit::dbm};
    return sweep(analyser, setup).level[50];
}

}  // namespace

TEST_CASE("what the generator sends passes wire, attenuator and unit and reaches the analyser") {
    World world;
    auto generator = world.role("generator"), attenuator = world.role("attenuator"),
         analyser = world.role("analyser");
    generator.set("frequency", "1 GHz");
    generator.set("level", "-30 dBm");
    CHECK(level_at(analyser, 1e9) < -70);  // it is off
    generator.set("output", "ON");
    CHECK(level_at(analyser, 1e9) == about(-30 - 2 + 20).epsilon(0.01));
    attenuator.set("attenuation", "10 dB");
    CHECK(level_at(analyser, 1e9) == about(-22).epsilon(0.01));
    // A cable loses by the square root of frequency: 4 dB at 4 GHz.
    generator.set("frequency", "4 GHz");
    CHECK(level_at(analyser, 4e9) == about(-30 - 4 - 10 + 20).epsilon(0.01));
    // Driven hard, the unit approaches its saturation: 10 log(1 / (1 / ideal + 1 / saturation)).
    attenuator.set("attenuation", "0 dB");
    generator.set("frequency", "1 GHz");
    generator.set("level", "-8 dBm");
    CHECK(level_at(analyser, 1e9) == about(10 - 10 * std::log10(2)).epsilon(0.01));
    CHECK(error_text(ErrorKind::bench, [&] { generator.set("level", "30 dBm"); }) ==
          "the generator does not take level = \"30 dBm\": -222,\"Data out of range\"");
    CHECK(input_error([&] { generator.set("level", "30 Hz"); }).find("a power level") != std::string::npos);
    CHECK(input_error([&] {
              generator.set("colour", "red");
          }).find("a generator has no setting \"colour\": known are frequency") != std::string::npos);
}

TEST_CASE("a power meter reads the wire's loss, once it is zeroed") {
    World world;
    auto generator = world.role("generator"), meter = world.role("power-meter");
    generator.set("frequency", "1 GHz");
    generator.set("level", "-50 dBm");
    generator.set("output", "ON");
    const PowerSetup setup{1e9, 1, 64};
    // 6.3 nW and, before zeroing, 3 nW too many: 1.7 dB.
    CHECK(read_power(meter, setup).level_dbm == about(-52 + 1.69).epsilon(0.01));
    meter.zero();
    CHECK(read_power(meter, setup).level_dbm == about(-52).epsilon(0.005));
    CHECK_FALSE(read_power(meter, setup).distrust);
    CHECK(read_power(meter, {1e9, 3, 1}).level_dbm < -60);  // nothing at the third sensor
    generator.set("level", "20 dBm");
    CHECK_FALSE(read_power(meter, setup).distrust);
    CHECK(error_text(ErrorKind::bench, [&] {
              read_power(meter, {1e9, 7, 1});
          }).find("power-meter") != std::string::npos);
}

TEST_CASE("a link counter loses the share of packets that the receiver's curve says") {
    World world;
    auto generator = world.role("generator"), counter = world.role("counter");
    generator.set("frequency", "1 GHz");
    generator.set("output", "ON");
    const CountSetup setup{20000, 0};
    const auto lost = [&](const char* level) {
        generator.set("level", level);
        const Counts counts = count(counter, setup);
        CHECK(counts.packets_sent == 20000);
        CHECK(counts.bits == 2000000);
        return 1 - static_cast<double>(counts.packets_received) / 20000;
    };
    // Two dB are lost on the way. Three standard deviations of 20,000 packets are 0.011 at a half.
    CHECK(lost("-88 dBm") == about(0.5).epsilon(0.022));
    CHECK(lost("-86 dBm") == about(0.01).epsilon(0.22));
    CHECK(lost("-60 dBm") == 0);
    CHECK(lost("-120 dBm") == 1);
}

TEST_CASE("a unit on a supply is dead without it, draws current with it, and starts anew") {
    World world(true);
    auto supply = world.role("supply"), analyser = world.role("analyser"), unit = world.role("unit");
    CHECK(level_at(analyser, 1e6) < -80);
    CHECK_THROWS_AS(unit.identify(), Error);
    supply.set("voltage", "5 V");
    supply.set("output", "ON");
    CHECK(level_at(analyser, 1e6) == about(60 - 106.99 - 6 - 1).epsilon(0.01));  // turned away by 90 deg
    CHECK(supply.query("current") == about(0.04));
    auto again = world.role("unit");
    again.set("state", "busy");
    CHECK(supply.query("current") == about(0.1));
    CHECK(again.query("temperature") == about(20));
    supply.set("output", "OFF");
    CHECK(supply.query("current") == 0);
    supply.set("output", "ON");
    CHECK(supply.query("current") == about(0.04));  // its settings are those of power-on
}

TEST_CASE("a turntable turns while other things are done, and `settle` waits for it") {
    World world(false, false);
    auto table = world.role("table"), analyser = world.role("analyser");
    const auto start = std::chrono::steady_clock::now();
    table.begin("angle", "30 deg");  // 1 s at 30 deg/s
    CHECK(std::chrono::steady_clock::now() - start < std::chrono::milliseconds(900));
    CHECK(table.query("angle") < 30);
    table.settle();
    CHECK(std::chrono::steady_clock::now() - start >= std::chrono::milliseconds(990));
    CHECK(table.query("angle") == 30);
    World quick;
    auto turn = quick.role("table");
    auto seen = quick.role("analyser");
    // Front at 90 deg, 12 dB less behind; strongest at 2 m, 1 dB less a metre beside.
    turn.set("angle", "90 deg");
    turn.set("height", "2 m");
    const double front = level_at(seen, 1e6);
    turn.set("angle", "270 deg");
    CHECK(front - level_at(seen, 1e6) == about(12).epsilon(0.02));
    turn.set("angle", "90 deg");
    turn.set("height", "4 m");
    CHECK(front - level_at(seen, 1e6) == about(2).epsilon(0.05));
}

TEST_CASE("an oscilloscope gives the waveform at its scale, and says when it is clipped") {
    World world;
    auto scope = world.role("scope");
    WaveformSetup setup;
    setup.span_s = 127e-7, setup.points = 12701, setup.channels = {1, 2};
    const auto records = record(scope, setup);
    REQUIRE(records.channels.size() == 2);
    CHECK(records.step_s == about(1e-9));
    CHECK_FALSE(records.distrust);
    // PRBS7 at 10 Mbit/s: 64 of 127 bits are ones, sampled in their middle.
    const auto volts = records.volts();
    int ones = 0;
    for (int bit = 0; bit < 127; ++bit) ones += volts[static_cast<std::size_t>(bit * 100 + 50)] > 0;
    CHECK(ones == 64);
    setup.range_v = 0.2;
    CHECK(record(scope, setup).distrust == "scope overloaded: enlarge the range");
}

TEST_CASE("a network analyser sees loss and delay of the wire") {
    World world;
    auto network = world.role("network");
    const Network n = scan_network(network, {1e9, 2e9, 11, 100});
    REQUIRE(n.frequency_hz.size() == 11);
    CHECK(n.frequency_hz[10] == 2e9);
    CHECK(-20 * std::log10(std::abs(n.at(0, 2, 1))) == about(2).epsilon(0.01));
    CHECK(-20 * std::log10(std::abs(n.at(10, 1, 2))) == about(2 * std::sqrt(2)).epsilon(0.01));
    CHECK(std::abs(n.at(5, 1, 1)) == about(0.05).epsilon(0.05));
}
