// Roles over real sockets: the simulated instruments, and instruments that misbehave.
#include <doctest/doctest.h>

#include <chrono>
#include <cstring>

#include "core/base/error.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/formats/dialect_file.hpp"
#include "lab/simulate/instruments/analyser.hpp"
#include "lab/simulate/instruments/unit_control.hpp"
#include "lab/simulate/serve/server.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/fake_instrument.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

const char* const unit_text =
    "[unit]\nname = \"u\"\n[settings]\nstate = \"idle\"\nlevel = \"0 dBm\"\nchannel = \"11\"\n"
    "[[line]]\nport = \"p\"\nwhen = { state = \"on\" }\nfrequency = \"1 MHz\"\nlevel = \"60 dBuV\"\n";

// A simulated analyser at port "p" of that unit, on a socket.
struct Simulated {
    TestFolder folder;
    std::shared_ptr<SimulatedUnit> unit =
        std::make_shared<SimulatedUnit>(folder.write("unit.toml", unit_text));
    std::shared_ptr<Stage> stage = std::make_shared<Stage>(unit, Stage::Options{1, true, false});
    InstrumentServer server{std::make_shared<SimulatedAnalyser>(stage, SimulatedAnalyser::Options{"p"})};
    Instrument instrument = make();

    static Instrument make() {
        Instrument out;
        out.role = "analyser";
        out.dialect = read_dialect(std::filesystem::path(RT_SOURCE) / "dialects" / "scpi-analyser.toml");
        out.impedance_ohm = 50;
        out.scan_bandwidth_hz = 40e6;
        return out;
    }
    ScpiSession session() { return {instrument, server.place()}; }
};

SpectrumSetup around_1mhz() {
    SpectrumSetup setup;
    setup.start_hz = 0.9e6, setup.stop_hz = 1.1e6, setup.points = 201;
    setup.resolution_bandwidth_hz = 9e3;
    setup.detector = Detector::peak;
    setup.dwell_s = 0.001;
    setup.unit = Unit::dbuv;
    setup.reference_level = Quantity{-20, Unit::dbm};
    return setup;
}

std::string block(const std::vector<double>& values) {
    std::string bytes(values.size() * sizeof(double), '\0');
    std::memcpy(bytes.data(), values.data(), bytes.size());
    const std::string length = std::to_string(bytes.size());
    return "#" + std::to_string(length.size()) + length + bytes + "\n";
}

// Answers like an analyser, but for one command.
std::string sane(const std::string& line) {
    // As it was told: around_1mhz().
    static const std::pair<const char*, const char*> settings[] = {
        {"*ESR?", "0"},       {"FORMat:DATA?", "REAL,64"}, {"BORDer?", "SWAP"}, {"UNIT:POWer?", "DBUV"},
        {"STARt?", "900000"}, {"STOP?", "1100000"},        {"POINts?", "201"},  {"RESolution?", "9000"},
        {"FUNCtion?", "POS"}, {"DWELl?", "0.001"},         {"AUTO?", "1"}};
    for (const auto& [question, answer] : settings) {
        if (line.find(question) != std::string::npos) return std::string(answer) + "\n";
    }
    if (line.find("OPC?") != std::string::npos) return "1\n";
    if (line.find("QUES") != std::string::npos) return "0\n";
    if (line.find("TRACe:DATA") != std::string::npos) return block(std::vector<double>(201, -50));
    if (line.find("ERRor") != std::string::npos) return "0,\"No error\"\n";
    return "";
}

std::string sweep_error(const std::function<std::string(const std::string&)>& answer, double timeout_s = 10) {
    FakeInstrument fake(answer);
    const Instrument instrument = fake.instrument(timeout_s);
    return error_text(ErrorKind::bench, [&] {
        InstrumentRole role(ScpiSession(instrument, parse_address(instrument.address)));
        sweep(role, around_1mhz());
    });
}

}  // namespace

TEST_CASE("a sweep over the socket sees the unit's line, and follows its settings") {
    Simulated sim;
    InstrumentRole role(sim.session());
    CHECK(role.identify() == "Rare Tally,simulated analyser,p,1.0");
    const Spectrum idle = sweep(role, around_1mhz());
    REQUIRE(idle.level.size() == 201);
    CHECK(idle.level[100] < 30);
    CHECK(sim.unit->set("state", "on"));
    const Spectrum on = sweep(role, around_1mhz());
    CHECK(on.level[100] == about(60).epsilon(0.005));
    CHECK(on.frequency_hz[100] == about(1e6));
    CHECK(on.frequency_hz.front() == 0.9e6);
    CHECK(on.frequency_hz.back() == 1.1e6);
    CHECK(on.unit == Unit::dbuv);
    CHECK_FALSE(on.distrust);
    CHECK(*on.reference_level == about(86.98970));
    // In dBm the same levels are 106.99 dB lower.
    SpectrumSetup dbm = around_1mhz();
    dbm.unit = Unit::dbm;
    CHECK(sweep(role, dbm).level[100] == about(60 - 106.99).epsilon(0.01));
}

TEST_CASE("overload and refused settings mark the capture") {
    Simulated sim;
    sim.unit->set("state", "on");
    InstrumentRole role(sim.session());
    SpectrumSetup low = around_1mhz();
    low.reference_level = Quantity{-60, Unit::dbm};
    CHECK(sweep(role, low).distrust == "analyser overloaded: raise the reference level or the attenuation");
    SpectrumSetup impossible = around_1mhz();
    impossible.resolution_bandwidth_hz = 1;  // below what the analyser has
    CHECK(sweep(role, impossible).distrust == "analyser reported error -222,\"Data out of range\"");
    CHECK_FALSE(sweep(role, around_1mhz()).distrust);  // the queue was drained: the next sweep is clean
    SpectrumSetup quasi_peak = around_1mhz();
    quasi_peak.detector = Detector::quasi_peak;
    quasi_peak.resolution_bandwidth_hz = 100e3;  // no band of CISPR 16-1-1
    CHECK(sweep(role, quasi_peak).distrust == "analyser reported error -221,\"Settings conflict\"");
}

