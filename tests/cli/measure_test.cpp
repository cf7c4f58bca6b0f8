#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "tests/cli/program.hpp"

using nlohmann::json;

namespace {

const std::string head = "# detector: average\n# bandwidth: 9 kHz\nfrequency [MHz],level [dBuV]\n";

// 0.15 to 30 MHz every 7.5 kHz at 30 dBuV, with `level` at `mhz`.
std::string scan(double mhz, double level) {
    std::string out = head;
    for (int i = 0; i <= 3980; ++i) {
        const double f = 0.15 + 0.0075 * i;
        out += std::to_string(f) + "," + std::to_string(std::abs(f - mhz) < 0.0037 ? level : 30) + "\n";
    }
    return out;
}

struct Bench {
    TestFolder folder;
    Said measure(const std::string& csv,
                 std::vector<std::string> rest = {"--rule", "cispr-32/mains-b-av"}) const {
        folder.write("f.csv", csv);
        rest.insert(rest.begin(), {"measure", "emission.scan", "f.csv"});
        return rare_tally(folder.path(), rest);
    }
};

}  // namespace

TEST_CASE("measure judges a spectrum, and its exit code is the verdict") {
    Bench bench;
    const Said pass = bench.measure(scan(1, 40));
    CHECK(pass.code == 0);
    CHECK(contains(
        pass.out,
        "PASS      cispr-32/mains-b-av  value 40 dBµV, limit 46 dBµV, margin 6.00 dB at 997.5 kHz\n"));
    CHECK(bench.measure(scan(1, 44)).out.find("MARGINAL") != std::string::npos);
    CHECK(bench.measure(scan(1, 44), {"--rule", "cispr-32/mains-b-av", "--marginal", "1 dB"})
              .out.find("PASS") != std::string::npos);
    const Said fail = bench.measure(scan(12, 53));
    CHECK(fail.code == 1);
    CHECK(contains(fail.out, "FAIL      cispr-32/mains-b-av  value 53 dBµV, limit 50 dBµV, margin -3.00 dB"));
    // Several rules, each its own finding: a FAIL decides the exit code.
    const Said two =
        bench.measure(scan(12, 53), {"--rule", "cispr-32/mains-a-av", "--rule", "cispr-32/mains-b-av"});
    CHECK(two.code == 1);
    CHECK(contains(two.out, "PASS      cispr-32/mains-a-av"));
    CHECK(bench.measure(scan(1, 40), {}).code == 0);  // nothing to judge
    bench.folder.write("a, b.csv", scan(1, 40));
    CHECK(rare_tally(bench.folder.path(), {"measure", "emission.scan", "a, b.csv"}).code == 0);
}

TEST_CASE("a limit of one's own judges a result and is told from a rulebook's") {
    Bench bench;
    const Said fail = bench.measure(scan(12, 53), {"--limit", "highest_level <= 50 dBuV"});
    CHECK(fail.code == 1);
    CHECK(
        contains(fail.out, "FAIL      stated/highest_level  value 53 dBµV, limit 50 dBµV, margin -3.00 dB"));
    CHECK(contains(fail.out, "not per the standard: limit of the user's own, not of a rulebook"));
    const Said both = bench.measure(scan(12, 53), {"--limit", "40 dBuV <= highest_level <= 60 dBuV",
                                                   "--limit", "highest_level_frequency >= 20 MHz"});
    CHECK(both.code == 1);
    CHECK(contains(both.out, "PASS      stated/highest_level"));
    CHECK(contains(both.out, "FAIL      stated/highest_level_frequency"));
    const auto refused = [&](const char* limit) {
        const Said said = bench.measure(scan(12, 53), {"--limit", limit});
        CHECK(said.code == 2);
        CHECK(lines(said.err) == 1);
        return said.err;
    };
    CHECK(contains(refused("highest_levle <= 50 dBuV"), "did you mean \"highest_level\"?"));
    CHECK(contains(refused("highest_level < 50 dBuV"), "write <= in place of <"));
    CHECK(contains(refused("highest_level <= 5 A"),
                   "rule highest_level is in A but result highest_level is in dBuV"));
}

