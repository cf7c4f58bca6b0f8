// What dialects say besides commands: how values are written, in which order and together, what an instrument
// tells against itself; and what a bench asks of it.
#include <doctest/doctest.h>

#include "core/base/error.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/formats/bench_file.hpp"
#include "lab/model/placeholder.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/foreign.hpp"

using namespace rt;
using namespace rt::lab;
using foreign::Foreign;
using foreign::has;

namespace {

std::string filled(const std::string& hole, const std::string& value, Unit setting = Unit::hertz) {
    const CommandText text = parse_command("X " + hole, setting);
    return text.holes.at(0).fill(value);
}

std::string sent(const Foreign& foreign, const char* part) {
    std::string out;
    for (const auto& line : foreign.heard) {
        if (has(line, part)) out += (out.empty() ? "" : "|") + line;
    }
    return out;
}

// The error that reading a generator's dialect with these lines gives.
std::string refused(const std::string& head, const std::string& more = "",
                    const std::string& base = "scpi-generator") {
    return input_error([&] {
        Foreign(
            base, more, [](const std::string&) { return std::string(); }, head);
    });
}

}  // namespace

TEST_CASE("values are written with prefix, decimals or powers as the dialect says") {
    CHECK(filled("{hz}", "2400000000") == "2400000000");
    CHECK(filled("{hz in MHz}", "2402000000") == "2402");
    CHECK(filled("{hz in GHz as 3 decimals}", "2402500000") == "2.402");
    CHECK(filled("{hz as integer}", "1000.4") == "1000");
    CHECK(filled("{s in us}", "0.001") == "1000");
    CHECK(filled("{hz as scientific}", "2402000000") == "2.402000000E+09");
    CHECK(filled("{value in mV as 1 decimal}", "-0.0125", Unit::volt) == "-12.5");
    CHECK(filled("{value in kHz}", "HIGH") == "HIGH");  // words stay
    const auto wrong = [](const std::string& hole, Unit setting = Unit::hertz) {
        return input_error([&] { parse_command("X " + hole, setting); });
    };
    CHECK(has(wrong("{hz in mV}"), "a value in Hz, which \"mV\" is not"));
    CHECK(has(wrong("{count in MHz}"), "has no unit"));
    CHECK(has(wrong("{hz as hex}"), "integer, scientific or \"3 decimals\""));
    CHECK(has(wrong("{hz as 3 decimals in MHz}"), "unit behind its form"));
    CHECK(has(wrong("{hz"), "does not end"));
    CHECK(has(wrong("{}"), "names no value"));
}

TEST_CASE("commands with values the instrument's way, and quotes of three kinds") {
    const std::string commands =
        "[commands]\nset_frequency = \"FREQ {value in MHz as 3 decimals}\"\nset_modulation = \"MOD "
        "{value}\"\n";
    const auto told = [&](const std::string& head, const std::string& word) {
        Foreign generator(
            "scpi-generator", commands, [](const std::string&) { return std::string(); }, head);
        auto role = generator.role();
        role.begin("frequency", "2.4 GHz");
        role.begin("modulation", word);
        role.settle();
        return sent(generator, "FREQ 2") + "|" + sent(generator, "MOD ");
    };
    CHECK(told("", "ON") == "FREQ 2400.000|MOD ON");
    CHECK(told("", "my \"own\" one") == "FREQ 2400.000|MOD \"my \"\"own\"\" one\"");
    CHECK(told("quotes = \"single\"\n", "it's mine") == "FREQ 2400.000|MOD 'it''s mine'");
    CHECK(told("quotes = \"none\"\n", "two words") == "FREQ 2400.000|MOD two words");
    CHECK(has(refused("quotes = \"round\"\n"), "write double, single or none"));
}