TEST_CASE("instruments that misbehave end in one clear error, in bounded time") {
    const auto start = std::chrono::steady_clock::now();
    CHECK(sweep_error([](const std::string&) { return ""; }, 0.3).find("did not answer within 0.3 s") !=
          std::string::npos);
    CHECK(sweep_error([](const std::string& line) {
              return line.find("OPC?") != std::string::npos ? "\xFF" : sane(line);
          }).find("closed the connection") != std::string::npos);
    CHECK(sweep_error([](const std::string& line) {
              return line.find("OPC?") != std::string::npos ? "banana\n" : sane(line);
          }) == "analyser: the end of the sweep was announced by \"banana\" instead of 1");
    const auto with_trace = [](const std::string& trace) {
        return sweep_error([&](const std::string& line) {
            return line.find("TRACe:DATA") != std::string::npos ? trace : sane(line);
        });
    };
    CHECK(with_trace("1,2,3\n") ==
          "analyser: a data block was expected for read_trace, the answer begins with \"1,\"");
    CHECK(with_trace("#2x8\n") == "analyser: the length of a data block is not a number: \"x8\"");
    CHECK(with_trace(block({1, 2, 3})) ==
          "analyser: the trace has 24 bytes, 201 points of 8 bytes were expected");
    CHECK(sweep_error(
              [](const std::string& line) {
                  return line.find("TRACe:DATA") != std::string::npos ? "#41608half a block" : sane(line);
              },
              1)
              .find("did not answer within 1 s") != std::string::npos);
    CHECK(with_trace("#9999999999\n").find("announced 999999999 bytes, too many") != std::string::npos);
    std::vector<double> levels(201, -50);
    levels[7] = std::numeric_limits<double>::quiet_NaN();
    CHECK(with_trace(block(levels)) == "analyser: the trace holds a level that is no number");
    CHECK(sweep_error([](const std::string& line) {
              return line.find("QUES") != std::string::npos ? "maybe\n" : sane(line);
          }) == "analyser: the overload status is not a number: \"maybe\"");
    CHECK(sweep_error([](const std::string& line) {
              return line.find("ERRor") != std::string::npos ? "oops\n" : sane(line);
          }) == "analyser: the error queue answers \"oops\" instead of a number and a text");
    // An error queue that never empties does not hang the run.
    FakeInstrument chatty([swept = false](const std::string& line) mutable {
        swept = swept || line.find("INITiate:IMM") != std::string::npos;
        return line.find("ERRor") != std::string::npos && swept ? "-1,\"x\"\n" : sane(line);
    });
    const Instrument instrument = chatty.instrument();
    InstrumentRole role(ScpiSession(instrument, parse_address(instrument.address)));
    CHECK(sweep(role, around_1mhz()).distrust == "analyser reported error -1,\"x\"");
    CHECK(std::chrono::steady_clock::now() - start < std::chrono::seconds(60));
}

TEST_CASE("nobody listening, and values that would break out of a command") {
    Instrument instrument = Simulated::make();
    instrument.timeout_s = 0.3;
    std::string port;
    {
        FakeInstrument gone([](const auto&) { return ""; });
        port = gone.port();
    }
    CHECK(error_text(ErrorKind::bench, [&] {
              ScpiSession(instrument, parse_address("tcp://127.0.0.1:" + port));
          }).starts_with("instrument at 127.0.0.1:" + port));
    Simulated sim;
    ScpiSession session = sim.session();
    CHECK(input_error([&] {
              session.send("set_start", {{"hz", "1\n*RST"}});
          }) == "the value \"1\\x0a*RST\" for {hz} holds control characters or a semicolon");
    CHECK_THROWS_AS(session.send("set_start", {{"hz", "1;*RST"}}), Error);
    CHECK(input_error([&] { session.send("brew_tea"); }).find("the dialect has no command \"brew_tea\"") !=
          std::string::npos);
}

TEST_CASE("unit control sets what the unit has and hears when it refuses") {
    Simulated sim;
    InstrumentServer server(std::make_shared<SimulatedUnitControl>(sim.stage));
    Instrument instrument = Simulated::make();
    instrument.role = "unit";
    instrument.dialect = read_dialect(std::filesystem::path(RT_SOURCE) / "dialects" / "unit-control.toml");
    InstrumentRole unit(ScpiSession(instrument, server.place()));
    CHECK(unit.session().knows("set_level"));
    CHECK_FALSE(unit.session().knows("set_colour"));
    unit.set("level", "8 dBm");
    CHECK(sim.unit->get("level") == "8 dBm");
    CHECK(error_text(ErrorKind::bench, [&] { unit.set("level", "8 parsec"); }) ==
          "the unit does not take level = \"8 parsec\": -224,\"Illegal parameter value\"");
    CHECK(error_text(ErrorKind::bench, [&] { unit.set("mode", "x"); }).find("-113") != std::string::npos);
}

TEST_CASE("a free port for each server, and a taken one is an error") {
    Simulated sim;
    InstrumentServer second(std::make_shared<SimulatedUnitControl>(sim.stage));
    CHECK(second.port() != sim.server.port());
    const auto taken = static_cast<unsigned short>(std::stoi(second.port()));
    CHECK_THROWS_AS(InstrumentServer(std::make_shared<SimulatedUnitControl>(sim.stage), taken), Error);
}