TEST_CASE("measure --json has the documented schema") {
    Bench bench;
    const auto parsed =
        json::parse(bench.measure(scan(12, 53), {"--rule", "cispr-32/mains-b-av", "--json"}).out);
    for (const char* key : {"schema", "version", "results", "findings", "notes", "counts", "invalid"})
        CHECK(parsed.contains(key));
    CHECK(parsed["invalid"].is_null());
    const auto& result = parsed["results"][0];
    for (const char* key : {"name", "value", "unit", "uncertainty"}) CHECK(result.contains(key));
    CHECK(result["name"] == "highest_level");
    CHECK(result["value"] == 53);
    CHECK(result["unit"] == "dBuV");
    const auto& finding = parsed["findings"][0];
    for (const char* key : {"rule", "clause", "limit", "value", "unit", "margin", "verdict", "reason", "at"})
        CHECK(finding.contains(key));
    CHECK(finding["limit"] == 50);
    CHECK(finding["margin"] == -3);
    CHECK(finding["verdict"] == "FAIL");
    CHECK(finding["at"]["unit"] == "Hz");
    CHECK(finding["points_beyond"] == 1);
}

TEST_CASE("bad spectra are one clear line and exit 2") {
    Bench bench;
    struct Row {
        std::string csv, message;
    };
    for (const auto& row :
         {Row{head + "0.15,40\n0.2,forty\n", "f.csv, row 5, column 2: \"forty\" is not a number"},
          Row{head + "0.15,40\n0.2,nan\n", "f.csv, row 5, column 2: \"nan\" is not a number"},
          Row{head + "0.2,40\n0.15,40\n",
              "f.csv, row 5, column 1: frequencies must rise: 150 kHz stands after 200 kHz"},
          Row{"", "f.csv: is empty: write a heading such as frequency [Hz],level [dBuV] and rows"},
          Row{std::string("\0\1\2binary", 9),
              "f.csv, row 1, column 1: a heading with two columns is expected"}}) {
        const Said said = bench.measure(row.csv);
        CHECK(said.code == 2);
        CHECK(said.out.empty());
        CHECK(lines(said.err) == 1);
        CHECK(contains(said.err, row.message));
    }
    const std::string said_of = "# detector: average\n# bandwidth: 40 MHz\n";
    const Said dbm = bench.measure(said_of + "frequency [MHz],level [dBm]\n0.15,-60\n30,-60\n");
    CHECK(dbm.code == 2);
    CHECK(contains(
        dbm.err,
        "rule mains-b-av is in dBuV but trace emission is in dBm: state the impedance it was measured in"));
    CHECK(rare_tally(bench.folder.path(), {"measure", "emission.scan", "none.csv"}).code == 2);
    // What the file does not say, the command line may; what it contradicts is an error.
    const std::string quiet = "frequency [MHz],level [dBm]\n" + scan(1, -80).substr(head.size());
    const std::vector<std::string> judged{"--rule", "cispr-32/mains-b-av", "--impedance", "50 ohm"};
    const auto with = [&](std::vector<std::string> more) {
        more.insert(more.begin(), judged.begin(), judged.end());
        std::string text = quiet;
        for (std::size_t at = 0; (at = text.find(",30", at)) != std::string::npos;)
            text.replace(at, 3, ",-90");
        return bench.measure(text, more);
    };
    // Nothing says with which detector and bandwidth it was read: no verdict, and what to state.
    const Said unknown = with({});
    CHECK(unknown.code == 4);
    CHECK(contains(unknown.out, "the capture states no resolution bandwidth, the limit is for 9 kHz"));
    CHECK(contains(with({"--set", "bandwidth=9 kHz"}).out, "the capture states no detector"));
    const Said stated = with({"--set", "detector=average", "--set", "bandwidth=9 kHz"});
    CHECK(stated.code == 0);
    CHECK(contains(stated.out, "value 26.99 dBµV"));
    CHECK(contains(stated.out, "declared, not stated by the capture: detector average, bandwidth 9 kHz"));
    CHECK_FALSE(contains(stated.out, "does not state its detector"));
    CHECK(contains(bench.measure(scan(1, 40), {"--set", "detector=peak"}).err,
                   "the capture states the detector average, the parameter says peak"));
}

