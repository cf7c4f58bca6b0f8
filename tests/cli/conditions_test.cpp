// What files and rules must say before a verdict is given, through the program: records too short, gains not
// stated, volts without a scale, counts with columns that nobody understands, samples that are no numbers.
#include <doctest/doctest.h>
#include <sndfile.h>

#include <cmath>
#include <cstring>
#include <limits>
#include <nlohmann/json.hpp>

#include "tests/about.hpp"
#include "tests/cli/stand.hpp"

using nlohmann::json;

namespace {

// Bursts of -10 dBm, 1 ms of 10 ms, on a floor of -80 dBm, as SigMF.
void write_bursts(const TestFolder& folder, const std::string& name, double seconds) {
    const double rate = 1e6;
    std::vector<float> values;
    std::uint32_t state = 1;
    const auto noise = [&] {
        state = state * 1664525 + 1013904223;
        return (static_cast<double>(state >> 8) / (1 << 24) - 0.5) * 2e-4;
    };
    for (std::size_t i = 0; i < static_cast<std::size_t>(seconds * rate); ++i) {
        const bool on = i % 10000 >= 4000 && i % 10000 < 5000;
        const double turn = 0.1 * static_cast<double>(i % 1000);
        values.push_back(static_cast<float>((on ? 0.316 * std::cos(turn) : 0) + noise()));
        values.push_back(static_cast<float>((on ? 0.316 * std::sin(turn) : 0) + noise()));
    }
    folder.write(name + ".sigmf-data",
                 std::string(reinterpret_cast<const char*>(values.data()), values.size() * sizeof(float)));
    folder.write(name + ".sigmf-meta",
                 "{\"global\":{\"core:datatype\":\"cf32_le\",\"core:sample_rate\":1e6,\"tally:reference_"
                 "level_dbm\":0},"
                 "\"captures\":[{\"core:sample_start\":0,\"core:frequency\":434e6}]}");
}

void write_wav(const std::filesystem::path& file, const std::vector<float>& values, int channels, int rate) {
    SF_INFO info{};
    info.channels = channels, info.samplerate = rate, info.format = SF_FORMAT_WAV | SF_FORMAT_FLOAT;
    SNDFILE* out = sf_open(file.c_str(), SFM_WRITE, &info);
    REQUIRE(out);
    sf_writef_float(out, values.data(), static_cast<sf_count_t>(values.size()) / channels);
    sf_close(out);
}

Said measure(const TestFolder& folder, std::vector<std::string> arguments) {
    arguments.insert(arguments.begin(), "measure");
    return rare_tally(folder.path(), arguments);
}

}  // namespace

TEST_CASE("several rules in one [[test.judge]] judge as one by one") {
    const auto run = [](const std::string& judges) {
        Stand stand;
        stand.own_rules = Stand::rule("louder", "highest_level", "dBuV", "max = \"40 dBuV\"");
        stand.tests = Stand::scanning("scan", judges);
        const Said said = stand.run();
        CHECK_MESSAGE(said.code == 1, said.err);
        std::vector<std::string> out;
        const auto record = stand.record();
        for (const auto& finding : record.points.at(0).findings)
            out.push_back(finding.rule + " " + name(finding.verdict));
        return out;
    };
    const auto together = run("[[test.judge]]\nrules = [\"own/loud\", \"own/louder\"]\n");
    CHECK(together == std::vector<std::string>{"own/loud PASS", "own/louder FAIL"});
    CHECK(together == run("[[test.judge]]\nrule = \"own/loud\"\n[[test.judge]]\nrule = \"own/louder\"\n"));
    const auto refused = [](const std::string& judge) {
        Stand stand;
        stand.tests = Stand::scanning("scan", "[[test.judge]]\n" + judge);
        const Said said = stand.call({"check", "campaign.toml"});
        CHECK(said.code == 2);
        return said.err;
    };
    CHECK(contains(refused("rules = []\n"), "is an empty list: name the rules"));
    CHECK(contains(refused("rule = \"own/loud\"\nrules = [\"own/loud\"]\n"), "one of rule and rules"));
    CHECK(contains(refused("when = {}\n"), "one of rule and rules"));
    CHECK(contains(refused("rules = [\"own/loud\", \"own/laud\"]\n"), "did you mean \"loud\""));
}

