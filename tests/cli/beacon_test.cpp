// Beacons and modules as their users have them: the demo, messages and dumps in files.
#include <doctest/doctest.h>

#include <set>

#include "lab/tally/tally.hpp"
#include "tests/about.hpp"
#include "tests/cli/program.hpp"
#include "tests/lab/folder.hpp"

using rt::Verdict;

TEST_CASE("the demo's beacons: the main one is in order, the spare one is not where it says") {
    TestFolder folder;
    const Said said = rare_tally(folder.path(), {"demo", "beacon", "--out", "demo"});
    CHECK_MESSAGE(said.code == 1, said.err);
    const auto run = rt::lab::Tally::open(folder / "demo/beacon-run").read();
    REQUIRE(run.points.size() == 4);
    const auto value = [&](std::size_t point, const char* name) {
        const auto* found = run.points[point].find_result(name);
        REQUIRE_MESSAGE(found, name);
        return found->value.value;
    };
    // The simulated ones are at 406.0374 and 406.0434 MHz, 121.5012 and 121.4991 MHz; 49.6 and 50.7 s apart.
    const double carrier[]{406.0374e6, 406.0434e6}, homing[]{121.5012e6, 121.4991e6}, period[]{49.6, 50.7},
        level[]{37.2, 36.1}, positive[]{1.1, 0.93};
    for (std::size_t i = 0; i < 2; ++i) {
        CHECK(value(i, "frequency") == within(0.1, carrier[i]));
        CHECK(value(i, "shortest_period") == within(1e-3, period[i]));
        CHECK(value(i, "burst_power") == within(0.15, level[i]));
        CHECK(value(i, "phase_positive") == within(0.02, positive[i]));
        CHECK(value(i + 2, "carrier_frequency") == within(1, homing[i]));
    }
    CHECK(value(1, "errors_first") == 1);
    CHECK(value(3, "sweeps_down") == 0);
    std::set<std::string> failed;
    for (const auto& point : run.points)
        for (const auto& finding : point.findings) {
            CHECK(finding.verdict != Verdict::none);
            if (finding.verdict == Verdict::fail) failed.insert(point.label + " " + finding.rule);
        }
    CHECK(failed == std::set<std::string>{"beacon=spare 406-mhz-beacon/channel-f",
                                          "beacon=spare 406-mhz-beacon/first-check",
                                          "beacon=spare 406-mhz-beacon/homing-direction",
                                          "beacon=spare 406-mhz-beacon/phase-negative",
                                          "beacon=spare 406-mhz-beacon/phase-positive"});
    CHECK(run.fact("answer.battery-main") == "2031-08-31");
    // The report shows the message field by field.
    const std::string page = rt::lab::read_file(folder / "demo/beacon-run/report/report.html");
    CHECK(contains(page, "The message, field by field"));
    CHECK(contains(page, "<td>227 France</td>"));
    CHECK(contains(page, "<td>43 33 08 N, 1 28 20 E</td>"));
    // Everything can be made again from what is kept.
    CHECK(rare_tally(folder.path(), {"verify", "demo/beacon-run"}).code == 0);
}

TEST_CASE("a message from a file: judged, refused, of no length") {
    TestFolder folder;
    folder.write("good.txt", "8E361903E82B8035915C778C81A95D\n");
    folder.write("one.txt", "8E361903E82B8035915C778C81A95C\n");
    folder.write("bad.txt", "8E361903E80000000000778C81A95D\n");
    folder.write("short.txt", "8E361903E82B\n");
    const auto measure = [&](const char* file) {
        return rare_tally(folder.path(),
                          {"measure", "beacon.message", file, "--rule", "406-mhz-beacon/second-check"});
    };
    const Said good = measure("good.txt");
    CHECK(good.code == 0);
    CHECK(contains(good.out, "EPIRB by serial"));
    CHECK(measure("one.txt").code == 1);
    const Said bad = measure("bad.txt");
    CHECK(bad.code == 4);
    CHECK(contains(bad.out, "the message is refused"));
    const Said brief = measure("short.txt");
    CHECK(brief.code == 2);
    CHECK(lines(brief.err) == 1);
    CHECK(contains(brief.err, "these are 48 bits"));
    // The numbers of a file that is no message of its procedure.
    folder.write("dump.txt", "0000: 03 04 07\n");
    const Said other = measure("dump.txt");
    CHECK(other.code == 2);
    CHECK(lines(other.err) == 1);
}

