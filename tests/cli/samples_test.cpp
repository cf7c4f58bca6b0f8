// measure on files of samples: what the operator at the terminal and a script see.
#include <doctest/doctest.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "tests/about.hpp"
#include "tests/cli/program.hpp"
#include "tests/core/made_signals.hpp"
#include "tests/lab/folder.hpp"

namespace {

using nlohmann::json;

// A record as SigMF, complex floating point.
void write_record(const TestFolder& folder, const std::string& name, const made::Samples& x, double rate,
                  std::optional<double> reference_dbm = {}, double centre = 2.405e9) {
    std::vector<std::complex<float>> samples(x.begin(), x.end());
    folder.write(name + ".sigmf-data",
                 std::string(reinterpret_cast<const char*>(samples.data()), samples.size() * 8));
    json tree;
    tree["global"] = {{"core:datatype", "cf32_le"}, {"core:sample_rate", rate}};
    if (reference_dbm) tree["global"]["tally:reference_level_dbm"] = *reference_dbm;
    tree["captures"] = json::array({{{"core:sample_start", 0}, {"core:frequency", centre}}});
    folder.write(name + ".sigmf-meta", tree.dump());
}

constexpr double reference = 6;

struct Measured {
    Said said;
    json tree;
    double value(const std::string& name) const {
        for (const auto& result : tree["results"]) {
            if (result["name"] == name) return result["value"];
        }
        FAIL("no result ", name);
        return 0;
    }
};

Measured measured(const TestFolder& folder, std::vector<std::string> arguments) {
    arguments.insert(arguments.begin(), "measure");
    arguments.emplace_back("--json");
    Measured out{rare_tally(folder.path(), arguments), {}};
    INFO(out.said.err);
    if (!out.said.out.empty()) out.tree = json::parse(out.said.out);
    return out;
}

made::Samples noisy(made::Samples x, double sigma) {
    made::add_noise(x, sigma);
    return x;
}

}  // namespace

TEST_CASE("packets of two payloads in two files make one measurement, alike records only") {
    TestFolder folder;
    made::Gfsk one, two;
    two.type = 2;
    made::Samples ones, twos;
    for (int i = 0; i < 10; ++i) made::append(ones, one.make()), made::append(twos, two.make());
    write_record(folder, "ones", noisy(ones, 1e-3), 16e6, reference);
    write_record(folder, "twos", noisy(twos, 1e-3), 16e6, reference);
    const std::vector<std::string> rule{"--rule", "bluetooth-le/deviation-ratio"};
    const auto with = [&](std::vector<std::string> files) {
        files.insert(files.begin(), "radio.gfsk");
        files.insert(files.end(), rule.begin(), rule.end());
        return measured(folder, files);
    };
    const auto both = with({"ones.sigmf-meta", "twos.sigmf-meta"});
    CHECK(both.said.code == 0);
    CHECK(both.value("packets") == 20);
    // 0.88 of the deviation is left of alternating bits behind a Gaussian filter of BT 0.5.
    CHECK(both.value("deviation_ratio") == about(0.8817 / 1).epsilon(0.02));
    // One file alone has no ratio.
    CHECK(with({"ones.sigmf-meta"}).tree["findings"][0]["verdict"] == "NONE");
    // Another rate, another kind of procedure, a part: one line each.
    write_record(folder, "slow", noisy(ones, 1e-3), 8e6, reference);
    const auto refused = [&](std::vector<std::string> words) {
        words.insert(words.begin(), "measure");
        const Said said = rare_tally(folder.path(), words);
        CHECK(said.code == 2);
        CHECK(lines(said.err) == 1);
        return said.err;
    };
    CHECK(contains(refused({"radio.gfsk", "ones.sigmf-meta", "slow.sigmf-meta"}),
                   "the sample rate of number 2 is not that of the first"));
    CHECK(contains(refused({"radio.carrier", "ones.sigmf-meta", "twos.sigmf-meta"}),
                   "radio.carrier takes one capture file"));
    CHECK(contains(refused({"radio.gfsk", "ones.sigmf-meta", "twos.sigmf-meta", "--set", "to=1ms"}),
                   "name a part of one record"));
}

