// Spectra that other programs have written.
#include <doctest/doctest.h>

#include "core/base/error.hpp"
#include "lab/formats/exported_spectrum.hpp"
#include "tests/about.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

const std::string preamble =
    "Instrument;A-17\nDate;30.11.2026\nRBW;9;kHz\nDetector;Max "
    "Peak\nStart;150;kHz\nStop;150,3;kHz\nValues;4\n";
const std::string rows = "150000;40,5\n150100;41,25\n150200;-3,75\n150300;40\n";

Spectrum read(const std::string& text, const SpectrumLayout& layout = {}) {
    return parse_exported(text, "s.csv", layout);
}
std::string refusal(const std::string& text, const SpectrumLayout& layout = {}) {
    try {
        read(text, layout);
    } catch (const Error& error) {
        CHECK(error.kind() == ErrorKind::input);
        return error.what();
    }
    return "taken";
}
bool has(const std::string& text, const std::string& part) {
    return text.find(part) != std::string::npos;
}

}  // namespace

TEST_CASE("a preamble, semicolons and decimal commas, with what the preamble states") {
    const Spectrum s = read(preamble + "Frequency [Hz];Trace 1 [dBuV]\n" + rows);
    REQUIRE(s.level.size() == 4);
    CHECK(s.frequency_hz[3] == 150300);
    CHECK(s.level[2] == -3.75);
    CHECK(s.unit == Unit::dbuv);
    CHECK(s.detector == Detector::peak);
    CHECK(s.resolution_bandwidth_hz == 9000);
    CHECK(s.declared.empty());
    // Units in a row of their own, and the micro sign as Latin-1 and UTF-8 write it.
    for (const char* unit : {"dBuV", "dB\xC2\xB5V", "dB\xB5V"}) {
        const Spectrum other = read(preamble + "Frequency;Trace 1\nHz;" + unit + "\n" + rows);
        CHECK(other.unit == Unit::dbuv);
        CHECK(other.level == s.level);
    }
    // In the preamble.
    CHECK(read("x-unit;Hz\ny-unit;dBm\n" + rows).unit == Unit::dbm);
}

TEST_CASE("every separator, decimal points or commas, UTF-16, carriage returns") {
    const auto form = [](const std::string& separator, char decimal, const std::string& end) {
        std::string out = "made by a program" + end + "Frequency [MHz]" + separator + "Level [dBm]" + end;
        for (const char* row : {"30.0|-60.5", "30.1|-61.5", "30.2|-62.25", "1.5e2|-63"}) {
            for (const char* c = row; *c; ++c)
                out += *c == '|' ? separator : std::string(1, *c == '.' ? decimal : *c);
            out += end;
        }
        return out;
    };
    for (const auto& [separator, decimal] :
         {std::pair(";", '.'), {";", ','}, {"\t", '.'}, {"\t", ','}, {",", '.'}}) {
        CAPTURE(separator);
        CAPTURE(decimal);
        const Spectrum s = read(form(separator, decimal, "\r\n"));
        CHECK(s.frequency_hz[1] == 30.1e6);
        CHECK(s.frequency_hz[3] == 150e6);
        CHECK(s.level[2] == -62.25);
    }
    std::string wide = "\xFF\xFE";
    for (const char c : form(";", ',', "\n")) wide += std::string{c, '\0'};
    CHECK(read(wide).level[2] == -62.25);
    SpectrumLayout spaces;
    spaces.frequency_unit = "MHz", spaces.level_unit = "dBm", spaces.frequency_column = "1",
    spaces.level_column = "2";
    CHECK(read("% two columns\n 30.0   -60.5\n 30.1   -61.5\n 30.2   -62\n", spaces).level[1] == -61.5);
}

TEST_CASE("which of several curves or blocks is meant is never guessed") {
    const std::string several =
        "Frequency [Hz];Max hold [dBuV];Average [dBuV]\n1000;1,5;0,5\n2000;2,5;1\n3000;3;2\n";
    CHECK(has(refusal(several),
              "several columns that could be the level (2 \"Max hold\", 3 \"Average\"): state which, "
              "--level \"Max hold\""));
    SpectrumLayout layout;
    layout.level_column = "average";
    CHECK(read(several, layout).level == std::vector<double>{0.5, 1, 2});
    layout.level_column = "3";
    CHECK(read(several, layout).level[0] == 0.5);
    layout.level_column = "RMS";
    CHECK(has(refusal(several, layout),
              "has no column \"RMS\" for the level: it has 1 \"Frequency\", 2 \"Max hold\""));
    // A phase beside the level is no other level.
    CHECK(read("Frequency [Hz];Level [dBm];Phase [deg]\n1;-1;5\n2;-2;6\n3;-3;7\n").level[2] == -3);
    const std::string blocks = "Frequency [Hz];Level [dBm]\n1;-1\n2;-2\n3;-3\nTrace 2\n1;-4\n2;-5\n3;-6\n";
    CHECK(has(refusal(blocks), "holds 2 blocks of rows (rows 2 to 4, rows 6 to 8): state which, --block 1"));
    SpectrumLayout second;
    second.block = 2, second.frequency_unit = "Hz", second.level_unit = "dBm";
    CHECK(read(blocks, second).level[0] == -4);
    second.block = 3;
    CHECK(has(refusal(blocks, second), "holds 2 blocks of rows, no 3th"));
}