TEST_CASE("a dump of registers from a file: within its limits, beyond them, without them") {
    // A QSFP whose third lane sends too little.
    const auto image = [](int third) {
        std::string out(640, '\0');
        const auto put = [&](std::size_t at, int value) {
            out[at] = static_cast<char>(value >> 8);
            out[at + 1] = static_cast<char>(value & 255);
        };
        out[0] = 0x11;
        put(22, 30 * 256), put(26, 33000);
        for (std::size_t lane = 0; lane < 4; ++lane)
            put(34 + 2 * lane, 5000), put(42 + 2 * lane, 3000), put(50 + 2 * lane, lane == 2 ? third : 6000);
        out[220] = 0x0C;
        // Sums of 128 to 190 and 192 to 222; nothing but byte 220 is set there.
        out[191] = 0, out[223] = 0x0C;
        const auto limits = [&](std::size_t at, int high_alarm, int low_alarm, int high, int low) {
            put(at, high_alarm), put(at + 2, low_alarm), put(at + 4, high), put(at + 6, low);
        };
        constexpr std::size_t third_page = 512 - 128;
        limits(third_page + 128, 75 * 256, 0, 70 * 256, 5 * 256),
            limits(third_page + 144, 36000, 30000, 35000, 31000);
        limits(third_page + 176, 15000, 1000, 10000, 2000), limits(third_page + 184, 5000, 1000, 4500, 1500);
        limits(third_page + 192, 15000, 2000, 12000, 3000);
        return out;
    };
    TestFolder folder;
    folder.write("good.bin", image(5000));
    folder.write("weak.bin", image(1999));
    folder.write("cut.bin", image(5000).substr(0, 256));
    folder.write("odd.bin", image(5000).substr(0, 300));
    const auto measure = [&](const char* file, const char* rule) {
        return rare_tally(folder.path(), {"measure", "module.registers", file, "--rule", rule});
    };
    for (const char* rule : {"module-management/alarms", "module-management/tx-power-alarm",
                             "module-management/checksums", "module-management/rx-power-warning"})
        CHECK_MESSAGE(measure("good.bin", rule).code == 0, rule);
    CHECK(measure("weak.bin", "module-management/tx-power-alarm").code == 1);
    CHECK(measure("weak.bin", "module-management/alarms").code == 1);
    const Said cut = measure("cut.bin", "module-management/tx-power-alarm");
    CHECK(cut.code == 4);
    CHECK(contains(cut.out, "do not hold page 03h"));
    CHECK(measure("cut.bin", "module-management/alarms").code == 4);
    const Said odd = measure("odd.bin", "module-management/alarms");
    CHECK(odd.code == 2);
    CHECK(contains(odd.err, "holds 300 bytes"));
}

