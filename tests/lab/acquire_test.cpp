// Captures out of instruments of every kind that answer wrongly: one clear error, never a number that looks
// valid.
#include <doctest/doctest.h>

#include <algorithm>
#include <cstring>
#include <functional>
#include <limits>

#include "lab/captures/acquire.hpp"
#include "lab/captures/kind.hpp"
#include "lab/formats/dialect_file.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/fake_instrument.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

std::string block(const std::vector<double>& values) {
    std::string bytes(values.size() * sizeof(double), '\0');
    std::memcpy(bytes.data(), values.data(), bytes.size());
    const std::string length = std::to_string(bytes.size());
    return "#" + std::to_string(length.size()) + length + bytes + "\n";
}

bool has(const std::string& line, const char* part) {
    return line.find(part) != std::string::npos;
}

// An instrument with a shipped dialect whose answers come from `special` first, then from what is usual.
struct Odd {
    std::function<std::string(const std::string&)> special;
    Remembered set;
    bool forgets = false;  // what is set is not told
    FakeInstrument fake;
    Instrument instrument;

    Odd(const char* role, const char* dialect, std::function<std::string(const std::string&)> answers)
        : special(std::move(answers)),
          fake([this](const std::string& line) { return reply(line); }),
          instrument(fake.instrument()) {
        instrument.role = role;
        instrument.dialect =
            read_dialect(std::filesystem::path(RT_SOURCE) / "dialects" / (std::string(dialect) + ".toml"));
    }
    InstrumentRole role() {
        return InstrumentRole(ScpiSession(instrument, parse_address(instrument.address)));
    }

  private:
    std::string reply(const std::string& line) {
        const std::string own = special(line);
        if (!own.empty()) return own;
        if (has(line, "*IDN?")) return "made,up,1,1\n";
        if (has(line, "OPC?")) return "1\n";
        if (has(line, "ESR?") || has(line, "QUES")) return "0\n";
        if (has(line, "CORRection")) return "1\n";
        if (has(line, "ERRor")) return "0,\"No error\"\n";
        return forgets ? "" : set.reply(line);
    }
};

std::string counted(const std::string& answer, std::uint64_t packets = 10) {
    Odd odd("counter", "scpi-counter",
            [&](const std::string& line) { return has(line, "FETCh") ? answer : ""; });
    auto role = odd.role();
    return error_text(ErrorKind::bench, [&] { count(role, {packets, 0}); });
}

std::string powered(const std::string& answer) {
    Odd odd("meter", "scpi-power-meter",
            [&](const std::string& line) { return has(line, "READ") ? answer : ""; });
    auto role = odd.role();
    return error_text(ErrorKind::bench, [&] { read_power(role, {1e9, 1, 1}); });
}

}  // namespace

TEST_CASE("counts that cannot be are refused") {
    CHECK(counted("10,9,1000,3\n") == "(no error)");
    CHECK(counted("10,9\n") ==
          "counter: four whole numbers were expected for read_counts, the answer is \"10,9\"");
    CHECK(counted("10,9,1000,3,7\n").find("four whole numbers") != std::string::npos);
    CHECK(counted("10,9.5,1000,3\n").find("four whole numbers") != std::string::npos);
    CHECK(counted("10,-9,1000,3\n").find("four whole numbers") != std::string::npos);
    CHECK(counted("10,nan,1000,3\n").find("four whole numbers") != std::string::npos);
    CHECK(counted("10,11,1000,3\n") == "counter: the counts contradict each other: \"10,11,1000,3\"");
    CHECK(counted("10,9,3,1000\n").find("contradict") != std::string::npos);
    // Fewer packets than were asked for are no error of the link.
    Odd odd("counter", "scpi-counter",
            [](const std::string& line) { return has(line, "FETCh") ? "7,7,0,0\n" : ""; });
    auto role = odd.role();
    CHECK(count(role, {10, 0}).distrust == "counter sent 7 packets, 10 were asked for");
}

TEST_CASE("a power that is no number, or comes with an error, is not taken") {
    CHECK(powered("-12.5\n") == "(no error)");
    CHECK(powered("loud\n") == "meter: a power was expected, the answer is \"loud\"");
    CHECK(powered("9.9E37\n").find("a power was expected") != std::string::npos);
    CHECK(powered("NAN\n").find("a power was expected") != std::string::npos);
    bool once = false;
    Odd odd("meter", "scpi-power-meter", [&](const std::string& line) -> std::string {
        if (has(line, "READ")) return "-12.5\n";
        if (has(line, "ERRor") && std::exchange(once, false)) return "-310,\"System error\"\n";
        return "";
    });
    auto role = odd.role();
    once = true;
    CHECK(read_power(role, {1e9, 1, 1}).distrust == "meter reported error -310,\"System error\"");
    Odd hot("meter", "scpi-power-meter", [](const std::string& line) -> std::string {
        return has(line, "READ") ? "21\n" : has(line, "QUES") ? "8\n" : "";
    });
    auto hot_role = hot.role();
    CHECK(read_power(hot_role, {1e9, 1, 1}).distrust ==
          "meter overloaded: lower the power or put an attenuator before the sensor");
}

