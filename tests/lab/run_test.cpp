// The parts of a run, each by itself: order, pace, calibrations, rechecks, recorded captures, settings.
#include <doctest/doctest.h>

#include <cmath>
#include <thread>

#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/formats/bench_file.hpp"
#include "lab/formats/campaign_file.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/run/calibrations.hpp"
#include "lab/run/pace.hpp"
#include "lab/run/plan.hpp"
#include "lab/run/recorded.hpp"
#include "lab/run/setter.hpp"
#include "lab/run/stability.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/bench_text.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

// A campaign of tests of packet counts on a simulated bench.
struct Loaded {
    TestFolder folder;
    RuleLibrary library;
    ProcedureLibrary procedures;
    Campaign campaign;
    Bench bench;
    Plan plan;

    explicit Loaded(const std::string& tests, const std::string& paths = "") {
        folder.write("unit.toml", "[unit]\nname = \"u\"\n[settings]\nmode = \"a\"\n");
        std::string text = "[bench]\nname = \"b\"\n";
        for (const auto& [role, dialect] :
             std::vector<std::pair<std::string, std::string>>{{"counter", "scpi-counter"},
                                                              {"generator", "scpi-generator"},
                                                              {"power-meter", "scpi-power-meter"},
                                                              {"supply", "scpi-supply"},
                                                              {"unit", "unit-control"}}) {
            text += instrument_text(role, dialect, "in");
        }
        folder.write("bench.toml", text + paths + "[simulation]\nunit = \"unit.toml\"\ninstant = true\n");
        const DiskFiles files(std::filesystem::path(RT_SOURCE) / "dialects");
        campaign = read_campaign(
            folder.write(
                "campaign.toml",
                "[campaign]\ntitle = \"t\"\n[unit]\nmaker = \"m\"\nmodel = \"x\"\nserial = 1\n" + tests),
            library, procedures, files);
        bench = read_bench(folder / "bench.toml", files);
        plan = make_plan(campaign, bench);
    }
    std::string order() const {
        std::string out;
        for (const auto& stretch : plan.order) {
            const Test& test = *plan.tests[stretch.test].test;
            out += test.name;
            for (const auto i : stretch.points)
                out += " " + label(test.sweep, plan.tests[stretch.test].points[i]);
            out += stretch.last ? ".\n" : "\n";
        }
        return out;
    }
};

std::string counting(const std::string& name, const std::string& rest) {
    return "[[test]]\nname = \"" + name +
           "\"\nprocedure = \"receiver.error-rate\"\ninstrument = \"counter\"\n" + rest;
}

std::string slow(const std::string& name, const std::string& values) {
    return "[[test.sweep]]\naxis = \"" + name + "\"\nvalues = " + values +
           "\nsets = [\"unit.mode\"]\nslow = true\n";
}

PointRecord reading(const std::string& name, double value, Unit unit = Unit::dbm) {
    PointRecord record;
    record.results.push_back({name, {value, unit}, {}});
    return record;
}

const char* const path_text =
    "[[path]]\nrole = \"generator\"\n[[path.part]]\nname = \"pad\"\nloss = \"6 dB\"\n"
    "[[path.part]]\nname = \"feed\"\ncalibration = \"feed-loss\"\n";
const char* const cal_text =
    "[[test]]\nname = \"cal\"\nprocedure = \"path.loss\"\ninstrument = \"power-meter\"\nprovides = "
    "\"feed-loss\"\n"
    "provides_result = \"loss\"\nvalid_for = \"1 h\"\nparameters = { sent = \"0 dBm\" }\n"
    "[[test.sweep]]\naxis = \"frequency\"\nvalues = [\"1 GHz\", \"2 GHz\"]\nunit = \"Hz\"\nsets = "
    "[\"parameter.frequency\", \"generator.frequency\"]\n";

