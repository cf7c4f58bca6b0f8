// Small formats: Touchstone, corrections, captures as CSV, addresses, dialects, profiles.
#include <doctest/doctest.h>

#include <complex>

#include "lab/captures/capture_file.hpp"
#include "lab/formats/correction_file.hpp"
#include "lab/formats/dialect_file.hpp"
#include "lab/formats/profile_file.hpp"
#include "lab/formats/touchstone.hpp"
#include "lab/model/address.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

TEST_CASE("touchstone files of both versions, in all three forms") {
    const std::string ma =
        "! a cable\n# MHz S MA R 75\n100 0.1 0 0.5 90 0.25 -90 0.2 180 ! first\n"
        "200 0.1 0 0.4 0 0.3 0 0.2 0\n";
    const Network n = parse_touchstone(ma, "c.s2p", 2);
    CHECK(n.frequency_hz == std::vector<double>{100e6, 200e6});
    CHECK(n.reference(1) == 75);
    // Two-port rows stand as S11 S21 S12 S22.
    CHECK(std::abs(n.at(0, 2, 1) - std::complex<double>(0, 0.5)) < 1e-12);
    CHECK(std::abs(n.at(0, 1, 2) - std::complex<double>(0, -0.25)) < 1e-12);
    CHECK(std::abs(n.at(0, 2, 2) - std::complex<double>(-0.2, 0)) < 1e-12);
    const Network db = parse_touchstone("# GHz S DB R 50\n1 -20 0 -6.0206 0 -6.0206 0 -20 0\n", "d.s2p", 2);
    CHECK(std::abs(db.at(0, 2, 1)) == about(0.5).epsilon(1e-6));
    // Without an option line: GHz, magnitude and angle, 50 ohm.
    CHECK(parse_touchstone("1 0.5 0\n", "e.s1p", 1).frequency_hz[0] == 1e9);
    const Network v2 = parse_touchstone(
        "[Version] 2.0\n# Hz S RI R 50\n[Number of Ports] 2\n[Two-Port Data Order] 12_21\n"
        "[Number of Frequencies] 1\n[Network Data]\n1e6 1 0 2 0 3 0 4 0\n[End]\n",
        "f.ts", 0);
    CHECK(v2.at(0, 1, 2).real() == 2);
    CHECK(v2.at(0, 2, 1).real() == 3);
    // Noise data of version 1 begins where the frequency falls back.
    CHECK(parse_touchstone(ma + "100 1 0.2 10 0.1\n", "c.s2p", 2).frequency_hz.size() == 2);
    const Network back = parse_touchstone(touchstone(n), "g.s2p", 2);
    CHECK(back.s == n.s);
    // Three ports, a row to a line.
    std::string three = "# HZ S RI R 50\n1e6 1 0 2 0 3 0\n4 0 5 0 6 0\n7 0 8 0 9 0\n";
    CHECK(parse_touchstone(three, "h.s3p", 3).at(0, 2, 3).real() == 6);
    CHECK(parse_touchstone(touchstone(parse_touchstone(three, "h.s3p", 3)), "i.s3p", 3).at(0, 3, 1).real() ==
          7);
}

namespace {

// A file of version 2 out of its parts; the data are two frequencies of two ports.
std::string version_two(const std::string& head,
                        const std::string& data = "1 1 0 2 0 3 0 4 0\n2 1 0 2 0 3 0 4 0\n",
                        const std::string& tail = "[End]\n") {
    return "[Version] 2.0\n# MHz S RI R 50\n" + head + "[Network Data]\n" + data + tail;
}

const std::string two_ports = "[Number of Ports] 2\n[Two-Port Data Order] 21_12\n[Number of Frequencies] 2\n";

}  // namespace