TEST_CASE("a burst is measured, judged, drawn and written as curves") {
    TestFolder folder;
    made::Oqpsk frame;
    frame.carrier = 24.05e3;
    write_record(folder, "burst", noisy(frame.make(), 0.05), 16e6, reference);
    const auto seen =
        measured(folder, {"radio.oqpsk", "burst.sigmf-meta", "--rule", "ieee-802.15.4/oqpsk-evm", "--rule",
                          "ieee-802.15.4/oqpsk-centre-frequency", "--traces", "curves.csv"});
    CHECK(seen.said.code == 0);
    CHECK(seen.value("frequency_error") == about(10).epsilon(0.001));
    CHECK(seen.value("burst_power") == within(0.02, 6 - 6.02 + 0.04));
    CHECK(seen.tree["counts"]["PASS"] == 2);
    CHECK(seen.tree["findings"][1]["margin"].get<double>() == about(30).epsilon(0.01));
    const auto& tables = seen.tree["tables"];
    REQUIRE(tables.size() == 2);
    CHECK(tables[0]["name"] == "frames");
    CHECK(tables[0]["columns"][0]["unit"] == "s");
    CHECK(tables[0]["rows"][0].back().get<std::string>().starts_with("0102030405060708090a"));
    const std::string curves = rt::lab::read_file(folder / "curves.csv");
    CHECK(curves.starts_with("# constellation: x in , y in \n# constellation_at_once"));
    CHECK(curves.find("\nevm,") != std::string::npos);

    for (const char* trace : {"constellation", "evm", "power"}) {
        CHECK(rare_tally(folder.path(), {"measure", "radio.oqpsk", "burst.sigmf-meta", "--figure",
                                         std::string(trace) + ".svg", "--trace", trace})
                  .code == 0);
        const std::string svg = rt::lab::read_file(folder / (std::string(trace) + ".svg"));
        CHECK(svg.find("burst.sigmf-meta") != std::string::npos);
        CHECK(svg.find("NaN") == std::string::npos);
    }
    const Said slip = rare_tally(
        folder.path(), {"measure", "radio.oqpsk", "burst.sigmf-meta", "--figure", "x.svg", "--trace", "emv"});
    CHECK(slip.code == 2);
    CHECK(contains(slip.err, "--trace emv: no such curve: did you mean \"evm\"?"));
    CHECK_FALSE(std::filesystem::exists(folder / "x.svg"));
}

TEST_CASE("what the operator reads: results, tables, notes") {
    TestFolder folder;
    made::Oqpsk frame;
    frame.payload = {1, 2, 3};
    write_record(folder, "burst", noisy(frame.make(), 1e-3), 16e6);
    const Said said = rare_tally(folder.path(), {"measure", "radio.oqpsk", "burst.sigmf-meta"});
    CHECK(said.code == 0);
    CHECK(contains(said.out, "evm_rms "));
    CHECK(contains(said.out, "Frames\n  start"));
    CHECK(contains(said.out, "start of frame  7 10"));
    CHECK(contains(said.out, "chips were measured, the standard asks for 1000"));
    CHECK(contains(said.out,
                   "note: the record states no reference level: levels are relative to its full scale"));
    CHECK(contains(said.out, "dBFS"));
}

TEST_CASE("the wrong signal, an overload and levels without reference give no verdict") {
    TestFolder folder;
    write_record(folder, "tone", noisy(made::tone(0.3, 1e6, 16e6, 60000), 1e-3), 16e6, reference);
    const auto wrong =
        measured(folder, {"radio.oqpsk", "tone.sigmf-meta", "--rule", "ieee-802.15.4/oqpsk-evm"});
    CHECK(wrong.said.code == 4);
    CHECK(wrong.tree["results"].empty());
    CHECK(wrong.tree["findings"][0]["verdict"] == "NONE");
    CHECK(wrong.tree["findings"][0]["reason"].get<std::string>().find("no IEEE 802.15.4 O-QPSK preamble") !=
          std::string::npos);

    auto loud = made::Samples(60000);
    made::add_noise(loud, 0.8);
    for (auto& v : loud) v = made::Complex(std::clamp(v.real(), -1.0, 1.0), std::clamp(v.imag(), -1.0, 1.0));
    write_record(folder, "loud", loud, 16e6, reference);
    const auto clipped = measured(folder, {"spectrum.density", "loud.sigmf-meta"});
    CHECK(clipped.said.code == 4);
    CHECK(clipped.tree["results"].empty());
    CHECK(clipped.said.out.find("clipped") != std::string::npos);

    write_record(folder, "plain", noisy(made::tone(0.3, 1e6, 16e6, 60000), 1e-3), 16e6);
    const Said relative = rare_tally(
        folder.path(), {"measure", "spectrum.channel-power", "plain.sigmf-meta", "--set", "centre=2.405 GHz",
                        "--set", "channel_bandwidth=4 MHz", "--rule", "47-cfr-15/15.247-density"});
    CHECK(relative.code == 2);
    CHECK(contains(relative.err, "is in dBm"));
}