TEST_CASE("settings that go together are sent once, when all is known") {
    const std::string group =
        "[commands]\nset_frequency = \"\"\nset_level = \"\"\nconfirm_frequency = \"\"\nconfirm_level = "
        "\"\"\n[[together]]\nsettings = "
        "[\"frequency\", \"level\"]\ncommand = \"APPLy {frequency in MHz},{level as 2 decimals}\"\n";
    Foreign generator("scpi-generator", group, [](const std::string&) { return std::string(); });
    auto role = generator.role();
    role.begin("frequency", "1 GHz");
    role.begin("level", "-30 dBm");
    role.settle();
    CHECK(sent(generator, "APPLy") == "APPLy 1000,-30.00");
    role.set("level", "-20 dBm");  // the frequency is known
    CHECK(sent(generator, "APPLy") == "APPLy 1000,-30.00|APPLy 1000,-20.00");
    CHECK(has(refused("", "[[together]]\nsettings = [\"frequency\"]\ncommand = \"A {frequency}\"\n"),
              "two settings or more"));
    CHECK(
        has(refused("", "[[together]]\nsettings = [\"frequency\", \"level\"]\ncommand = \"A {frequency}\"\n"),
            "write {level} where it goes"));
    CHECK(has(refused("", "[[together]]\nsettings = [\"frequency\", \"levl\"]\ncommand = \"A\"\n"),
              "no setting \"levl\""));
    CHECK(has(refused("",
                      "[[together]]\nsettings = [\"frequency\", \"level\"]\ncommand = \"A {frequency} "
                      "{level} {power}\"\n"),
              "none of its settings"));
}

TEST_CASE("a group whose other half nobody has set is an error, not a guess") {
    Foreign generator(
        "scpi-generator",
        "[[together]]\nsettings = [\"frequency\", \"level\"]\ncommand = \"APPLy {frequency},{level}\"\n",
        [](const std::string&) { return std::string(); });
    auto role = generator.role();
    role.begin("level", "-30 dBm");
    const std::string said = input_error([&] { role.settle(); });
    CHECK(has(said, "the campaign must set frequency of the foreign too"));
}

TEST_CASE("orders name known settings once") {
    CHECK(has(refused("order = [\"output\", \"levl\"]\n"), "no setting \"levl\""));
    CHECK(has(refused("order = [\"output\", \"output\"]\n"), "names \"output\" twice"));
    Foreign generator(
        "scpi-generator", "", [](const std::string&) { return std::string(); },
        "order = [\"output\", \"level\", \"frequency\"]\n");
    CHECK(generator.instrument.dialect.order.front() == "output");
}

TEST_CASE("what an instrument says against itself, by bits that are set or clear, read once") {
    int asked = 0;
    const auto state = [&](const std::string& answer) {
        asked = 0;
        Foreign generator("scpi-generator",
                          "[[state]]\nmeans = \"too warm\"\nask = \"COND?\"\nbits = 4\n[[state]]\nmeans = "
                          "\"not locked\"\nask = "
                          "\"COND?\"\nbits = 1\nwhen = \"clear\"\n",
                          [&, answer](const std::string& line) {
                              if (has(line, "COND?")) ++asked;
                              return has(line, "COND?") ? answer + "\n" : std::string();
                          });
        auto role = generator.role();
        return role.distrust();
    };
    CHECK(state("1") == "");
    CHECK(asked == 1);
    CHECK(state("5") == "the foreign says that it is too warm");
    CHECK(state("0") == "the foreign says that it is not locked");
    CHECK(has(error_text(ErrorKind::bench, [&] { state("WARM"); }), "a register was expected"));
    CHECK(has(refused("", "[[state]]\nmeans = \"x\"\nask = \"COND\"\nbits = 1\n"), "is no question"));
    CHECK(has(refused("", "[[state]]\nmeans = \"x\"\nask = \"COND?\"\nbits = 0\n"), "must be 1 to 65535"));
}

TEST_CASE("the reference of the bench must be proven, a stored state is recalled first") {
    const auto answers = [](const char* locked) {
        return [locked](const std::string& line) {
            return has(line, "LOCKed?") ? std::string(locked) + "\n" : std::string();
        };
    };
    Foreign generator("scpi-generator", "", answers("1"));
    generator.instrument.external_reference = true;
    generator.instrument.recall = "3";
    auto role = generator.role();
    CHECK(role.distrust() == "");
    CHECK(has(sent(generator, "RCL"), "*RCL 3"));
    const auto at = [&](const char* part) {
        for (std::size_t i = 0; i < generator.heard.size(); ++i) {
            if (has(generator.heard[i], part)) return i;
        }
        return std::size_t{999};
    };
    CHECK(at("*RCL 3") < at("*RST"));
    CHECK(at("*RST") < at("SOURce EXTernal"));
    Foreign free("scpi-generator", "", answers("0"));
    free.instrument.external_reference = true;
    auto unlocked = free.role();
    CHECK(has(unlocked.distrust(), "is not locked to the external reference"));
}