TEST_CASE("the demo's modules: one in order, one with a weak lane and a dark one") {
    TestFolder folder;
    const Said said = rare_tally(folder.path(), {"demo", "module", "--out", "demo"});
    CHECK_MESSAGE(said.code == 1, said.err);
    const auto run = rt::lab::Tally::open(folder / "demo/module-run").read();
    REQUIRE(run.points.size() == 6);
    std::set<std::string> failed;
    for (const auto& point : run.points)
        for (const auto& finding : point.findings) {
            CHECK(finding.verdict != Verdict::none);
            if (finding.verdict == Verdict::fail) failed.insert(point.label + " " + finding.rule);
        }
    CHECK(failed == std::set<std::string>{"uplink=B module-management/faults",
                                          "uplink=B module-management/rx-power-alarm",
                                          "uplink=B module-management/tx-power-warning"});
    CHECK(run.points[0].find_result("bus_reads")->value.value == 100);
    // -9.6 dBm against -8.4 dBm, -14.1 dBm against -13.3 dBm.
    CHECK(run.points[3].find_result("tx_power_to_warning")->value.value == within(0.02, -1.2));
    CHECK(run.points[3].find_result("rx_power_to_alarm")->value.value == within(0.02, -0.8));
    CHECK(contains(rt::lab::read_file(folder / "demo/module-run/report/report.html"), "NORTHHAVEN"));
    // A unit without a module there, and a bus that this machine does not have.
    std::string bench = rt::lab::read_file(folder / "demo/module/bench.toml");
    const std::string port = "address = \"simulated\"\ndialect = \"module\"\nconnected_to = \"uplink\"";
    REQUIRE(bench.find(port) != std::string::npos);
    const auto with = [&](const std::string& by) {
        std::string other = bench;
        other.replace(other.find(port), port.size(), by);
        folder.write("demo/module/bench.toml", other);
        return rare_tally(folder.path(),
                          {"run", "demo/module/campaign.toml", "--out", "other", "--no-live", "--no-report"});
    };
    const Said none = with("address = \"here\"\ndialect = \"module\"\nconnected_to = \"/dev/i2c-none\"");
    CHECK(none.code >= 2);
    CHECK(contains(none.err + none.out, "/dev/i2c-none: cannot be opened"));
    std::filesystem::remove_all(folder / "other");
    const Said unnamed = with("address = \"here\"\ndialect = \"module\"\nconnected_to = \"uplink\"");
    CHECK(unnamed.code == 2);
    CHECK(contains(unnamed.err, "connected_to = \"/dev/i2c-1\""));
}

TEST_CASE("a reference is the bench's to state, of an instrument that proves to be locked to it") {
    TestFolder folder;
    std::filesystem::copy(std::filesystem::path(RT_SOURCE) / "demo/beacon", folder / "b");
    const auto change = [&](const char* file, const std::string& from, const std::string& to) {
        std::string text = rt::lab::read_file(folder / "b" / file);
        REQUIRE(text.find(from) != std::string::npos);
        text.replace(text.find(from), from.size(), to);
        rt::lab::write_file(folder / "b" / file, text);
    };
    const auto run = [&](const char* out) {
        return rare_tally(folder.path(), {"run", "b/campaign.toml", "--unattended", "--only", "burst",
                                          "--no-report", "--out", out});
    };
    const auto reference = [&](const char* out) {
        const auto run_record = rt::lab::Tally::open(folder / out).read();
        for (const auto& [name, value] : run_record.points.at(0).parameters) {
            if (name == "reference") return value;
        }
        return std::string();
    };
    change("bench.toml", "[bench]\n", "[bench]\nreference_stability = \"0.0002 ppm\"\n");
    CHECK(run("free").code != 2);
    CHECK(reference("free").empty());  // not locked to it
    change("bench.toml", "impedance = \"50 ohm\"\n", "impedance = \"50 ohm\"\nexternal_reference = true\n");
    const Said locked = run("locked");
    CHECK_MESSAGE(locked.code != 3, locked.err);
    CHECK(reference("locked") == "0.0002 ppm");
    change("campaign.toml", "centre = \"406.037 MHz\",",
           "centre = \"406.037 MHz\", reference = \"0.001 ppm\",");
    CHECK(run("own").code != 2);
    CHECK(reference("own") == "0.001 ppm");
    change("bench.toml", "external_reference = true\n", "");
    const Said refused = run("refused");
    CHECK(refused.code == 2);
    CHECK(contains(refused.err, "nothing proves that the analyser is locked to it"));
}