// Points of that calibration, as a run has measured them.
std::vector<PointRecord> measured(const std::vector<std::pair<std::string, double>>& losses) {
    std::vector<PointRecord> out;
    for (const auto& [frequency, loss] : losses) {
        out.push_back(reading("loss", loss, Unit::db));
        out.back().axes = {{"frequency", frequency}};
        out.back().label = "frequency=" + frequency;
    }
    return out;
}

}  // namespace

TEST_CASE("tests come in their order, points with the same slow value together") {
    CHECK(Loaded(counting("a", "") + counting("b", "")).order() == "a single point.\nb single point.\n");
    CHECK(Loaded(counting("a", slow("t", "[1, 2]")) + counting("b", "") + counting("c", slow("t", "[1, 2]")))
              .order() == "a t=1\nc t=1\na t=2.\nb single point.\nc t=2.\n");
    // Not the outermost axis: the sweep is regrouped all the same.
    const std::string inner =
        "[[test.sweep]]\naxis = \"m\"\nvalues = [\"x\", \"y\"]\nsets = [\"unit.mode\"]\n" +
        slow("t", "[1, 2]");
    CHECK(Loaded(counting("a", inner)).order() == "a m=x, t=1 m=y, t=1\na m=x, t=2 m=y, t=2.\n");
}

TEST_CASE("what a test builds on comes first, wherever it stands in the file") {
    const std::string needing = counting("link", "needs = [\"feed-loss\"]\n");
    CHECK(Loaded(needing + cal_text).order() == "cal frequency=1 GHz frequency=2 GHz.\nlink single point.\n");
    const Loaded loaded(needing + cal_text);
    CHECK(loaded.plan.provider("feed-loss") == loaded.plan.find("cal"));
    CHECK(loaded.plan.roles == std::set<std::string>{"counter", "generator", "power-meter"});
    CHECK(loaded.plan.captures() == 3);
}

TEST_CASE("the time left follows what each test has really needed") {
    const Loaded loaded(counting("a", "repeats = 4\nparameters = { packets = 10, packet_time = \"1 s\" }\n") +
                        counting("b", "repeats = 2\nparameters = { packets = 1, packet_time = \"1 s\" }\n"));
    Pace pace(loaded.plan);
    CHECK(pace.progress().total == 6);
    CHECK(pace.progress().seconds_left == about(42));
    pace.known(loaded.plan.tests[0]);  // by an earlier part of the run: says nothing of the pace
    CHECK(pace.progress().done == 1);
    CHECK(pace.progress().seconds_left == about(32));
    pace.begin();
    std::this_thread::sleep_for(std::chrono::milliseconds(20));
    pace.measured(loaded.plan.tests[0]);
    // 20 ms instead of 10 s: two more of them, and b as planned.
    CHECK(pace.progress().seconds_left > 2.03);
    CHECK(pace.progress().seconds_left < 5);  // a loaded machine sleeps longer
    pace.ended(loaded.plan.tests[1]);
    CHECK(pace.progress().total == 4);
    CHECK(pace.progress().seconds_left < 3);
}

