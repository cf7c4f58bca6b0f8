// The dialect language: what a dialect is like, forms of data with their scales, ends by asking, settings
// read back, greetings and blank lines. The other side is written by hand.
#include <doctest/doctest.h>

#include <cmath>

#include "lab/captures/acquire.hpp"
#include "lab/captures/kind.hpp"
#include "lab/formats/dialect_file.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"
#include "tests/lab/foreign.hpp"

using namespace rt;
using namespace rt::lab;
using foreign::Foreign;
using foreign::has;

namespace {

// What an oscilloscope of `data` delivers that answers TRACe1:DATA? by `block`: its voltages, or the error.
std::vector<double> volts(const std::string& data, const std::string& block,
                          const std::string& preamble = "") {
    Foreign scope("scpi-oscilloscope",
                  "[commands]\nquery_format = \"\"\nquery_byte_order = \"\"\nquery_preamble = "
                  "\"TRACe{channel}:PRE?\"\n" +
                      data,
                  [&](const std::string& line) {
                      return has(line, ":DATA?") ? block : has(line, ":PRE?") ? preamble : std::string();
                  });
    auto role = scope.role();
    WaveformSetup setup;
    setup.span_s = 3e-6, setup.points = 4, setup.channels = {1}, setup.range_v = 1;
    const Waveform wave = record(role, setup);
    std::vector<float> samples(4);
    wave.channels.at(0)->read(0, samples);
    return {samples.begin(), samples.end()};
}

std::string trouble(const std::string& data, const std::string& block, const std::string& preamble = "") {
    return error_text(ErrorKind::bench, [&] { volts(data, block, preamble); });
}

std::string chars(std::initializer_list<int> values) {
    std::string out;
    for (const int value : values) out += static_cast<char>(value);
    return out;
}

const std::string scaled =
    "[[data]]\nform = \"int16\"\norder = \"big\"\n[data.scale]\nincrement = 3\norigin = 4\nreference = "
    "5\npoints = "
    "2\n";
// 0, 10, 266, -2 as 16-bit numbers with a line end among their bytes.
const std::string four = chars({0, 0, 0, 10, 1, 10, 0xff, 0xfe});

}  // namespace

TEST_CASE("whole numbers become volts by their preamble, in definite and indefinite blocks") {
    // (n - 10) x 0.01 + 0.5
    const std::vector<double> wanted{0.4, 0.5, 3.06, 0.38};
    for (const std::string& block : {"#18" + four + "\n", "#3008" + four + "\n", "#0" + four + "\n"}) {
        const auto seen = volts(scaled, block, "2,4,1.0E-2,0.5,10\n");
        REQUIRE(seen.size() == 4);
        for (std::size_t i = 0; i < 4; ++i) CHECK(seen[i] == within(1e-6, wanted[i]));
    }
    // Its terms by questions of their own.
    const std::string apart =
        "query_increment = \"TRACe{channel}:INC?\"\n[[data]]\nform = \"int8\"\n[data.scale]\n";
    Foreign scope("scpi-oscilloscope", "[commands]\nquery_format = \"\"\nquery_byte_order = \"\"\n" + apart,
                  [&](const std::string& line) {
                      if (has(line, ":DATA?")) return "#14" + chars({1, 2, 0xff, 0x80}) + "\n";
                      return has(line, "TRACe1:INC?") ? std::string("25 MV\n") : std::string();
                  });
    auto role = scope.role();
    WaveformSetup setup;
    setup.span_s = 3e-6, setup.points = 4, setup.channels = {1}, setup.range_v = 5;
    std::vector<float> samples(4);
    record(role, setup).channels.at(0)->read(0, samples);
    CHECK(samples[0] == within(1e-6, 0.025));
    CHECK(samples[3] == within(1e-6, -3.2));
}