TEST_CASE("units are said or stated, never guessed, and never contradicted") {
    const std::string bare = "Sweep of today\n" + rows;
    CHECK(has(refusal(bare), "does not say the unit of the level in column 2: state it, --level 2:dBuV"));
    SpectrumLayout layout;
    take_column("2:dBuV", layout.level_column, layout.level_unit);
    CHECK(has(refusal(bare, layout), "does not say the unit of the frequency in column 1"));
    take_column("1:Hz", layout.frequency_column, layout.frequency_unit);
    CHECK(read(bare, layout).level[1] == 41.25);
    const std::string said = "Frequency [Hz];Level [dBm]\n" + rows;
    CHECK(has(refusal(said, layout), "says that the level is in dBm, not in dBuV"));
    take_column("2", layout.level_column, layout.level_unit);
    CHECK(read(said, layout).unit == Unit::dbm);
    // Volts become levels; watts, of which nobody knows the impedance, become none.
    CHECK(read("Frequency [Hz];Level [V]\n1;1e-6\n2;1e-5\n3;1e-4\n").level[1] == within(1e-9, 20));
}

TEST_CASE("a file that is cut or damaged is refused, whatever was lost") {
    const std::string heading = "Frequency [Hz];Trace 1 [dBuV]\n";
    CHECK(has(refusal(preamble + heading + "150000;40,5\n150100;41,25\n150300;40\n"),
              "states 4 points and has 3 rows: it is cut"));
    CHECK(has(refusal("a\n" + heading + "1;1,5\n2;1,5\n3;1,5\n4\n"),
              "s.csv, row 6: \"4\" is no row of 2 numbers"));
    CHECK(has(refusal("a\n" + heading + "0;xx\n1;1,5\n2;1,5\n3;1,5\n"), "row 3: \"0;xx\" is no row"));
    CHECK(has(refusal("a\n" + heading + "1;1,5\n2;1,5\n3;1,5\nxx;4\n5;1\n6;1\n7;1\n"), "holds 2 blocks"));
    CHECK(has(refusal("a\n" + heading + "1;1,5\n3;1,5\n2;1,5\n"), "row 5: frequencies must rise"));
    CHECK(has(refusal("nothing here\n"), "holds no three rows of numbers"));
    // Kilohertz taken for hertz.
    CHECK(has(refusal("Start;150;kHz\n" + heading + "150;1,5\n160;1,5\n170;1,5\n"),
              "states start 150 kHz, its rows have 150 Hz: is the unit of the frequencies right?"));
    // What stands behind the rows in words is no row.
    CHECK(read(heading + "1;1,5\n2;1,5\n3;1,5\nEnd of sweep\n").level.size() == 3);
}

TEST_CASE("levels alone take their frequencies from start and stop") {
    const std::string alone = "Start=1 MHz\nStop=2 MHz\nUnit=dBm\n-10\n-20\n-30\n";
    const Spectrum s = read(alone);
    CHECK(s.frequency_hz == std::vector<double>{1e6, 1.5e6, 2e6});
    CHECK(s.unit == Unit::dbm);
    CHECK(has(refusal("Unit=dBm\n-10\n-20\n-30\n"), "has one column and no frequencies"));
}

TEST_CASE("what a layout declares is marked, an overload distrusted, and a layout is written as it is read") {
    SpectrumLayout layout = parse_layout(
        "[layout]\nfrequency = \"1:Hz\"\nlevel = \"Trace 1:dBuV\"\ndetector = \"average\"\nbandwidth = \"120 "
        "kHz\"\n",
        "l.toml");
    const std::string plain = "Frequency;Trace 1\n" + rows;
    const Spectrum s = read(plain, layout);
    CHECK(s.declared == "detector average, bandwidth 120 kHz");
    CHECK(s.resolution_bandwidth_hz == 120e3);
    CHECK(has(refusal(preamble + plain, layout),
              "states another detector than average, which l.toml declares"));
    CHECK(read("Overload;1\n" + plain, layout).distrust == "the file says overload: 1");
    CHECK_FALSE(read("Overload;0\n" + plain, layout).distrust);
    SpectrumLayout used;
    parse_exported(plain, "s.csv", layout, &used);
    const SpectrumLayout again = parse_layout(layout_text(used), "l.toml");
    CHECK(again == used);
    CHECK(read(plain, again).level == s.level);
    CHECK(again.decimal == "comma");
    CHECK_THROWS_WITH(parse_layout("[layout]\nseparator = \"pipe\"\n", "l.toml"),
                      doctest::Contains("\"pipe\" is none of \",\", \";\", \"tab\", \"spaces\""));
    CHECK_THROWS_WITH(parse_layout("[layout]\nstart = \"1 MHz\"\n", "l.toml"),
                      doctest::Contains("go together"));
}