TEST_CASE("touchstone version 2: references, triangles, information and noise") {
    const auto read = [](const std::string& text) { return parse_touchstone(text, "v.ts", 0); };
    CHECK(read(version_two(two_ports)).at(1, 2, 1).real() == 2);
    CHECK(read(version_two(two_ports)).reference(1) == 50);
    CHECK(read(version_two(two_ports + "[Reference] 75 75\n")).reference(1) == 75);
    CHECK(read(version_two(two_ports + "[Reference]\n75\n75\n[Matrix Format] Full\n")).reference(1) == 75);
    CHECK(read(version_two("[Begin Information]\nwhat [ever] 1 2 3\n[End Information]\n" + two_ports))
              .frequency_hz.size() == 2);
    const auto noise =
        version_two(two_ports + "[Number of Noise Frequencies] 1\n", "1 1 0 2 0 3 0 4 0\n2 1 0 2 0 3 0 4 0\n",
                    "[Noise Data]\n1 2 3 4 5\n[End]\n");
    CHECK(read(noise).frequency_hz.size() == 2);
    REQUIRE(read(noise).noise.size() == 1);
    CHECK(read(noise).noise[0].minimum_figure_db == 2);
    CHECK(std::abs(read(noise).noise[0].optimum - std::polar(3.0, 4 * 3.14159265358979 / 180)) < 1e-12);
    CHECK(read(noise).noise[0].resistance_ohm == 5);
    CHECK(read(version_two(two_ports + "[Reference] 75 50\n")).reference(2) == 50);
    // The same three-port matrix as both triangles.
    const std::string three = "[Number of Ports] 3\n[Number of Frequencies] 1\n[Matrix Format] ";
    const Network low = read(version_two(three + "Lower\n", "1 11 0\n21 0 22 0\n31 0 32 0 33 0\n"));
    const Network high = read(version_two(three + "Upper\n", "1 11 0 21 0 31 0\n22 0 32 0\n33 0\n"));
    CHECK(low.s == high.s);
    for (std::size_t a = 1; a <= 3; ++a) {
        for (std::size_t b = 1; b <= 3; ++b)
            CHECK(low.at(0, a, b).real() == static_cast<double>(10 * std::max(a, b) + std::min(a, b)));
    }
}

TEST_CASE("touchstone version 2: what is missing, misspelt or cut off is refused with its line") {
    const auto error = [](const std::string& text, std::size_t ports = 0) {
        return input_error([&] { parse_touchstone(text, "v.ts", ports); });
    };
    CHECK(error(version_two(two_ports, "1 1 0 2 0 3 0 4 0\n")) ==
          "v.ts:8: [Number of Frequencies] is 2, the data has 1");
    CHECK(error(version_two(two_ports, "1 1 0 2 0 3 0 4 0\n2 1 0 2 0 3 0 4 0\n", ""))
              .find("[End] is missing") != std::string::npos);
    CHECK(error(version_two("[Two-Port Data Order] 21_12\n[Number of Frequencies] 2\n"))
              .find("[Number of Ports]") != std::string::npos);
    CHECK(error(version_two("[Number of Ports] 2\n[Number of Frequencies] 2\n"))
              .find("[Two-Port Data Order]") != std::string::npos);
    CHECK(error(version_two("[Number of Ports] 2\n[Two-Port Data Order] 21_12\n"))
              .find("[Number of Frequencies]") != std::string::npos);
    CHECK(error(version_two(two_ports + "[Refrence] 75 75\n")).find("did you mean") != std::string::npos);
    CHECK(error(version_two(two_ports + "[Reference] 75\n")).find("fewer values") != std::string::npos);
    CHECK(error(version_two(two_ports), 4).find("the file's name says 4") != std::string::npos);
    CHECK(error(version_two(two_ports, "-1 1 0 2 0 3 0 4 0\n2 1 0 2 0 3 0 4 0\n")).find("below 0 Hz") !=
          std::string::npos);
    CHECK(error("# MHz S RI R 50\n[Reference] 75\n1 0.1 0\n", 1).find("[Version] 2.0") != std::string::npos);
    CHECK(error("[Version] 3.0\n", 1).find("versions 1.0, 2.0 and 2.1") != std::string::npos);
    CHECK(error("# MHz S RI R 50\n-1 0.1 0\n", 1) == "v.ts:2: a frequency must not be below 0 Hz");
    CHECK(error(version_two(two_ports) + "3 1 0 2 0 3 0 4 0\n").find("behind [End]") != std::string::npos);
}

TEST_CASE("broken touchstone files are refused with their line") {
    const auto error = [](const std::string& text) {
        return input_error([&] { parse_touchstone(text, "x.s2p", 2); });
    };
    CHECK(error("# GHz S MA R 50\n1 1 2 3 4 5 6 7 x\n") == "x.s2p:2: \"x\" is not a number");
    CHECK(error("# GHz X MA R 50\n1 1 2 3 4 5 6 7 8\n").find("x.s2p:1:") == 0);
    CHECK(error("2 1 0 1 0 1 0 1 0\n1 1 0 1 0 1 0 1 0\n") == "x.s2p:2: the frequencies must rise");
    CHECK(error("1 1 0 1 0\n").find("ends in the middle") != std::string::npos);
    CHECK(error("! nothing\n").find("no network data") != std::string::npos);
}