TEST_CASE("other forms: 32 bits, big-endian, lists of text") {
    const std::vector<double> wanted{1.5, -2, 0, 0.25};
    CHECK(volts("[[data]]\nform = \"real32\"\n",
                "#216" + chars({0, 0, 0xc0, 0x3f, 0, 0, 0, 0xc0, 0, 0, 0, 0, 0, 0, 0x80, 0x3e}) + "\n") ==
          wanted);
    CHECK(volts("[[data]]\nform = \"real32\"\norder = \"big\"\n",
                "#0" + chars({0x3f, 0xc0, 0, 0, 0xc0, 0, 0, 0, 0, 0, 0, 0, 0x3e, 0x80, 0, 0}) + "\n") ==
          wanted);
    CHECK(volts("[[data]]\nform = \"ascii\"\n", "+1.5E0,-2, 0.0 ,.25\n") == wanted);
    // Blank lines before it are no answer.
    CHECK(volts("[[data]]\nform = \"ascii\"\n", "\r\n\n1.5,-2,0,0.25\r\n") == wanted);
    // [[data]] of one command does not count for others.
    CHECK(has(trouble("[[data]]\nfor = [\"read_trace\"]\nform = \"ascii\"\n", "1.5,-2,0,0.25\n"),
              "a data block was expected"));
}

TEST_CASE("data that contradict themselves or the question give one error and no numbers") {
    CHECK(has(trouble(scaled, "#16" + four.substr(0, 6) + "\n", "2,4,1,0,0\n"),
              "6 bytes, 4 points of 2 bytes"));
    CHECK(has(trouble(scaled, "#0" + four + "xy\n", "2,4,1,0,0\n"), "longer than the 8 bytes"));
    CHECK_FALSE(trouble(scaled, "#0" + four.substr(0, 5) + "\n", "2,4,1,0,0\n") == "(no error)");
    CHECK(has(trouble(scaled, "#18" + four + "\n", "2,5,1,0,0\n"), "preamble is of 5 points, 4 came"));
    CHECK(has(trouble(scaled, "#18" + four + "\n", "2,4,1\n"), "the preamble has 3 fields"));
    CHECK(has(trouble(scaled, "#18" + four + "\n", "2,4,x,0,0\n"), "field 3 of the preamble is no number"));
    CHECK(has(trouble(scaled, "#18" + four + "\n", "2,4,0,0,0\n"), "the increment is 0"));
    CHECK(has(trouble(scaled, "#18" + four + "\n", "2,4,9.91E37,0,0\n"), "is no number"));
    const std::string list = "[[data]]\nform = \"ascii\"\n";
    CHECK(has(trouble(list, "1,2,3\n"), "3 numbers, 4 were expected"));
    CHECK(has(trouble(list, "1,2,3,4,5\n"), "5 numbers, 4 were expected"));
    CHECK(has(trouble(list, "1,2,9.91E37,4\n"), "no number"));
}

TEST_CASE("the end of a sweep by asking: a register, a word, and one that never comes") {
    const auto swept = [](const std::string& done, std::function<std::string(int)> state) {
        int asked = 0;
        Foreign scope("scpi-oscilloscope",
                      "[commands]\nquery_format = \"\"\nquery_byte_order = \"\"\nacquire = \"INIT\"\n"
                      "[[data]]\nform = \"ascii\"\n[[done]]\ncommand = \"acquire\"\n" +
                          done,
                      [&](const std::string& line) {
                          if (has(line, "STATE?")) return state(asked++);
                          return has(line, ":DATA?") ? std::string("1,2,3,4\n") : std::string();
                      });
        auto role = scope.role();
        WaveformSetup setup;
        setup.span_s = 3e-6, setup.points = 4, setup.channels = {1}, setup.range_v = 5;
        const std::string error = error_text(ErrorKind::bench, [&] { record(role, setup); });
        return std::pair{error, asked};
    };
    const auto busy_thrice = [](int asked) { return std::string(asked < 3 ? "24\n" : "16\n"); };
    CHECK(swept("ask = \"STATE?\"\nbits = 8\nevery = \"2 ms\"\n", busy_thrice) ==
          std::pair{std::string("(no error)"), 4});
    CHECK(swept("ask = \"STATE?\"\nbits = 8\nwhen = \"set\"\n", busy_thrice).second == 1);
    CHECK(swept("ask = \"STATE?\"\nanswer = \"IDLE\"\nevery = \"2 ms\"\n", [](int asked) {
              return std::string(asked < 2 ? "BUSY\n" : "IDLE\n");
          }).second == 3);
    CHECK(has(swept("ask = \"STATE?\"\nbits = 8\n", [](int) { return std::string("8\n"); }).first,
              "the record was not over after"));
    CHECK(has(swept("ask = \"STATE?\"\nbits = 8\n", [](int) { return std::string("RUN\n"); }).first,
              "a register was expected"));
}