TEST_CASE("duty cycle over an hour is not judged on 100 ms, unless that is meant") {
    TestFolder folder;
    write_bursts(folder, "b", 0.1);
    const std::vector<std::string> call{"radio.bursts", "b.sigmf-meta", "--rule", "en-300-220/duty-433-h"};
    const Said none = measure(folder, call);
    CHECK(none.code == 4);
    CHECK(contains(none.out, "observed for 100 ms, the rule asks for"));
    auto meant = call;
    meant.insert(meant.end(), {"--least-observation", "100 ms", "--json"});
    const Said chosen = measure(folder, meant);
    CHECK(chosen.code <= 1);
    const auto finding = json::parse(chosen.out)["findings"][0];
    CHECK(finding["value"] == about(10).epsilon(0.02));
    CHECK(contains(finding["deviations"].dump(), "observed for 100 ms instead of"));
    auto longer = call;
    longer.insert(longer.end(), {"--least-observation", "200 ms"});
    CHECK(measure(folder, longer).code == 4);
}

TEST_CASE("a limit of radiated power needs the gain stated, be it 0 dB") {
    TestFolder folder;
    write_bursts(folder, "b", 0.05);
    const std::vector<std::string> call{"radio.bursts", "b.sigmf-meta", "--rule", "en-300-328/power"};
    CHECK(contains(measure(folder, call).out, "the rule needs gain, which nobody has stated"));
    CHECK(measure(folder, call).code == 4);
    for (const auto& [gain, code] : {std::pair{"0 dB", 0}, {"35 dB", 1}}) {
        auto with = call;
        with.insert(with.end(), {"--set", std::string("gain=") + gain});
        CHECK(measure(folder, with).code == code);
    }
}

TEST_CASE("a WAV that does not say what a volt is gives numbers and no verdict in volts") {
    TestFolder folder;
    std::vector<float> wave;
    for (int i = 0; i < 20000; ++i) wave.push_back(i / 100 % 2 ? 0.4F : -0.4F);
    write_wav(folder / "w.wav", wave, 1, 192000);
    folder.write("own.toml",
                 "[rulebook]\nid = \"own\"\ntitle = \"t\"\nstandard = \"s\"\nedition = \"1\"\nbasis = "
                 "\"b\"\n[[rule]]\nid = "
                 "\"swing\"\ntitle = \"t\"\nclause = \"1\"\nquantity = \"q\"\napplies_to = "
                 "\"amplitude\"\nunit = \"V\"\nkind "
                 "= \"bound\"\nmax = \"1 V\"\nconfidence = \"sure\"\n");
    std::vector<std::string> call{"pulse.edges", "w.wav", "--rulebook", "own.toml", "--rule", "own/swing"};
    const Said none = measure(folder, call);
    CHECK(none.code == 4);
    CHECK(contains(none.out, "does not say how many volts a unit of it is"));
    CHECK(contains(none.out, "amplitude"));
    for (const auto& [scale, code] : {std::pair{"1 V", 0}, {"2 V", 1}}) {
        auto with = call;
        with.insert(with.end(), {"--volts-per-unit", scale});
        CHECK(measure(folder, with).code == code);
    }
}