TEST_CASE("corrections come from CSV in either sense, or from a touchstone file") {
    const auto loss =
        parse_correction("# valid_until: 2030-01-31\nfrequency [MHz],loss [dB]\n1,0.5\n10,1.5\n", "a.csv");
    CHECK(loss.table.at(10e6) == 1.5);
    CHECK(loss.valid_until == "2030-01-31");
    CHECK(parse_correction("frequency [kHz];gain [dB]\n1;20\n", "b.csv").table.at(1e3) == -20);
    // Cells with an exponent of their own, and a prefix above them.
    const auto powers = parse_correction("frequency [MHz],loss [dB]\n1e-1,5E-1\n2E2,1.5\n", "d.csv");
    CHECK(powers.table.at(100e3) == 0.5);
    CHECK(powers.table.at(200e6) == 1.5);
    const auto antenna = parse_correction("frequency [MHz],factor [dB/m]\n30,12\n300,20\n", "c.csv");
    CHECK(antenna.antenna);
    CHECK(antenna.table.at(300e6) == 20);
    CHECK(parse_correction("# MHz S MA R 50\n100 0 0 0.5 90 0.5 0 0 0\n", "d.s2p").table.at(100e6) ==
          about(6.0206).epsilon(1e-5));
    // Written and read back, a measured path keeps its numbers.
    const std::string text =
        correction_csv(loss.table, "2026-11-23T09:00:00.000Z", "2026-11-23T17:00:00.000Z");
    CHECK(parse_correction(text, "e.csv").table.db() == loss.table.db());
    CHECK(parse_correction(text, "e.csv").valid_until == "2026-11-23T17:00:00.000Z");
    const auto error = [](const char* csv) { return input_error([&] { parse_correction(csv, "x.csv"); }); };
    CHECK(error("frequency,loss [dB]\n1,2\n").find("states no unit") != std::string::npos);
    CHECK(error("frequency [Hz],loss [dB]\n1,two\n") == "x.csv, row 2, column 2: \"two\" is not a number");
    CHECK(error("frequency [Hz],loss [dB]\n2,1\n1,1\n").find("must rise") != std::string::npos);
    CHECK(error("frequency [Hz],level [dB]\n2,1\n").find("needs one of the columns") != std::string::npos);
    CHECK(error("frequency [Hz],loss [dB]\n").find("no rows") != std::string::npos);
}

// What a capture is kept as.
static std::string kept_text(const Capture& capture) {
    const TestFolder folder;
    return write_capture(folder.path() / "kept", capture).content;
}

TEST_CASE("captures of every kind come back from their files as they were") {
    Counts counts{1000, 990, 160000, 12, {}};
    CHECK(std::get<Counts>(parse_capture_csv(kept_text(counts), "c.csv")).packets_received == 990);
    // A counter's own log of several rows is added up; columns that are not needed may be missing.
    const Capture log = parse_capture_csv("packets_sent,packets_received\n10,9\n20,20\n", "l.csv");
    CHECK(std::get<Counts>(log).packets_sent == 30);
    CHECK(std::get<Counts>(log).packets_received == 29);
    const PowerReading power{-12.3456, 2.4e9, 2, 1.5, "sensor overloaded"};
    const auto back = std::get<PowerReading>(parse_capture_csv(kept_text(power), "p.csv"));
    CHECK(back.level_dbm == power.level_dbm);
    CHECK(back.sensor == 2);
    CHECK(back.correction_db == 1.5);
    CHECK(back.distrust == "sensor overloaded");
    Spectrum s;
    s.frequency_hz = {1e6, 2e6}, s.level = {40.5, 41}, s.unit = Unit::dbuv_per_metre,
    s.correction_db = {8, 8.5};
    const auto spectrum = std::get<Spectrum>(parse_capture_csv(kept_text(s), "s.csv"));
    CHECK(spectrum.correction_db == s.correction_db);
    CHECK(spectrum.unit == Unit::dbuv_per_metre);
    CHECK(input_error([] {
              parse_capture_csv("packets_sent,packets_received\n10,11\n", "x.csv");
          }).find("more than were sent") != std::string::npos);
    CHECK(input_error([] { parse_capture_csv("packets_sent,packets_received\n10,1.5\n", "x.csv"); }) ==
          "x.csv, row 2, column 2: \"1.5\" is no count: write a whole number");
    CHECK(input_error([] {
              parse_capture_csv("packets_sent,packets_received\n10\n", "x.csv");
          }).find("x.csv, row 2, column 2: the cell is missing") == 0);
}