TEST_CASE("what a generator has set is read back: another value, a word, within a tolerance") {
    const auto settled = [](const char* setting, const char* value, const char* answer,
                            const std::string& more = "") {
        Foreign generator("scpi-generator", more, [&](const std::string& line) {
            return line.ends_with('?') && !has(line, "*") && !has(line, "ERR") ? std::string(answer) + "\n"
                                                                               : std::string();
        });
        auto role = generator.role();
        role.begin(setting, value);
        CHECK(role.settle().empty());
        return role.read_back();
    };
    CHECK(settled("level", "-30 dBm", "-3.00E+01") == "");
    CHECK(settled("level", "-30 dBm", "-29.95") == "");
    CHECK(settled("level", "-30 dBm", "-29.8") == "the foreign has level -29.8 dBm, -30 dBm was asked for");
    CHECK(settled("level", "-30 dBm", "-29.8", "[tolerance]\nlevel = \"0.3 dB\"\n") == "");
    CHECK(settled("level", "-30 dBm", "-29.95", "[tolerance]\nlevel = \"0.01 dB\"\n") != "");
    CHECK(settled("frequency", "2.4 GHz", "2.4 GHZ") == "");
    CHECK(settled("frequency", "2.4 GHz", "2.4") != "");
    CHECK(settled("frequency", "2.4 GHz", "9.91E37") != "");
    CHECK(settled("output", "ON", "1") == "");
    CHECK(settled("output", "ON", "OFF") == "the foreign has output \"OFF\", \"ON\" was asked for");
}

TEST_CASE("greetings are passed over, and an instrument is given its time to wake") {
    Foreign supply("scpi-supply", "", [&](const std::string& line) {
        return has(line, "IDN") ? "Made,Up,1,2\n" : std::string();
    });
    // Nothing in a script speaks before it is spoken to: the session must not wait for it for long.
    supply.instrument.dialect.greets = true;
    supply.instrument.dialect.wake_s = 0.05;
    CHECK(supply.role().identify() == "Made,Up,1,2");
}

TEST_CASE("a dialect is like another but for what it states") {
    const TestFolder folder;
    const DiskFiles files(std::filesystem::path(RT_SOURCE) / "dialects");
    const auto read = [&](const std::string& text, const char* name = "own.toml") {
        return read_dialect(folder.write(name, "[dialect]\nid = \"own\"\ntitle = \"own\"\n" + text), &files);
    };
    const auto refused = [&](const std::string& text) { return input_error([&] { read(text); }); };
    const Dialect own = read(
        "kind = \"analyser\"\nlike = \"scpi-analyser\"\n[commands]\nset_start = \"FA {hz}\"\nquery_coupled = "
        "\"\"\n[detectors]\npeak = \"PK\"\n");
    const Dialect base = read_dialect(files.find("dialect", "scpi-analyser", ""));
    CHECK(own.commands.at("set_start") == "FA {hz}");
    CHECK(own.commands.at("set_stop") == base.commands.at("set_stop"));
    CHECK_FALSE(own.knows("query_coupled"));
    CHECK(own.detectors.at("peak") == "PK");
    CHECK(own.detectors.at("rms") == base.detectors.at("rms"));
    CHECK(own.overload_mask == base.overload_mask);
    CHECK(own.id == "own");
    REQUIRE(own.bases.size() == 1);
    CHECK(own.bases[0].text == base.text);
    // One like that one, in a file beside it.
    const Dialect second = read("kind = \"analyser\"\nlike = \"own.toml\"\n", "second.toml");
    CHECK(second.commands.at("set_start") == "FA {hz}");
    CHECK(second.bases.size() == 2);
    CHECK(has(refused("kind = \"analyser\"\nlike = \"own.toml\"\n"), "like itself"));
    CHECK(has(refused("kind = \"supply\"\nlike = \"scpi-analyser\"\n"), "kind supply cannot be like it"));
    CHECK(has(refused("kind = \"analyser\"\nlike = \"scpi-analyzer\"\n"), "no dialect \"scpi-analyzer\""));
    CHECK(has(refused("kind = \"analyser\"\nlike = \"scpi-analyser\"\n[commands]\nsweep = \"\"\n"),
              "needs the command sweep"));
    CHECK(has(refused("kind = \"analyser\"\nlike = \"scpi-analyser\"\n[commands]\nset_start = \"FA\"\n"),
              "write {hz}"));
}