TEST_CASE("a calibration is a table over frequency, in force until its time is over") {
    const Loaded loaded(std::string(cal_text) + counting("link", ""), path_text);
    Calibrations calibrations(loaded.bench, loaded.folder.path());
    CHECK(calibrations.lapse("feed-loss") == "the calibration \"feed-loss\" was not made");
    CHECK(calibrations.path("generator").invalid() == "the calibration \"feed-loss\" was not made");
    CHECK(calibrations.path("counter").parts.empty());
    // Repeats at one frequency are averaged.
    const auto made =
        calibrations.make(loaded.plan.tests[0], measured({{"1 GHz", 2}, {"2 GHz", 3}, {"2 GHz", 5}}));
    CHECK(made.invalid.empty());
    CHECK(seconds_between(made.taken, made.valid_until) == about(3600));
    CHECK(calibrations.lapse("feed-loss").empty());
    CHECK(calibrations.path("generator").loss_db(2e9) == about(6 + 4));
    CHECK(calibrations.path("generator").loss_db(std::sqrt(2.0) * 1e9) == about(6 + 3));
    CHECK_THROWS_AS(calibrations.path("generator").loss_db(2.1e9), Error);
    // Known again from the tally; altered, it is refused.
    Calibrations later(loaded.bench, loaded.folder.path());
    later.know(made);
    CHECK(later.path("generator").loss_db(1e9) == about(8));
    CalibrationRecord old = made;
    old.taken = "2020-01-01T00:00:00.000Z", old.valid_until = "2020-01-01T01:00:00.000Z";
    later.know(old);
    CHECK(later.lapse("feed-loss") == "the calibration \"feed-loss\" lapsed at 2020-01-01T01:00:00.000Z");
    CHECK(later.lapsed("feed-loss"));
    CalibrationRecord ahead = made;
    ahead.taken = utc_after(utc_now(), 600), ahead.valid_until = utc_after(utc_now(), 4000);
    later.know(ahead);
    CHECK(later.lapse("feed-loss").find("the clock was set back") != std::string::npos);
    loaded.folder.write(made.file, "frequency [Hz],loss [dB]\n1000000000,0\n");
    CHECK(input_error([&] { later.know(made); }).find("was altered") != std::string::npos);
}

TEST_CASE("a calibration with a failed or missing point is none") {
    const Loaded loaded(std::string(cal_text) + counting("link", ""), path_text);
    Calibrations calibrations(loaded.bench, loaded.folder.path());
    auto failed = measured({{"1 GHz", 2}, {"2 GHz", 9}});
    failed[1].findings.emplace_back();
    failed[1].findings[0].verdict = Verdict::fail;
    CHECK(calibrations.make(loaded.plan.tests[0], failed).invalid ==
          "its test cal did not pass at frequency=2 GHz");
    CHECK_FALSE(calibrations.lapsed("feed-loss"));  // making it again would not help
    auto hollow = measured({{"1 GHz", 2}, {"2 GHz", 3}});
    hollow[0].results.clear();
    CHECK(calibrations.make(loaded.plan.tests[0], hollow).invalid == "frequency=1 GHz has no loss");
    CHECK(calibrations.make(loaded.plan.tests[0], {}).invalid == "its test cal has no points");
}

TEST_CASE("a part of a path that has lapsed keeps everything behind it from a verdict") {
    const Loaded loaded(
        counting("link", ""),
        "[[path]]\nrole = \"generator\"\n[[path.part]]\nname = \"cable\"\nloss = \"1 dB\"\nvalid_until = "
        "2020-05-31\n");
    const Calibrations calibrations(loaded.bench, loaded.folder.path());
    CHECK(calibrations.path("generator").invalid() ==
          "\"cable\" in the path to the generator was valid until 2020-05-31");
}

TEST_CASE("a recheck compares with its first result, and gives up the points since the last good one") {
    Recheck what;
    what.test.name = "ref";
    what.result = "level";
    what.within = 0.5;
    what.every_points = 2;
    what.covers = {"scan"};
    Stability stability(what);
    CHECK(stability.covers("scan"));
    CHECK_FALSE(stability.covers("other"));
    CHECK(stability.due());  // the reference
    CHECK_FALSE(stability.put(reading("level", -10)));
    CHECK(stability.reference() == -10);
    CHECK_FALSE(stability.due());
    stability.vouch({nullptr, {}, 1});
    CHECK_FALSE(stability.due());
    stability.vouch({nullptr, {}, 2});
    CHECK(stability.due());
    CHECK_FALSE(stability.put(reading("level", -10.5)));  // exactly at the limit
    CHECK_FALSE(stability.open());
    stability.vouch({nullptr, {}, 3});
    CHECK(stability.put(reading("level", -10.6)) ==
          "recheck ref: level -10.6 dBm, -0.6 dB from the reference, allowed is 0.5 dB");
    CHECK(stability.take().size() == 1);
    PointRecord empty;
    empty.notes = {"not valid: overloaded"};
    CHECK(stability.put(empty) == "recheck ref has no level (not valid: overloaded)");
    stability.forget();
    CHECK_FALSE(stability.put(reading("level", -12)));
    CHECK(stability.reference() == -12);
}