TEST_CASE("a sample that is no number is named, in every format") {
    TestFolder folder;
    for (const float bad :
         {std::numeric_limits<float>::quiet_NaN(), std::numeric_limits<float>::infinity(), 9.91e37F}) {
        std::vector<float> values(8192, 0.1F);
        values[5001] = bad;
        write_wav(folder / "iq.wav", values, 2, 192000);
        write_wav(folder / "wave.wav", values, 1, 192000);
        const std::string bytes(reinterpret_cast<const char*>(values.data()), values.size() * 4);
        folder.write("iq.sigmf-data", bytes);
        folder.write("iq.sigmf-meta",
                     "{\"global\":{\"core:datatype\":\"cf32_le\",\"core:sample_rate\":1e6}}");
        folder.write("r.sigmf-data", bytes);
        folder.write("r.sigmf-meta", "{\"global\":{\"core:datatype\":\"rf32_le\",\"core:sample_rate\":1e6}}");
        for (const auto& [procedure, file, sample] : {std::tuple{"spectrum.density", "iq.wav", "2500"},
                                                      {"spectrum.density", "iq.sigmf-meta", "2500"},
                                                      {"pulse.edges", "wave.wav", "5001"},
                                                      {"pulse.edges", "r.sigmf-meta", "5001"}}) {
            CAPTURE(file);
            const Said said = measure(folder, {procedure, file});
            CHECK(said.code == 2);
            CHECK(contains(said.err, std::string("sample ") + sample + " is not a finite number"));
        }
    }
    const std::string head = "frequency [MHz],level [dBuV]\n1,20\n";
    for (const char* cell : {"-9.91E37", "9.9e37", "-9.9E+37"}) {
        folder.write("s.csv", head + "2," + cell + "\n");
        CHECK(measure(folder, {"emission.scan", "s.csv"}).code == 2);
    }
    folder.write("s.csv", "# Overload: yes\n" + head + "2,21\n");
    CHECK(contains(measure(folder, {"emission.scan", "s.csv"}).out, "not valid: yes"));
    folder.write("s.csv", head + "2,21,5\n");
    CHECK(contains(measure(folder, {"emission.scan", "s.csv"}).err, "more cells than the heading's 2"));
    folder.write("s.csv", "frequency_mhz,level_dbuv_per_m\n1,20\n2,21\n");
    CHECK(contains(measure(folder, {"emission.scan", "s.csv"}).out, "21 dBµV/m"));
}

TEST_CASE("counts of different settings are never pooled, bits alone have bounds that can be judged") {
    TestFolder folder;
    folder.write("table.csv", "rate,packets_sent,packets_received\n6,1000,1000\n54,1000,160\n");
    const Said pooled = measure(folder, {"receiver.error-rate", "table.csv"});
    CHECK(pooled.code == 2);
    CHECK(contains(pooled.err, "the column \"rate\" is not understood"));
    folder.write("bits.csv", "bits,bit_errors\n1000000,0\n");
    folder.write("own.toml",
                 "[rulebook]\nid = \"own\"\ntitle = \"t\"\nstandard = \"s\"\nedition = \"1\"\nbasis = "
                 "\"b\"\n[[rule]]\nid = "
                 "\"ber\"\ntitle = \"t\"\nclause = \"1\"\nquantity = \"q\"\napplies_to = "
                 "\"bit_error_at_most\"\nunit = "
                 "\"\"\nkind = \"bound\"\nmax = \"1e-6\"\nconfidence = \"sure\"\n");
    const Said none_seen = measure(
        folder, {"receiver.error-rate", "bits.csv", "--json", "--rulebook", "own.toml", "--rule", "own/ber"});
    // No error in n bits: at most 1 - (1 - c)^(1/n), 2.9957 over n for 95 %. That is above 1e-6.
    CHECK(none_seen.code == 1);
    CHECK(json::parse(none_seen.out)["findings"][0]["value"] == about(2.995727e-6).epsilon(1e-4));
    folder.write("bits.csv", "bits,bit_errors\n4000000,0\n");
    CHECK(measure(folder, {"receiver.error-rate", "bits.csv", "--rulebook", "own.toml", "--rule", "own/ber"})
              .code == 0);
    folder.write("bits.csv", "bits\n1000\n");
    CHECK(measure(folder, {"receiver.error-rate", "bits.csv"}).code == 2);
}