TEST_CASE("a greeting is passed over, whatever it says and however many lines it has") {
    const auto [listener, port] = loopback_listener();
    std::jthread peer([listener = listener] {
        const int client = ::accept(listener, nullptr, nullptr);
        const auto say = [&](const std::string& text) {
            [[maybe_unused]] const auto sent = ::send(client, text.data(), text.size(), MSG_NOSIGNAL);
        };
        say("Welcome, 1 user\r\n0,\"No error\"\r\n");
        std::string line;
        char c = 0;
        while (::read(client, &c, 1) == 1) {
            if (c != '\n') {
                line += c;
                continue;
            }
            if (has(line, "IDN?")) say("\r\nMade,Up,1,2\r\n");
            if (has(line, "ERRor?")) say("0,\"No error\"\r\n");
            line.clear();
        }
        ::close(client);
    });
    {
        Foreign supply(
            "scpi-supply", "[commands]\nquery_power_on = \"\"\nprepare = \"\"\n",
            [](const std::string&) { return std::string(); }, "greets = true\n");
        supply.instrument.timeout_s = 2;
        InstrumentRole role(
            ScpiSession(supply.instrument, parse_address("tcp://127.0.0.1:" + std::to_string(port))));
        CHECK(role.identify() == "Made,Up,1,2");
        CHECK(role.session().drain_errors().empty());
    }
    ::close(listener);
}

TEST_CASE(
    "a late answer to an optional question is not taken for the next one's, nor does it shift all that "
    "follow") {
    for (const double delay_s : {0.0, 1.0, 2.2}) {
        CAPTURE(delay_s);
        bool first = true;
        Foreign generator("scpi-generator", "", [&](const std::string& line) {
            if (has(line, "ESR?")) {
                if (!std::exchange(first, false)) return std::string("0\n");
                std::this_thread::sleep_for(std::chrono::duration<double>(delay_s));
                return std::string("128\n");
            }
            if (has(line, "POWer?")) return std::string("-30\n");
            return has(line, "FREQuency?") ? std::string("1E9\n") : std::string();
        });
        generator.instrument.timeout_s = 1.6;  // later than this nothing is waited for
        auto role = generator.role();
        CHECK(role.identify() == "made,up,1,1");
        for (int i = 0; i < 3; ++i) {
            role.begin("level", "-30 dBm");
            role.begin("frequency", "1 GHz");
            CHECK(role.settle() == "");
            CHECK(role.read_back() == "");
            role.session().require_in_step();
        }
    }
}

TEST_CASE("an answer that comes twice is found at the next question who it is") {
    bool twice = false;
    Foreign generator("scpi-generator", "", [&](const std::string& line) {
        return has(line, "POWer?") ? std::string(twice ? "-30\n-30\n" : "-30\n") : std::string();
    });
    auto role = generator.role();
    role.identify();
    role.begin("level", "-30 dBm");
    role.settle();
    CHECK(role.read_back() == "");
    twice = true;
    const std::string said = error_text(ErrorKind::bench, [&] {
        role.still_set();
        role.session().require_in_step();
    });
    CHECK(has(said, "its answers do not fit the questions any more"));
}

TEST_CASE("channels of one instrument: {channel} is the one that the bench gives") {
    Foreign supply("scpi-supply", "[commands]\nset_voltage = \"SOURce{channel}:VOLTage {value}\"\n",
                   [](const std::string&) { return std::string(); });
    supply.instrument.channel = 2;
    auto role = supply.role();
    role.begin("voltage", "5 V");
    role.settle();
    CHECK(sent(supply, "SOURce2") == "SOURce2:VOLTage 5");
}