TEST_CASE("forms of data and ends that cannot be are refused with file, key and cure") {
    const TestFolder folder;
    const DiskFiles files(std::filesystem::path(RT_SOURCE) / "dialects");
    const auto refused = [&](const std::string& more, const char* base = "scpi-oscilloscope",
                             const char* kind = "oscilloscope") {
        const std::string error = input_error([&] {
            read_dialect(
                folder.write("own.toml", "[dialect]\nid = \"own\"\ntitle = \"own\"\nkind = \"" +
                                             std::string(kind) + "\"\nlike = \"" + base + "\"\n" + more),
                &files);
        });
        CHECK(has(error, "own.toml:"));
        return error;
    };
    CHECK(has(refused("[[data]]\nform = \"real46\"\n"), "did you mean \"real64\""));
    CHECK(has(refused("[[data]]\nform = \"int16\"\norder = \"big\"\n"), "say how in scale"));
    CHECK(has(refused("[[data]]\nform = \"int16\"\n[data.scale]\nincrement = 1\n"), "state order"));
    CHECK(has(refused("[[data]]\nform = \"real32\"\n[data.scale]\nincrement = 1\n"), "whole numbers"));
    CHECK(has(refused("[[data]]\nform = \"ascii\"\norder = \"big\"\n"), "has no byte order"));
    CHECK(has(refused("[[data]]\nform = \"int8\"\n[data.scale]\nincrement = 1\n"), "query_preamble"));
    CHECK(has(refused("[[data]]\nform = \"int8\"\n[data.scale]\n"), "query_increment"));
    CHECK(
        has(refused("[[data]]\nfor = [\"read_traces\"]\nform = \"ascii\"\n"), "did you mean \"read_trace\""));
    CHECK(has(refused("[[done]]\ncommand = \"acquire\"\nask = \"S?\"\nbits = 1\n"), "asks itself"));
    const std::string quiet = "[commands]\nacquire = \"INIT\"\n";
    CHECK(has(refused(quiet + "[[done]]\ncommand = \"acquire\"\nask = \"S\"\nbits = 1\n"), "is no question"));
    CHECK(has(refused(quiet + "[[done]]\ncommand = \"acquire\"\nask = \"S?\"\n"), "one of bits and answer"));
    CHECK(has(refused(quiet + "[[done]]\ncommand = \"aquire\"\nask = \"S?\"\nbits = 1\n"),
              "did you mean \"acquire\""));
    CHECK(has(refused("[tolerance]\nlevl = \"1 dB\"\n", "scpi-generator", "generator"),
              "did you mean \"level\""));
    CHECK(has(refused("[tolerance]\nlevel = \"1 V\"\n", "scpi-generator", "generator"), "voltage"));
    CHECK(has(refused("[commands]\nconfirm_levl = \"X?\"\n", "scpi-generator", "generator"),
              "no command \"confirm_levl\""));
}
