#include "lab/formats/spectrum_csv.hpp"

#include <doctest/doctest.h>

#include "core/base/error.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"

using namespace rt;
using namespace rt::lab;

TEST_CASE("columns carry their units, remarks their facts") {
    const Spectrum s = parse_spectrum_csv(
        "\xEF\xBB\xBF# detector: quasi-peak\r\n# bandwidth: 9 kHz\r\n# impedance: 50 ohm\r\n# made by: "
        "someone\r\n"
        "frequency [MHz];level (dBµV);remark\r\n0.15;43.5;start\r\n\r\n0.2236;-1e1;\r\n",
        "f.csv");
    CHECK(s.frequency_hz == std::vector<double>{150000, 223600});  // exactly
    CHECK(s.level == std::vector<double>{43.5, -10});
    CHECK(s.unit == Unit::dbuv);
    CHECK(s.detector == Detector::quasi_peak);
    CHECK(s.resolution_bandwidth_hz == 9e3);
    CHECK(s.impedance_ohm == 50);
    for (const char* heading :
         {"frequency_hz,level_dbuv", "Freq Hz, Level dBuV", "f (Hz),l [dBµV]", "f/Hz,U/dBuV"}) {
        CAPTURE(heading);
        CHECK(parse_spectrum_csv(std::string(heading) + "\n1,2\n", "f").unit == Unit::dbuv);
    }
    const Spectrum brief = parse_spectrum_csv("# rbw: 9 kHz\n# detector: QP\nf/MHz;l/dBuV\n1;2\n", "f");
    CHECK(brief.detector == Detector::quasi_peak);
    CHECK(brief.resolution_bandwidth_hz == 9e3);
    CHECK(brief.frequency_hz[0] == 1e6);
    // Linear levels become levels: 1 mV is 60 dBuV, 1 mW is 0 dBm.
    CHECK(parse_spectrum_csv("f [Hz]\tu [mV]\n1\t1\n", "f").level[0] == about(60));
    CHECK(parse_spectrum_csv("f [Hz],p [W]\n1,0.001\n", "f").level[0] == about(0));
}

TEST_CASE("what is written is read back the same") {
    Spectrum s;
    s.frequency_hz = {150000, 152249.94, 2.405e9 + 1.0 / 3};
    s.level = {-93.1234, 0, 106.9897};
    s.unit = Unit::dbm;
    s.detector = Detector::rms;
    s.resolution_bandwidth_hz = 100e3;
    s.impedance_ohm = 50;
    s.reference_level = -10;
    s.distrust = "analyser overloaded: raise it";
    const Spectrum back = parse_spectrum_csv(spectrum_csv(s), "f");
    CHECK(back.frequency_hz == s.frequency_hz);
    CHECK(back.level == s.level);
    CHECK(back.unit == s.unit);
    CHECK(back.detector == s.detector);
    CHECK(back.resolution_bandwidth_hz == s.resolution_bandwidth_hz);
    CHECK(back.reference_level == s.reference_level);
    CHECK(back.distrust == s.distrust);
}

TEST_CASE("a bad cell is named by row and column") {
    struct Row {
        const char* text;
        const char* message;
    };
    const Row rows[] = {
        {"", "f.csv: is empty: write a heading such as frequency [Hz],level [dBuV] and rows"},
        {"frequency [Hz],level [dBuV]\n", "f.csv: has a heading but no rows"},
        {"150000,43\n", "f.csv, row 1, column 1: heading \"150000\" states no unit: write frequency [Hz]"},
        {"frequency [Hz],level\n1,2\n",
         "f.csv, row 1, column 2: heading \"level\" states no unit: write level [dBuV]"},
        {"frequency [s],level [dBuV]\n1,2\n",
         "f.csv, row 1, column 1: the first column is in s: write the frequency there"},
        {"frequency [Hz],level [s]\n1,2\n",
         "f.csv, row 1, column 2: a level cannot be in s: write it in dBuV, dBm, V ..."},
        {"frequency [Hz],level [dBuV]\n1,2\n2,x\n", "f.csv, row 3, column 2: \"x\" is not a number"},
        {"frequency [Hz],level [dBuV]\n1,nan\n", "f.csv, row 2, column 2: \"nan\" is not a number"},
        {"frequency [Hz],level [dBuV]\n1,inf\n", "f.csv, row 2, column 2: \"inf\" is not a number"},
        {"frequency [Hz],level [dBuV]\n1;2\n",
         "f.csv, row 2, column 2: the cell is missing: the heading has 2 columns"},
        {"frequency [Hz],level [dBuV]\n2,1\n1,1\n",
         "f.csv, row 3, column 1: frequencies must rise: 1 Hz stands after 2 Hz"},
        {"frequency [Hz],level [dBuV]\n2,1\n2,1\n",
         "f.csv, row 3, column 1: frequencies must rise: 2 Hz stands after 2 Hz"},
        {"frequency [Hz],level [V]\n1,0\n",
         "f.csv, row 2, column 2: \"0\" has no level: write a value above zero"},
        {"# bandwidth: 9 V\nf [Hz],l [dBm]\n1,0\n",
         "f.csv, row 1: remark bandwidth: \"9 V\" is a voltage: write a frequency such as \"150 kHz\""},
        {"# detector: picky\nf [Hz],l [dBm]\n1,0\n",
         "f.csv, row 1: remark detector: unknown detector \"picky\": known are peak, quasi-peak, average, "
         "rms, sample, negative-peak, cispr-average"},
    };
    for (const auto& row : rows) {
        CAPTURE(row.text);
        CHECK(input_error([&] { parse_spectrum_csv(row.text, "f.csv"); }) == row.message);
    }
}