namespace {

// Points of tests whose captures are files.
struct Recorded {
    TestFolder folder;
    Campaign campaign;
    Bench bench;
    Plan plan;

    explicit Recorded(const std::string& pattern) {
        Instrument instrument;
        instrument.role = "analyser";
        instrument.where = "bench.toml:3:1";
        instrument.place.kind = Address::Kind::files;
        instrument.place.path = (folder / pattern).string();
        bench.instruments.push_back(instrument);
        plan.campaign = &campaign;
        plan.bench = &bench;
    }
    void test(const std::string& name, std::vector<Axis> axes, std::uint32_t repeats = 1) {
        Test test;
        test.name = name;
        test.instrument = "analyser";
        test.sweep.axes = std::move(axes);
        test.sweep.repeats = repeats;
        campaign.tests.push_back(std::move(test));
    }
    void files(std::initializer_list<const char*> names) {
        for (const char* name : names) folder.write(name, "x");
    }
    void chosen() {
        for (const auto& test : campaign.tests)
            plan.tests.push_back({&test, &bench.instruments[0], {}, 0, false, 0});
    }
    std::string found(std::size_t test, std::size_t point) {
        chosen();
        RecordedCaptures captures(plan);
        captures.require_clear();
        const Test& which = campaign.tests[test];
        return captures.find(bench.instruments[0], which, which.sweep, expand(which.name, which.sweep)[point])
            .filename()
            .string();
    }
};

Axis levels() {
    return {"level", {quantity_value({-8, Unit::dbm}), quantity_value({8, Unit::dbm})}, {}};
}

}  // namespace

TEST_CASE("recorded captures are found by what the pattern names, a minus included") {
    Recorded plain("{test}-{channel}-{level}.csv");
    plain.test("scan", {{"channel", {word_value("11")}, {}}, levels()});
    plain.files({"scan-11--8-dBm.csv", "scan-11-8-dBm.csv"});
    CHECK(plain.found(0, 0) == "scan-11--8-dBm.csv");
    CHECK(plain.found(0, 1) == "scan-11-8-dBm.csv");
    Recorded missing("{test}.csv");
    missing.test("scan", {});
    CHECK(error_text(ErrorKind::bench, [&] { missing.found(0, 0); }).find("no recorded capture") !=
          std::string::npos);
    Recorded slip("{tset}.csv");
    slip.test("scan", {});
    CHECK(input_error([&] { slip.found(0, 0); }).find("did you mean \"test\"?") != std::string::npos);
}

