// measure on waveforms in files, and a campaign whose oscilloscope records: what the operator sees.
#include <doctest/doctest.h>

#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>

#include "core/serial/pattern.hpp"
#include "lab/formats/files.hpp"
#include "tests/about.hpp"
#include "tests/cli/program.hpp"
#include "tests/core/made_waves.hpp"
#include "tests/lab/folder.hpp"

namespace {

using nlohmann::json;

// Channels side by side as SigMF, floating point or integers of a thousandth of a volt.
void write_wave(const TestFolder& folder, const std::string& name,
                const std::vector<std::vector<double>>& channels, double rate, bool integers = false) {
    std::string bytes;
    for (std::size_t i = 0; i < channels.front().size(); ++i) {
        for (const auto& volts : channels) {
            const auto single = static_cast<float>(volts[i]);
            const auto whole =
                static_cast<std::int16_t>(std::lround(std::clamp(volts[i] * 1000, -32768.0, 32767.0)));
            char raw[4];
            const std::size_t size = integers ? 2 : 4;
            integers ? std::memcpy(raw, &whole, 2) : std::memcpy(raw, &single, 4);
            bytes.append(raw, size);
        }
    }
    folder.write(name + ".sigmf-data", bytes);
    json tree;
    tree["global"] = {{"core:datatype", integers ? "ri16_le" : "rf32_le"}, {"core:sample_rate", rate}};
    if (channels.size() > 1) tree["global"]["core:num_channels"] = channels.size();
    if (integers) tree["global"]["tally:volts_per_unit"] = 0.001;
    tree["captures"] = json::array({json::object()});
    folder.write(name + ".sigmf-meta", tree.dump());
}

std::vector<double> link(double amplitude, std::size_t bits = 3000) {
    const auto edges =
        made::edges_of(rt::sequence_bits("prbs9", bits), 0.4e-9, [](std::size_t) { return 0.0; });
    return made::volts({edges, -amplitude, amplitude, 0.12e-9, 0.002}, 40e9, 16 * bits);
}

double value(const json& tree, const std::string& name) {
    for (const auto& result : tree["results"]) {
        if (result["name"] == name) return result["value"];
    }
    FAIL("no result ", name);
    return 0;
}

const std::string mask = "mask=0.3 0, 0.5 0.15, 0.7 0, 0.5 -0.15, 0.3 0";

}  // namespace

TEST_CASE("an eye from a file: numbers, hits with their time, picture") {
    TestFolder folder;
    auto volts = link(0.3, 9000);
    const std::size_t spoilt = 16 * 8000 + 8;
    volts[spoilt] = 0.01;
    write_wave(folder, "link", {volts}, 40e9);
    const Said said = rare_tally(folder.path(), {"measure", "serial.eye", "link.sigmf-meta", "--set", mask,
                                                 "--figure", "eye.svg", "--traces", "hit.csv"});
    CHECK(said.code == 0);
    CHECK(contains(said.out, "mask_hits"));
    CHECK(contains(said.out, "Mask hits, the first of them"));
    const std::string eye = rt::lab::read_file(folder / "eye.svg");
    CHECK(contains(eye, "image"));
    CHECK(contains(eye, "mask"));
    CHECK(contains(rt::lab::read_file(folder / "hit.csv"), "hit,"));
    const auto tree = json::parse(
        rare_tally(folder.path(), {"measure", "serial.eye", "link.sigmf-meta", "--set", mask, "--json"}).out);
    CHECK(value(tree, "mask_hits") == 1);
    CHECK(value(tree, "symbol_rate") == about(2.5e9).epsilon(1e-5));
    // Judged by a lab's own rulebook: one hit is a failure.
    const Said judged = rare_tally(
        folder.path(), {"measure", "serial.eye", "link.sigmf-meta", "--rulebook",
                        std::string(RT_SOURCE) + "/demo/nrz-link.toml", "--rule", "nrz-link/mask-far"});
    CHECK(judged.code == 1);
    CHECK(contains(judged.out, "FAIL"));
}

TEST_CASE("a differential pair of integers, clipped or not") {
    TestFolder folder;
    const auto half = link(0.15);
    auto other = half;
    for (double& v : other) v = -v;
    write_wave(folder, "pair", {half, other}, 40e9, true);
    const auto tree = json::parse(rare_tally(folder.path(), {"measure", "pulse.edges", "pair.sigmf-meta",
                                                             "--set", "channel=1-2", "--json"})
                                      .out);
    CHECK(value(tree, "amplitude") == about(0.6).epsilon(0.02));
    const auto common =
        rare_tally(folder.path(), {"measure", "serial.clock", "pair.sigmf-meta", "--set", "channel=(1+2)/2"});
    CHECK(common.code == 4);  // nothing but noise
    write_wave(folder, "clipped", {link(40)}, 40e9, true);
    const Said clipped = rare_tally(folder.path(), {"measure", "serial.eye", "clipped.sigmf-meta"});
    CHECK(clipped.code == 4);
    CHECK(contains(clipped.out, "driven beyond its range"));
}