TEST_CASE("a bench that asks for more than dialect and address can do is refused") {
    const TestFolder folder;
    const DiskFiles files(std::filesystem::path(RT_SOURCE) / "dialects");
    const auto wrong = [&](const std::string& keys, const std::string& address = "tcp://192.0.2.1:5025",
                           const std::string& dialect = "scpi-generator", const std::string& more = "") {
        return input_error([&] {
            read_bench(folder.write("b.toml",
                                    "[bench]\nname = \"b\"\n[[instrument]]\nrole = \"generator\"\nname = "
                                    "\"g\"\naddress = \"" +
                                        address + "\"\ndialect = \"" + dialect + "\"\n" + keys + more),
                       files);
        });
    };
    CHECK(wrong("") == "(no error)");
    CHECK(has(wrong("lock = \"exclusive\"\n"), "is possible over HiSLIP"));
    CHECK(wrong("lock = \"exclusive\"\n", "vxi11://192.0.2.1") == "(no error)");
    CHECK(has(wrong("lock = \"shared:a\"\n", "vxi11://192.0.2.1"), "is possible over HiSLIP"));
    CHECK(wrong("lock = \"shared:a\"\n", "hislip://192.0.2.1") == "(no error)");
    CHECK(has(wrong("lock = \"mine\"\n", "hislip://192.0.2.1"), "\"exclusive\" or \"shared:KEY\""));
    CHECK(has(wrong("recall = \"1\"\n", "tcp://192.0.2.1:5025", "scpi-attenuator"), "has no command recall"));
    CHECK(has(wrong("external_reference = true\n", "tcp://192.0.2.1:5025", "scpi-attenuator"),
              "has no command"));
    CHECK(has(wrong("channel = 0\n"), "must be 1 to 99"));
    CHECK(has(wrong("", "gpib:rack,9"), "names a converter that the bench lacks"));
    const std::string rack =
        "[[converter]]\nname = \"rack\"\naddress = \"tcp://192.0.2.2:1234\"\nselect = \"to {address}\"\n";
    CHECK(wrong("", "gpib:rack,9", "scpi-generator", rack) == "(no error)");
    CHECK(has(wrong("", "gpib:rack,9", "scpi-generator", rack + rack), "two converters have the name"));
    CHECK(
        has(wrong("", "gpib:rack,9", "scpi-generator",
                  "[[converter]]\nname = \"rack\"\naddress = \"tcp://192.0.2.2:1234\"\nselect = \"to 9\"\n"),
            "write {address} where it goes"));
    CHECK(has(wrong("", "gpib:rack,31"), "with 0 to 30"));
    const std::string twin =
        "[[instrument]]\nrole = \"other\"\nname = \"g\"\naddress = \"tcp://192.0.2.1:5025\"\ndialect = "
        "\"scpi-generator\"\n";
    CHECK(has(wrong("", "tcp://192.0.2.1:5025", "scpi-generator", twin), "have the same address"));
    CHECK(wrong("shared = true\n", "tcp://192.0.2.1:5025", "scpi-generator", twin + "shared = true\n") ==
          "(no error)");
    folder.write("asks.toml",
                 "[dialect]\nid = \"asks\"\ntitle = \"a\"\nkind = \"analyser\"\nlike = "
                 "\"scpi-analyser\"\n[commands]\nsweep = "
                 "\"INIT;*OPC\"\n[[done]]\ncommand = \"sweep\"\nservice_request = true\n");
    CHECK(has(wrong("impedance = \"50 ohm\"\n", "tcp://192.0.2.1:5025", (folder / "asks.toml").string()),
              "neither a raw socket nor a serial line carries"));
    CHECK(wrong("impedance = \"50 ohm\"\n", "hislip://192.0.2.1", (folder / "asks.toml").string()) ==
          "(no error)");
    folder.write("volts.toml",
                 "[dialect]\nid = \"volts\"\ntitle = \"v\"\nkind = \"power-meter\"\nlike = "
                 "\"scpi-power-meter\"\nlevels = \"V\"\n");
    CHECK(has(wrong("", "tcp://192.0.2.1:5025", (folder / "volts.toml").string()), "impedance"));
}

TEST_CASE("levels without a unit are converted by the impedance, and 0 V is no level") {
    const auto read = [](const std::string& unit, const std::string& answer, std::optional<double> ohm) {
        Foreign meter(
            "scpi-power-meter", "",
            [&](const std::string& line) { return has(line, "READ") ? answer + "\n" : std::string(); },
            "levels = \"" + unit + "\"\n");
        meter.instrument.impedance_ohm = ohm;
        auto role = meter.role();
        return read_power(role, {1e9, 1, 4});
    };
    // 0.2236 V in 50 ohm are 1 mW.
    CHECK(read("V", "0.223606798", 50).level_dbm == about(0).epsilon(1e-3));
    CHECK(read("W", "0.001", std::nullopt).level_dbm == about(0).epsilon(1e-3));
    CHECK(read("dBuV", "106.9897", 50).level_dbm == within(1e-3, 0));
    CHECK(read("V", "0", 50).distrust.value_or("").find("is none in decibels") != std::string::npos);
    CHECK(has(refused("levels = \"furlong\"\n", "", "scpi-power-meter"), "no unit of levels"));
    CHECK(has(refused("levels = \"V\"\n"), "is of analysers and power meters"));
}