TEST_CASE("a meter of light is told the wavelength; one that has another is not trusted") {
    std::string told, has_it;
    Odd odd("light", "scpi-optical-power-meter", [&](const std::string& line) -> std::string {
        if (has(line, "READ")) return "-1.25\n";
        if (has(line, "UNIT:POWer?")) return "DBM\n";
        if (has(line, "WAVelength?")) return has_it;
        if (has(line, "WAVelength")) told = line;
        return "";
    });
    auto role = odd.role();
    const double nm1310 = 299'792'458.0 / 1310e-9;
    for (const char* answer : {"1.31E-06\n", "1310\n", "1310.0\n"}) {
        has_it = answer;
        const auto reading = read_power(role, {nm1310, 1, 1});
        CHECK_FALSE(reading.distrust);
        CHECK(reading.level_dbm == -1.25);
    }
    CHECK(std::stod(told.substr(told.find(' '))) == doctest::Approx(1.31e-6).epsilon(1e-12));
    has_it = "8.5E-07\n";
    const auto distrust = read_power(role, {nm1310, 1, 1}).distrust.value_or("");
    CHECK_MESSAGE(has(distrust, "light has the wavelength 8.5E-07, 1.31"), distrust);
    has_it = "many\n";
    CHECK(read_power(role, {nm1310, 1, 1}).distrust.has_value());
}

TEST_CASE("an oscilloscope's record of wrong length, step or content is refused") {
    const auto recorded = [](const std::string& step, const std::string& data) {
        Odd odd("scope", "scpi-oscilloscope", [&](const std::string& line) -> std::string {
            if (has(line, "STEP?")) return step;
            return has(line, "TRACe") ? data : "";
        });
        auto role = odd.role();
        return error_text(ErrorKind::bench, [&] { record(role, {1e-6, 3, 1, {1}, 1, 0}); });
    };
    CHECK(recorded("1e-9\n", block({0, 0.5, 1})) == "(no error)");
    CHECK(recorded("0\n", block({0, 0.5, 1})) == "scope: the time between samples is 0 s");
    CHECK(recorded("soon\n", block({0, 0.5, 1})) ==
          "scope: answers \"soon\" to query_step, a number was expected");
    CHECK(recorded("1e-9\n", block({0, 0.5})).find("has 16 bytes, 3 points of 8 bytes") != std::string::npos);
    CHECK(recorded("1e-9\n", block({0, std::numeric_limits<double>::infinity(), 1})) ==
          "scope: the record holds a voltage that is no number");
}

TEST_CASE("network data of wrong length or content is refused") {
    const auto scanned = [](const std::string& data) {
        Odd odd("vna", "scpi-network-analyser", [&](const std::string& line) {
            return has(line, "TRACe") ? data : has(line, "SOURce") ? "0\n" : "";
        });
        auto role = odd.role();
        return error_text(ErrorKind::bench, [&] { scan_network(role, {1e9, 2e9, 2, 1000}); });
    };
    CHECK(scanned(block({1, 0, 0.5, 0.1})) == "(no error)");
    CHECK(scanned(block({1, 0})).find("has 16 bytes, 4 points") != std::string::npos);
    CHECK(scanned(block({1, 0, std::numeric_limits<double>::quiet_NaN(), 0})) ==
          "vna: the trace holds a parameter that is no number");
}

TEST_CASE("a setting that an instrument refuses is named, and so is a movement that does not end") {
    Odd odd("generator", "scpi-generator", [refused = false](const std::string& line) mutable -> std::string {
        if (has(line, "POWer 99")) refused = true;
        return has(line, "ERRor") && std::exchange(refused, false) ? "-222,\"Data out of range\"\n" : "";
    });
    auto role = odd.role();
    CHECK(error_text(ErrorKind::bench, [&] { role.set("level", "99 dBm"); }) ==
          "the generator does not take level = \"99 dBm\": -222,\"Data out of range\"");
    CHECK_NOTHROW(role.set("level", "9 dBm"));
    Odd stuck("table", "scpi-positioner", [](const std::string& line) -> std::string {
        return has(line, "ARRived") ? " " : "";  // never answers
    });
    stuck.instrument.longest_move_s = 0.2, stuck.instrument.timeout_s = 0.3;
    auto table = stuck.role();
    CHECK(error_text(ErrorKind::bench, [&] {
              table.set("angle", "10 deg");
          }).find("did not answer within 0.5 s") != std::string::npos);
}

TEST_CASE("an instrument that cannot be prepared is not used for anything") {
    Odd odd("generator", "scpi-generator",
            [prepared = false](const std::string& line) mutable -> std::string {
                prepared = prepared || has(line, "*RST");
                return has(line, "ERRor") && prepared ? "-310,\"System error\"\n" : "";
            });
    CHECK(error_text(ErrorKind::bench, [&] { odd.role(); }) ==
          "generator: it cannot be prepared: -310,\"System error\"");
}