TEST_CASE("waveforms that cannot be measured get one line") {
    TestFolder folder;
    write_wave(folder, "link", {link(0.3)}, 40e9);
    const auto refused = [&](std::vector<std::string> arguments, int code) {
        arguments.insert(arguments.begin(), {"measure"});
        const Said said = rare_tally(folder.path(), arguments);
        CHECK(said.code == code);
        return said.out + said.err;
    };
    CHECK(contains(refused({"serial.eye", "link.sigmf-meta", "--set", "mask=0.3 0, 0.5 0.1, 0.7 0"}, 2),
                   "region 1 is not closed: repeat its first corner at the end"));
    CHECK(contains(refused({"serial.eye", "link.sigmf-meta", "--set", "channel=2"}, 2),
                   "no channel 2, it has 1"));
    CHECK(contains(refused({"serial.clock", "link.sigmf-meta", "--set", "symbol_rate=1.25 GHz"}, 4),
                   "do not fit a symbol rate of 1.25 GHz; they fit 2."));
    CHECK(contains(
        refused({"serial.clock", "link.sigmf-meta", "--set", "recovery=first-order", "--set", "corner=5 kHz"},
                4),
        "ends before the clock recovery has settled"));
    folder.write("uneven.csv", "time [s],voltage [V]\n0,0\n1e-9,1\n3e-9,0\n4e-9,1\n");
    CHECK(contains(refused({"pulse.edges", "uneven.csv"}, 2), "times must be evenly spaced"));
    folder.write("amperes.csv", "time [s],voltage [V],current [A]\n0,0,0\n1e-9,1,1\n2e-9,1,1\n");
    CHECK(contains(refused({"pulse.edges", "amperes.csv"}, 2), "column 3 is no voltage"));
    folder.write("short.csv", "time [s],voltage [V]\n0,0\n1e-9,1\n2e-9,0\n");
    CHECK(contains(refused({"pulse.edges", "short.csv"}, 2), "at least 64 are needed"));
    write_wave(folder, "cut", {link(0.3), link(0.3)}, 40e9);
    const std::string whole = rt::lab::read_file(folder / "cut.sigmf-data");
    folder.write("cut.sigmf-data", whole.substr(0, whole.size() - 4));
    CHECK(contains(refused({"pulse.edges", "cut.sigmf-meta"}, 2),
                   "no whole number of rf32_le samples of 8 bytes"));
    // Few edges: the jitter that can be told is told, a limit of the rest has no verdict.
    const Said few = rare_tally(
        folder.path(), {"measure", "serial.jitter", "link.sigmf-meta", "--rulebook",
                        std::string(RT_SOURCE) + "/demo/nrz-link.toml", "--rule", "nrz-link/total-jitter"});
    CHECK(few.code == 4);
    CHECK(contains(few.out, "too few for a fit of the tails"));
    CHECK(contains(few.out, "jitter_rms"));
}

TEST_CASE("an oscilloscope records in a campaign: judged, kept, measured again by the report") {
    TestFolder folder;
    folder.write("campaign.toml", R"([campaign]
title = "bus"
bench = "bench.toml"
[unit]
maker = "Northhaven Tidework"
model = "Skerry-2"
serial = "7"
[[test]]
name = "bus"
procedure = "bus.two-wire"
instrument = "scope"
parameters = { duration = "1.5 ms", sample_rate = "50 MHz", range = "5 V", supply = "3.3 V" }
[[test.judge]]
rule = "i2c/standard-data-setup"
[[test.judge]]
rule = "i2c/standard-clock-rise"
[[test]]
name = "clock"
procedure = "serial.clock"
instrument = "scope"
parameters = { duration = "5 us", sample_rate = "1 GHz", range = "5 V" }
settings = { "unit.mode" = "quiet" }
)");
    folder.write("bench.toml", R"([bench]
name = "b"
[[instrument]]
role = "scope"
name = "s"
address = "simulated"
dialect = "scpi-oscilloscope"
connected_to = "bus"
[[instrument]]
role = "unit"
name = "u"
address = "simulated"
dialect = "unit-control"
[simulation]
unit = "unit.toml"
instant = true
)");
    folder.write("unit.toml", R"([unit]
name = "u"
[settings]
mode = "busy"
[[bus]]
port = "bus"
when = { mode = "busy" }
rate = "100 kHz"
supply = "3.3 V"
rise_time = "1.2 us"
fall_time = "50 ns"
data_delay = "600 ns"
address = "0x21"
bytes = ["0xA7"]
)");
    const Said run = rare_tally(folder.path(), {"run", "campaign.toml", "--out", "r"});
    CHECK(run.code == 1);
    CHECK(contains(run.out, "standard-clock-rise"));
    const auto tree = json::parse(rt::lab::read_file(folder / "r/report/results.json"));
    CHECK(tree["counts"]["PASS"] == 1);
    CHECK(tree["counts"]["FAIL"] == 1);
    CHECK(value(tree, "clock_rise_greatest") == about(1.2e-6).epsilon(0.03));
    // The bus is quiet in the second test: no verdict, no number.
    CHECK(contains(rt::lab::read_file(folder / "r/report/results.json"),
                   "not valid: the spacings of edges fit no symbol rate"));
    // The capture stays as it was recorded, two channels side by side, and the view of the worst is drawn.
    std::size_t metas = 0, views = 0;
    for (const auto& entry : std::filesystem::recursive_directory_iterator(folder / "r")) {
        metas += entry.path().extension() == ".sigmf-meta" &&
                 contains(rt::lab::read_file(entry.path()), "core:num_channels");
        views += contains(entry.path().string(), "view_clock_rise_greatest");
    }
    CHECK(metas == 1);
    CHECK(views == 1);
    CHECK(rare_tally(folder.path(), {"report", "r"}).code == 0);
    const Said check = rare_tally(folder.path(), {"check", "campaign.toml"});
    CHECK(contains(check.out, "2 channels for 1.5 ms, 75001 points"));
    folder.write("wrong.toml", [&] {
        std::string text = rt::lab::read_file(folder / "campaign.toml");
        return text.replace(text.find("instrument = \"scope\""), 20, "instrument = \"unit\"");
    }());
    CHECK(contains(rare_tally(folder.path(), {"check", "wrong.toml"}).err,
                   "needs an instrument of kind oscilloscope"));
}