TEST_CASE("options complete what a file does not say, and contradict nothing") {
    TestFolder folder;
    write_record(folder, "a", made::tone(0.5, 100e3, 1e6, 20000), 1e6, {}, 1e9);
    const auto seen = measured(folder, {"radio.carrier", "a.sigmf-data", "--reference-level", "-20 dBm"});
    CHECK(seen.value("carrier_power") == about(-26.02).epsilon(0.001));
    CHECK(seen.value("carrier_frequency") == about(1e9 + 100e3).epsilon(1e-9));
    const Said other =
        rare_tally(folder.path(), {"measure", "radio.carrier", "a.sigmf-meta", "--sample-rate", "2 MHz"});
    CHECK(other.code == 2);
    CHECK(contains(other.err, "states the sample rate 1 MHz, the option says 2 MHz"));
    // The same samples without any description.
    std::filesystem::copy_file(folder / "a.sigmf-data", folder / "bare.bin");
    const auto bare = measured(folder, {"radio.carrier", "bare.bin", "--sample-type", "cf32", "--sample-rate",
                                        "1 MHz", "--centre", "433.92 MHz", "--reference-level", "0 dBm"});
    CHECK(bare.value("carrier_frequency") == about(433.92e6 + 100e3).epsilon(1e-9));
    CHECK(bare.value("carrier_power") == about(-6.02).epsilon(0.001));
    const Said none =
        rare_tally(folder.path(), {"measure", "radio.carrier", "bare.bin", "--sample-type", "cf32"});
    CHECK(none.code == 2);
    CHECK(contains(none.err, "give it with --sample-rate"));
}

TEST_CASE("unsuited captures and parameters are refused in one line") {
    TestFolder folder;
    write_record(folder, "a", made::tone(0.5, 0, 1e6, 20000), 1e6, reference, 1e9);
    folder.write("s.csv", "frequency [MHz],level [dBm]\n1,2\n2,3\n3,2\n");
    const auto refusal = [&](std::vector<std::string> arguments) {
        arguments.insert(arguments.begin(), "measure");
        const Said said = rare_tally(folder.path(), arguments);
        CHECK(said.code == 2);
        CHECK(said.out.empty());
        CHECK(std::count(said.err.begin(), said.err.end(), '\n') == 1);
        return said.err;
    };
    CHECK(contains(refusal({"radio.bursts", "s.csv"}), "needs complex samples (SigMF or two-channel WAV)"));
    CHECK(contains(refusal({"tone.quality", "s.csv"}), "needs a waveform"));
    CHECK(contains(refusal({"receiver.error-rate", "a.sigmf-meta"}), "iq"));
    CHECK(contains(refusal({"emission.scan", "a.sigmf-meta", "--set", "bandwidth=800 kHz"}),
                   "too wide for a sample rate"));
    CHECK(contains(refusal({"emission.final", "a.sigmf-meta", "--set", "bandwidth=9 kHz", "--set",
                            "frequency=1 GHz", "--set", "detector=quasi-peak"}),
                   "too short for the quasi-peak detector"));
    CHECK(contains(
        refusal({"emission.final", "a.sigmf-meta", "--set", "bandwidth=9 kHz", "--set", "frequency=2 GHz"}),
        "lies outside the record"));
    CHECK(contains(refusal({"spectrum.density", "a.sigmf-meta", "--set", "window=hahn"}),
                   "unknown \"hahn\": rectangular, hann"));
    CHECK(contains(refusal({"spectrum.density", "a.sigmf-meta", "--set", "transform_size=40000"}),
                   "shorter than one transform"));
    CHECK(contains(refusal({"radio.gfsk", "a.sigmf-meta"}), "at least 4 million samples a second"));
    CHECK(contains(refusal({"radio.ofdm", "a.sigmf-meta"}), "at least 20 million samples a second"));
    CHECK(contains(
        refusal({"radio.carrier", "a.sigmf-meta", "--set", "centre=1.5 GHz", "--set", "within=1 kHz"}),
        "covers nothing"));
}