TEST_CASE("a turntable that has not arrived, or is elsewhere, is not believed to be there") {
    std::string arrived = "1\n", angle = "90.4\n";
    Odd table("table", "scpi-positioner", [&](const std::string& line) -> std::string {
        return has(line, "ARRived") ? arrived : has(line, "ANGLe:ACTual?") ? angle : "";
    });
    auto role = table.role();
    const auto moved = [&](const std::string& to) {
        role.begin("angle", to);
        return role.settle();
    };
    CHECK(moved("90 deg").empty());
    angle = "40\n";
    CHECK(moved("90 deg") == "the table is at 40 °, 90 ° was asked for");
    angle = "359.6\n";
    CHECK(moved("0 deg").empty());
    arrived = "0\n";
    CHECK(moved("0 deg") == "the table says that it has not arrived: it answers \"0\"");
}

TEST_CASE("what an analyser has set is read back, and numbers of another byte order are seen") {
    SpectrumSetup setup;
    setup.start_hz = 1e6, setup.stop_hz = 2e6, setup.points = 4, setup.resolution_bandwidth_hz = 9e3;
    setup.dwell_s = 1e-3, setup.unit = Unit::dbuv;
    std::vector<double> levels{20, 21, 45, 20.5};
    bool forgets = false;
    const auto trouble = [&](const char* question, const std::string& answer) {
        Odd odd("analyser", "scpi-analyser", [&](const std::string& line) -> std::string {
            if (has(line, question)) return answer;
            return has(line, "TRACe:DATA?") ? block(levels) : "";
        });
        odd.forgets = forgets, odd.instrument.timeout_s = forgets ? 0.3 : 10;
        auto role = odd.role();
        return sweep(role, setup).distrust.value_or("");
    };
    CHECK(trouble("nothing", "").empty());
    forgets = true;
    CHECK(trouble("nothing", "").empty());  // one that cannot be asked is believed
    forgets = false;
    CHECK(trouble("UNIT:POWer?", "DBUV\n").empty());
    CHECK(trouble("UNIT:POWer?", "DBM\n") == "analyser has levels in \"DBM\", DBUV was asked for");
    CHECK(trouble("FUNCtion?", "POS\n").empty());
    CHECK(trouble("FUNCtion?", "SAMP\n") == "analyser has the detector \"SAMP\", POSitive was asked for");
    CHECK(trouble("RESolution?", "9.0E+3\n").empty());
    CHECK(trouble("RESolution?", "1E4\n") ==
          "analyser has the resolution bandwidth 10 kHz, 9 kHz was asked for");
    CHECK(trouble("BORDer?", "NORM\n") == "analyser has the byte order \"NORM\", SWAPped was asked for");
    CHECK(trouble("AUTO?", "0\n") == "analyser has the coupling of its attenuation 0, 1 was asked for");
    for (double& level : levels) {
        auto* bytes = reinterpret_cast<char*>(&level);
        std::reverse(bytes, bytes + sizeof level);
    }
    CHECK(trouble("nothing", "").find("the byte order is another one") != std::string::npos);
}

TEST_CASE("zero and calibrate are awaited, and what they report is heard") {
    std::vector<std::string> heard;
    Odd odd("meter", "scpi-power-meter", [&](const std::string& line) -> std::string {
        heard.push_back(line);
        return "";
    });
    auto role = odd.role();
    role.zero();
    CHECK(std::count(heard.begin(), heard.end(), "CALibration:ZERO;*OPC?") == 1);
    CHECK(std::count(heard.begin(), heard.end(), "CALibration;*OPC?") == 1);
    Odd bad("meter", "scpi-power-meter", [failed = false](const std::string& line) mutable -> std::string {
        failed = failed || has(line, "ZERO");
        return has(line, "ERRor") && failed ? "-340,\"Calibration failed\"\n" : "";
    });
    auto failing = bad.role();
    CHECK(error_text(ErrorKind::bench, [&] { failing.zero(); }) ==
          "meter: zero failed: -340,\"Calibration failed\"");
    CHECK(role.picture().empty());  // its dialect has none
}

TEST_CASE("the wrong instrument for a capture is a matter of the files, not of the bench") {
    CHECK(std::string(kind_of(CaptureSetup(SpectrumSetup{})).instrument()) == "analyser");
    CHECK(std::string(kind_of(CaptureSetup(PowerSetup{})).instrument()) == "power-meter");
    CHECK(std::string(kind_of(CaptureSetup(CountSetup{})).instrument()) == "counter");
    Instrument instrument;
    instrument.scan_bandwidth_hz = 1e6;
    SpectrumSetup s;
    s.start_hz = 0, s.stop_hz = 2.5e6, s.points = 100, s.dwell_s = 0.1;
    CHECK(kind_of<Spectrum>().seconds(instrument, s) == about(0.3));
    instrument.scan_bandwidth_hz.reset();
    CHECK(kind_of<Spectrum>().seconds(instrument, s) == about(10));
    CHECK(kind_of<Counts>().seconds(instrument, CountSetup{1000, 0.002}) == about(2));
}