TEST_CASE("addresses are taken apart, and a slip says what can be written") {
    const Address tcp = parse_address("tcp://192.0.2.7:5025");
    CHECK(tcp.host == "192.0.2.7");
    CHECK(tcp.port == "5025");
    CHECK(parse_address("tcp://[2001:db8::1]:5025").host == "2001:db8::1");
    CHECK(parse_address("hislip://bench").port == "4880");
    CHECK(parse_address("hislip://bench:4881/hislip1").name == "hislip1");
    const Address serial = parse_address("serial:/dev/ttyUSB0,9600,7E2");
    CHECK(serial.path == "/dev/ttyUSB0");
    CHECK(serial.baud == 9600);
    CHECK(serial.data_bits == 7);
    CHECK(serial.parity == 'E');
    CHECK(serial.stop_bits == 2);
    CHECK(parse_address("device:/dev/usbtmc0").kind == Address::Kind::device);
    CHECK(parse_address("simulated:hislip").name == "hislip");
    CHECK(parse_address("by hand").kind == Address::Kind::by_hand);
    for (const char* wrong :
         {"", "gpib::7", "tcp://", "tcp://host", "tcp://host:0", "tcp://host:99999",
          "serial:", "serial:/dev/x,fast", "serial:/dev/x,9600,9N1", "files:", "simulated:"}) {
        CAPTURE(wrong);
        CHECK(input_error([&] { parse_address(wrong); }).find("is no address") != std::string::npos);
    }
}

TEST_CASE("a dialect has the commands of its kind, no others and none too few") {
    TestFolder folder;
    const auto error = [&](const std::string& kind, const std::string& commands) {
        const auto file = folder.write("d.toml", "[dialect]\nid = \"d\"\ntitle = \"d\"\nkind = \"" + kind +
                                                     "\"\n[commands]\n" + commands);
        return input_error([&] { read_dialect(file); });
    };
    const std::string two = "identify = \"*IDN?\"\nnext_error = \"SYST:ERR?\"\n";
    CHECK(error("attenuator", two + "set_attenuation = \"ATT {value}\"\n") == "(no error)");
    CHECK(error("attenuator", two).find("needs the command set_attenuation (in steps)") != std::string::npos);
    CHECK(error("attenuator", two + "set_atenuation = \"ATT {value}\"\n")
              .find("has no command \"set_atenuation\": did you mean \"set_attenuation\"?") !=
          std::string::npos);
    CHECK(error("toaster", two).find("unknown kind of instrument \"toaster\"") != std::string::npos);
    CHECK(error("unit", two + "set_anything = \"X {value}\"\nquery_mood = \"MOOD?\"\n") == "(no error)");
    for (const auto& entry :
         std::filesystem::directory_iterator(std::filesystem::path(RT_SOURCE) / "dialects")) {
        CAPTURE(entry.path().string());
        CHECK_NOTHROW(read_dialect(entry.path()));
    }
}

TEST_CASE("a profile written is the profile read, whatever its texts hold") {
    TestFolder folder;
    Profile profile;
    profile.title = "quick \"look\" \\ at\nall";
    profile.parameters["scan"] = {{"dwell", "1 ms"}, {"detector", "peak"}};
    const Profile back = read_profile(folder.write("p.toml", profile_text(profile)));
    CHECK(back.title == profile.title);
    CHECK(back.parameters.at("scan").size() == 2);
    CHECK_FALSE(back.published);
}

TEST_CASE("network data is kept as Touchstone, with why it cannot be trusted") {
    const TestFolder folder;
    Network network;
    network.ports = 2;
    network.frequency_hz = {1e6, 2e6};
    for (int i = 0; i < 8; ++i) network.s.emplace_back(0.1 * i, -0.05 * i);
    network.distrust = "source unlevelled";
    const WrittenCapture written = write_capture(folder / "00001-loss", network);
    CHECK(written.file.filename() == "00001-loss.s2p");
    const auto back = std::get<Network>(read_capture(written.file));
    CHECK(back.s == network.s);
    CHECK(back.distrust == "source unlevelled");
}

TEST_CASE("uneven times of a waveform are refused, or resampled when that is asked for") {
    const auto step = [](double seconds) {
        CaptureHints hints;
        hints.resample_step_s = seconds;
        return hints;
    };
    const std::string text = "time [us],voltage [V]\n0,0\n1,10\n4,40\n5,30\n";
    CHECK(error_text(ErrorKind::input, [&] { parse_capture_csv(text, "w.csv"); }).find("--resample STEP") !=
          std::string::npos);
    const auto wave = std::get<Waveform>(parse_capture_csv(text, "w.csv", step(0.5e-6)));
    CHECK(wave.step_s == 0.5e-6);
    CHECK(wave.volts() == std::vector<double>{0, 5, 10, 15, 20, 25, 30, 35, 40, 35, 30});
    CHECK(error_text(ErrorKind::input, [&] {
              parse_capture_csv(text, "w.csv", step(1e-15));
          }).find("100 million") != std::string::npos);
    CHECK(error_text(ErrorKind::input, [&] {
              parse_capture_csv("time [s],voltage [V]\n0,1\n2,1\n1,2\n", "w.csv", step(1));
          }).find("times must rise") != std::string::npos);
}