TEST_CASE("numbers of channels, ports and parts of keys that cannot be are one line") {
    TestFolder folder;
    folder.write("x.sigmf-data", std::string(64, 'a'));
    for (const char* channels : {"4611686018427387904", "1e300", "-3", "2.5", "0"}) {
        folder.write("x.sigmf-meta",
                     std::string("{\"global\":{\"core:datatype\":\"rf32_le\",\"core:sample_rate\":1,"
                                 "\"core:num_channels\":") +
                         channels + "}}");
        const Said said = measure(folder, {"pulse.edges", "x.sigmf-meta"});
        CHECK(said.code == 2);
        CHECK(contains(said.err, "core:num_channels"));
    }
    for (const char* name : {"n.s99999999999p", "n.s100p", "n.s0p", "n.s2.5p"}) {
        folder.write(name, "# HZ S RI R 50\n1 0.1 0\n");
        const Said said = measure(folder, {"network.return-loss", name});
        CHECK(said.code == 2);
        CHECK(lines(said.err) == 1);
    }
    std::string key = "a";
    for (int i = 0; i < 20000; ++i) key += ".a";
    folder.write("deep.toml", key + " = 1\n");
    const Said deep = rare_tally(folder.path(), {"check", "deep.toml"});
    CHECK(deep.code == 2);
    CHECK(contains(deep.err, "deep.toml:1: more than 64 parts of a key"));
}

TEST_CASE(
    "texts that could be obeyed are not: formulas in tables, marks of direction on terminals, XML in "
    "drawings") {
    Stand stand;
    stand.tests = Stand::scanning("scan", Stand::axis("mode",
                                                      "values = [\"=1+1\", \"'quoted' ]]>\", \"@x\", "
                                                      "\"\\u202Eabc\\uFFFE\"]\nsets = [\"unit\"]")) +
                  "[[test.judge]]\nrule = \"own/loud\"\n";
    stand.write();
    const Said said = rare_tally(stand.folder.path(), {"run", "campaign.toml", "--out", "run", "--no-live"});
    CHECK(said.code == 0);
    CHECK_FALSE(contains(said.out, "\u202E"));
    const std::string csv = rt::lab::read_file(stand.folder / "run/report/results.csv");
    CHECK_FALSE(contains(csv, ",=1"));
    std::size_t drawn = 0;
    for (const auto& entry : std::filesystem::directory_iterator(stand.folder / "run/report/figures")) {
        const std::string svg = rt::lab::read_file(entry.path());
        CHECK_FALSE(contains(svg, "]]>"));
        CHECK_FALSE(contains(svg, "\xEF\xBF\xBE"));
        ++drawn;
    }
    CHECK(drawn >= 4);
}

TEST_CASE("check finds levels that cannot be held against their limit, and a unit that nobody switches on") {
    Stand stand;
    stand.own_rules =
        "[[rule]]\nid = \"field\"\ntitle = \"t\"\nclause = \"1\"\nquantity = \"q\"\napplies_to = "
        "\"emission\"\nunit = "
        "\"dBuV/m\"\nkind = \"line\"\npieces = [{ from = \"1 MHz\", to = \"2 MHz\", limit = \"40 dBuV/m\" "
        "}]\nconfidence = "
        "\"sure\"\n";
    stand.tests = Stand::scanning("scan", "") + "[[test.judge]]\nrule = \"own/field\"\n";
    const Said field = stand.call({"check", "campaign.toml"});
    CHECK(field.code == 2);
    CHECK(contains(field.err,
                   "is in dBuV/m, the levels of the analyser are in dBuV: the path to it has no antenna"));
    stand.tests = Stand::scanning("scan", "");
    stand.write();
    std::string campaign = rt::lab::read_file(stand.folder / "campaign.toml");
    const std::string settings = "settings = { \"supply.voltage\" = \"5 V\", \"supply.output\" = \"ON\" }\n";
    campaign.erase(campaign.find(settings), settings.size());
    stand.folder.write("campaign.toml", campaign);
    const Said dark = rare_tally(stand.folder.path(), {"check", "campaign.toml"});
    CHECK(contains(dark.out, "nothing switches the supply on: no test sets supply.output"));
}