TEST_CASE("a trace that does not speak for the limit gets NONE, exit 4, and the reason") {
    Bench bench;
    const Said none = bench.measure(head + "40,30\n41,30\n");
    CHECK(none.code == 4);
    CHECK(contains(none.out, "NONE      cispr-32/mains-b-av; the limit covers no point of the trace"));
    const std::string part = head + "1,30\n1.005,30\n1.01,30\n";
    const Said partial = bench.measure(part);
    CHECK(partial.code == 4);
    CHECK(contains(partial.out, "the trace covers 1 MHz to 1.01 MHz, the limit 150 kHz to 30 MHz"));
    CHECK(bench.measure(part, {"--rule", "cispr-32/mains-b-av", "--allow-partial"}).code == 0);
    const Said overload = bench.measure("# overload: input too strong\n" + scan(1, 20));
    CHECK(overload.code == 4);
    CHECK(contains(overload.out, "not valid: input too strong"));
    CHECK_FALSE(contains(overload.out, "highest_level"));
}

TEST_CASE("a figure is drawn where asked, or there is an error") {
    Bench bench;
    const Said svg = bench.measure(scan(12, 53), {"--rule", "cispr-32/mains-b-av", "--figure", "out.svg"});
    CHECK(svg.code == 1);
    const std::string text = rt::lab::read_file(bench.folder / "out.svg");
    CHECK(contains(text, "CISPR 32: AC mains port, class B, average"));
    CHECK(contains(text, "FAIL: margin -3.00 dB at 12 MHz"));
    bench.measure(scan(12, 53), {"--figure", "out.png"});
    CHECK(rt::lab::read_file(bench.folder / "out.png").starts_with("\x89PNG"));
    CHECK(bench.measure(scan(12, 53), {"--figure", "out.bmp"}).code == 2);
    CHECK(bench.measure(scan(12, 53), {"--figure", "no/folder/out.svg"}).code == 2);
}

TEST_CASE("the mask of a carrier, with settings from the command line") {
    Bench bench;
    std::string csv = "# detector: rms\n# bandwidth: 100 kHz\nfrequency [MHz],level [dBm]\n";
    for (double f = -10; f <= 10.001; f += 0.05) {
        csv += std::to_string(2440 + f) + "," +
               (std::abs(f) < 1      ? "-5"
                : f > 4.9 && f < 5.1 ? "-28"
                                     : "-60") +
               "\n";
    }
    bench.folder.write("r.csv", csv);
    const auto measure = [&](std::vector<std::string> rest) {
        rest.insert(rest.begin(),
                    {"measure", "radio.mask", "r.csv", "--rule", "ieee-802.15.4/oqpsk-psd-mask"});
        return rare_tally(bench.folder.path(), rest);
    };
    const Said fail = measure({"--set", "centre=2440 MHz"});
    CHECK(fail.code == 1);
    CHECK(contains(fail.out, "value -28 dBm, limit -30 dBm, margin -2.00 dB at fc + "));
    CHECK(measure({"--set", "centre=2445 MHz"}).code == 4);  // the carrier is elsewhere
    CHECK(contains(measure({}).err, "parameter centre is missing"));
    CHECK(contains(measure({"--set", "centre=2440 dB"}).err, "write a frequency"));
    CHECK(contains(measure({"--set", "centre"}).err, "write it as NAME=VALUE"));
    const Said changed = measure({"--set", "centre=2440 MHz", "--set", "reference_window=2 MHz"});
    CHECK(contains(changed.out, "not per the standard: reference_window 2 MHz instead of 1 MHz"));
}