TEST_CASE("a recorded capture is of one point, and of the test whose name it has whole") {
    Recorded both("*-{test}-{label}.csv");
    both.test("scan", {levels()});
    both.test("pre-scan", {levels()});
    both.files({"00001-pre-scan-level--8-dBm.csv", "00002-pre-scan-level-8-dBm.csv",
                "00003-scan-level--8-dBm.csv", "00004-scan-level-8-dBm.csv"});
    CHECK(both.found(0, 0) == "00003-scan-level--8-dBm.csv");
    CHECK(both.found(1, 1) == "00002-pre-scan-level-8-dBm.csv");
    // Only the longer name's file is there: the shorter one does not take it.
    Recorded lone("*-{test}-{label}.csv");
    lone.test("scan", {levels()});
    lone.test("pre-scan", {levels()});
    lone.files({"00001-pre-scan-level--8-dBm.csv"});
    CHECK(error_text(ErrorKind::bench, [&] { lone.found(0, 0); }).find("no recorded capture") !=
          std::string::npos);
    // Two files for one point, and one file for two.
    Recorded twice("*-{test}-{label}.csv");
    twice.test("scan", {levels()});
    twice.files({"00003-scan-level--8-dBm.csv", "00009-scan-level--8-dBm.csv", "00004-scan-level-8-dBm.csv"});
    CHECK(input_error([&] { twice.found(0, 0); }).find("2 files fit") != std::string::npos);
    Recorded shared("{test}.csv");
    shared.test("scan", {levels()});
    shared.files({"scan.csv"});
    CHECK(input_error([&] { shared.found(0, 0); }).find("have the same file") != std::string::npos);
    Recorded repeats("{test}-{label}.csv");
    repeats.test("scan", {}, 2);
    repeats.files({"scan-repeat-1.csv", "scan-repeat-2.csv"});
    CHECK(input_error([&] {
              repeats.test("x", {});
              repeats.bench.instruments[0].place.path = (repeats.folder / "{test}.csv").string();
              repeats.found(0, 0);
          }).find("add {label}, {repeat}") != std::string::npos);
}

TEST_CASE("names that are cut differ all the same") {
    const std::string start(90, 'a');
    CHECK(file_part(start + "1") != file_part(start + "2"));
    CHECK(file_part(start).size() == 80);
    CHECK(file_part("level=-8 dBm") == "level--8-dBm");
}

TEST_CASE("settings are sent once, in an order that makes sense, raised by the path") {
    const Loaded loaded(counting("link", "settings = { \"generator.level\" = \"-30 dBm\" }\n"));
    TrafficLog traffic(loaded.folder / "traffic.log");
    BenchConnection bench(loaded.plan, &traffic);
    std::vector<std::string> asked;
    Setter setter(
        bench, [&](const std::string& text) { asked.push_back(text); },
        [](const std::string& role, double hz) { return role == "generator" && hz > 1.5e9 ? 3.0 : 1.0; });
    const auto sent = [&] {
        std::string out;
        const std::string log = read_file(loaded.folder / "traffic.log");
        for (const auto line : split(log, '\n')) {
            if (line.find(" generator > SOURce") != std::string_view::npos && !line.ends_with('?'))
                out += std::string(line.substr(line.find("SOURce") + 7)) + ";";
        }
        return out;
    };
    setter.apply({{{"generator", "level"}, "-30 dBm"}, {{"generator", "frequency"}, "1 GHz"}});
    CHECK(sent() == "FREQuency 1000000000;POWer -29;");
    setter.apply({{{"generator", "level"}, "-30 dBm"}, {{"generator", "frequency"}, "1 GHz"}});
    CHECK(sent() == "FREQuency 1000000000;POWer -29;");  // nothing is new
    setter.apply({{{"generator", "level"}, "-30 dBm"}, {{"generator", "frequency"}, "2 GHz"}});
    CHECK(sent() == "FREQuency 1000000000;POWer -29;FREQuency 2000000000;POWer -27;");
    setter.forget("generator");
    setter.apply({{{"generator", "level"}, "-30 dBm"}});
    CHECK(sent().ends_with("POWer -29;"));
    CHECK(asked.empty());
}

TEST_CASE("times: later, between, and what is no time") {
    CHECK(utc_after("2026-11-23T23:59:59.500Z", 0.75) == "2026-11-24T00:00:00.250Z");
    CHECK(seconds_between("2026-11-23T09:00:00.000Z", "2026-11-23T10:00:01.250Z") == about(3601.25));
    CHECK(seconds_between("2026-11-23T09:00:01.000Z", "2026-11-23T09:00:00.000Z") == about(-1));
    CHECK(seconds_between("", "2026-11-23T09:00:00.000Z") == 0);
    CHECK(utc_after("yesterday", 5) == "yesterday");
}
