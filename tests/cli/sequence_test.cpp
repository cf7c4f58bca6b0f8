// What campaigns do in order: calibrations, searches, derived points, durations, slow axes, redoing.
#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "tests/about.hpp"
#include "tests/cli/stand.hpp"

using rt::Verdict;
using rt::lab::PointKind;

namespace {

const std::string feed =
    "[[path]]\nrole = \"generator\"\n[[path.part]]\nname = \"feed\"\ncalibration = \"feed-loss\"\n";

std::string calibrating(const std::string& more = "") {
    return "[[test]]\nname = \"cal\"\nprocedure = \"path.loss\"\ninstrument = \"power-meter\"\n"
           "parameters = { sent = \"0 dBm\" }\nprovides = \"feed-loss\"\nprovides_result = \"loss\"\n"
           "settings = { \"generator.level\" = \"0 dBm\", \"generator.output\" = \"ON\" }\n" +
           more +
           Stand::axis("frequency",
                       "values = [\"0.9 GHz\", \"1.1 GHz\"]\nunit = \"Hz\"\nsets = [\"generator.frequency\", "
                       "\"parameter.frequency\"]");
}

std::string at_level(const std::string& level) {
    return Stand::axis("level", "values = [\"" + level + "\"]\nunit = \"dBm\"\nsets = [\"generator.level\"]");
}

const std::string search_level =
    Stand::axis("level",
                "sets = [\"generator.level\"]\nsearch = { holds_at = \"-70 dBm\", fails_at = \"-100 dBm\", "
                "resolution = \"0.5 dB\", "
                "result = \"packet_error_ratio\", at_most = \"1 %\", gives = \"sensitivity\" }");

}  // namespace

TEST_CASE("a test that needs a calibration gets levels that count at the unit") {
    Stand stand;
    stand.paths = feed;
    // Half of the packets are lost at -90 dBm at the unit, 1 dB above one in a hundred.
    stand.tests = calibrating() + Stand::counting("link", "needs = [\"feed-loss\"]\n" + at_level("-87 dBm")) +
                  "[[test.judge]]\nrule = \"own/errors\"\n";
    CHECK(stand.run().code == 0);
    const auto run = stand.record();
    REQUIRE(run.calibrations.size() == 1);
    CHECK(run.calibrations[0].invalid.empty());
    const std::string table = rt::lab::read_file(stand.folder / "run" / run.calibrations[0].file);
    CHECK(contains(table,
                   "frequency [Hz],loss [dB]\n900000000,1.89"));  // 2 dB at 1 GHz, by the root of frequency
    CHECK(points(run, PointKind::point, "link")[0]->results[0].value.value == 0);
    // Without the path the cable takes its 2 dB, and half a dB more loses everything.
    Stand without = Stand{};
    without.tests = Stand::counting("link", at_level("-88.5 dBm"));
    CHECK(without.run().code == 0);
    CHECK(points(without.record(), PointKind::point)[0]->results[0].value.value > 50);
}

TEST_CASE("without the calibration that it needs a test gets no verdict") {
    Stand stand;
    stand.paths = feed;
    stand.tests = calibrating() + Stand::counting("link", "needs = [\"feed-loss\"]\n" + at_level("-60 dBm")) +
                  "[[test.judge]]\nrule = \"own/errors\"\n";
    const Said left_out = stand.run({"--only", "link"});
    CHECK(left_out.code == 4);
    CHECK(contains(left_out.err, "attention: test link needs feed-loss, whose test is not chosen"));
    CHECK(contains(left_out.out, "the calibration \"feed-loss\" was not made"));
    CHECK(points(stand.record(), PointKind::point)[0]->results.empty());
    // One that does not pass its own rule is none.
    Stand lossy;
    lossy.paths = feed;
    lossy.tests = calibrating() + "[[test.judge]]\nrule = \"own/loss\"\n" +
                  Stand::counting("link", "needs = [\"feed-loss\"]\n" + at_level("-60 dBm")) +
                  "[[test.judge]]\nrule = \"own/errors\"\n";
    lossy.unit_extra = "";
    lossy.write();
    std::string unit = rt::lab::read_file(lossy.folder / "unit.toml");
    unit.replace(unit.find("loss = \"2 dB\""), 13, "loss = \"9 dB\"");
    lossy.folder.write("unit.toml", unit);
    const Said bad =
        rare_tally(lossy.folder.path(), {"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"});
    CHECK(bad.code == 1);
    CHECK(contains(bad.out, "the calibration \"feed-loss\" is not valid: its test cal did not pass"));
}

TEST_CASE("a calibration whose time is over is made again, and the old one stays, set aside") {
    Stand stand;
    stand.paths = feed;
    stand.simulation = "";
    stand.tests = calibrating("valid_for = \"60 ms\"\n") +
                  Stand::counting("link", "needs = [\"feed-loss\"]\nrepeats = 200\n" + at_level("-60 dBm"));
    CHECK(stand.run().code == 0);
    const auto run = stand.record();
    REQUIRE(run.calibrations.size() >= 2);
    CHECK(run.superseded.size() == 2 * (run.calibrations.size() - 1));
    CHECK(points(run, PointKind::point, "cal").size() == 2);
    CHECK(points(run, PointKind::point, "link").size() == 200);
    CHECK(contains(events(run, "calibration")[1]->text, "lapsed at"));
}

TEST_CASE("a threshold search finds the level, and carried on it is the same search") {
    Stand stand;
    stand.tests = Stand::counting("sens", Stand::axis("mode", "values = [\"a\", \"b\"]\nsets = [\"unit\"]") +
                                              search_level) +
                  "[[test.judge]]\nrule = \"own/sensitivity\"\n";
    const Said check = stand.call({"check", "campaign.toml"});
    CHECK(contains(check.out,
                   "a search of level between -100 dBm and -70 dBm in steps of 0.5 dB, at most 22 trials"));
    CHECK(contains(check.out, "at most 44 points"));
    CHECK(stand.run().code == 0);
    const auto run = stand.record();
    const auto thresholds = points(run, PointKind::threshold);
    REQUIRE(thresholds.size() == 2);
    // One in a hundred is lost at -89 dBm at the unit, 2 dB more at the generator. 100 packets tell it to 1
    // dB.
    for (const auto* point : thresholds) {
        CHECK(point->find_result("sensitivity")->value.value == about(-87).epsilon(0.0125));
        CHECK(point->findings[0].verdict == Verdict::marginal);
        CHECK(point->capture.kind == "trials");
        CHECK(contains(rt::lab::read_file(stand.folder / "run" / point->capture.file),
                       "trial,level,packet_error_ratio,holds,point\n1,-70 dBm,0 %,yes,"));
    }
    CHECK(points(run, PointKind::trial).size() <= 20);  // no more: nothing was refuted
    for (const auto* trial : points(run, PointKind::trial)) CHECK(trial->findings.empty());
    // A tally cut off in the middle of the second search: what is left is measured, nothing twice.
    const auto cut = thresholds[0]->position + 3;
    cut_off(stand.folder / "run", cut);
    CHECK(rare_tally(stand.folder.path(), {"run", "--resume", "run", "--no-live", "--no-report"}).code == 0);
    const auto whole = stand.record();
    REQUIRE(whole.points.size() == run.points.size());
    for (std::size_t i = 0; i < run.points.size(); ++i) {
        CHECK(whole.points[i].id == run.points[i].id);
        CHECK(whole.points[i].label == run.points[i].label);
    }
}

TEST_CASE("a search whose criterion never holds, or whose trial is not valid, has no number") {
    Stand stand;
    stand.tests = Stand::counting("sens", search_level) + "[[test.judge]]\nrule = \"own/sensitivity\"\n";
    stand.unit_extra = "";
    stand.write();
    std::string unit = rt::lab::read_file(stand.folder / "unit.toml");
    unit.replace(unit.find("half = \"-90 dBm\""), 16, "half = \"-50 dBm\"");
    stand.folder.write("unit.toml", unit);
    const Said deaf = rare_tally(stand.folder.path(),
                                 {"run", "campaign.toml", "--out", "deaf", "--no-live", "--no-report"});
    CHECK(deaf.code == 4);
    CHECK(contains(deaf.out, "the criterion does not hold even at -70 dBm"));
    stand.simulation =
        "[[simulation.fault]]\nrole = \"counter\"\nkind = \"error-entry\"\nafter = 4\ntimes = 1\n";
    const Said broken = stand.run();
    CHECK(broken.code == 4);
    CHECK(contains(broken.out, "has no packet_error_ratio (not valid: counter reported error -300"));
}

TEST_CASE("points come from what an earlier test has found") {
    Stand stand;
    stand.tests =
        Stand::scanning("look", Stand::axis("state", "values = [\"idle\", \"loud\"]\nsets = [\"unit\"]")) +
        Stand::scanning("final",
                        Stand::axis("from",
                                    "sets = [\"parameter.start\"]\nfrom_test = { test = \"look\", result "
                                    "= \"highest_level_frequency\", most = 5, apart = \"20 kHz\" }"));
    CHECK(contains(stand.call({"check", "campaign.toml"}).out,
                   "from: at most 5 values, the highest_level_frequency of look"));
    CHECK(stand.run().code == 0);
    const auto found = points(stand.record(), PointKind::point, "final");
    REQUIRE(found.size() == 2);
    CHECK(stand.record().points[2].label == "from=1.5 MHz");
    CHECK(stand.record().points[3].label == "from=1.2 MHz");
    // Idle twice: one frequency, one point.
    Stand same;
    same.tests = stand.tests;
    same.tests.replace(same.tests.find("\"loud\""), 6, "\"calm\"");
    CHECK(same.run().code == 0);
    CHECK(points(same.record(), PointKind::point, "final").size() == 1);
}

TEST_CASE("a sweep is repeated for as long as it is to be") {
    Stand stand;
    stand.tests = Stand::counting("soak", "duration = \"300 ms\"\n" + at_level("-60 dBm"));
    CHECK(contains(stand.call({"check", "campaign.toml"}).out, "repeated for 300 ms"));
    CHECK(stand.run().code == 0);
    const auto run = stand.record();
    CHECK(run.points.size() > 3);
    CHECK(run.points[2].label == "level=-60 dBm (repeat 3)");
    const std::size_t before = run.points.size();
    // It has had its time: carried on, hardly anything is added.
    CHECK(rare_tally(stand.folder.path(), {"run", "--resume", "run", "--no-live", "--no-report"}).code == 0);
    CHECK(stand.record().points.size() >= before);
    for (std::size_t i = 0; i < stand.record().points.size(); ++i)
        CHECK(stand.record().points[i].position == i + 1);
}

TEST_CASE("people step in as seldom as possible: slow axes are changed together for all tests") {
    Stand stand;
    const std::string chamber =
        Stand::axis("temperature",
                    "values = [\"-20\", \"55\"]\nsets = [\"operator\"]\nprompt = \"Set the "
                    "chamber to {value} degrees\"");
    stand.tests =
        Stand::counting("a", Stand::axis("mode", "values = [\"a\", \"b\"]\nsets = [\"unit\"]") + chamber) +
        Stand::counting("b", chamber) + Stand::counting("c", at_level("-60 dBm"));
    const Said nobody = stand.run();
    CHECK(nobody.code == 2);
    CHECK(contains(nobody.err, "has a prompt but nobody is"));
    stand.folder.write("answers.toml", "a = \"go\"\nb = \"go\"\n");
    CHECK(stand.run({"--answers", "answers.toml"}).code == 0);
    const auto run = stand.record();
    std::string order;
    for (const auto& point : run.points) order += point.test + ":" + point.label + "\n";
    CHECK(
        order ==
        "a:mode=a, temperature=-20\na:mode=b, temperature=-20\nb:temperature=-20\na:mode=a, temperature=55\n"
        "a:mode=b, temperature=55\nb:temperature=55\nc:level=-60 dBm\n");
    REQUIRE(events(run, "prompt").size() == 2);
    CHECK(events(run, "prompt")[1]->text == "a: Set the chamber to 55 degrees");
    stand.folder.write("answers.toml", "a = \"perhaps\"\n");
    CHECK(contains(stand.run({"--answers", "answers.toml"}).err,
                   "the prompt \"a\" is answered by \"perhaps\": write go, skip or stop"));
}

TEST_CASE("tests and single points are measured again, and the old ones stay") {
    Stand stand;
    stand.tests =
        Stand::scanning("scan", Stand::axis("state", "values = [\"idle\", \"loud\"]\nsets = [\"unit\"]")) +
        "[[test.judge]]\nrule = \"own/loud\"\n" + Stand::counting("sens", search_level) +
        "[[test.judge]]\nrule = \"own/sensitivity\"\n";
    CHECK(stand.run().code == 1);
    const auto first = stand.record();
    const auto redo = [&](const std::string& what) {
        return rare_tally(stand.folder.path(),
                          {"run", "--resume", "run", "--redo", what, "--no-live", "--no-report"});
    };
    CHECK(contains(redo("scam").err,
                   "--redo scam: the run has measured no point of such a test: did you mean \"scan\"?"));
    CHECK(contains(redo("99").err, "no point of this number"));
    CHECK(redo("2").code == 1);
    auto run = stand.record();
    CHECK(run.points.size() == first.points.size());
    REQUIRE(run.superseded.size() == 1);
    CHECK(run.superseded[0].label == "state=loud");
    CHECK(run.points.back().label == "state=loud");
    CHECK(run.points.back().attempt == 2);
    CHECK(run.counts().total() == first.counts().total());
    // The conclusion of a search goes with its trials.
    const auto threshold = points(run, PointKind::threshold)[0]->position;
    const auto trials = points(run, PointKind::trial).size();
    CHECK(redo(std::to_string(threshold)).code == 1);
    run = stand.record();
    CHECK(run.superseded.size() == 1 + 1 + trials);
    CHECK(points(run, PointKind::threshold)[0]->attempt == 2);
    CHECK(redo("scan").code == 1);
    CHECK(points(stand.record(), PointKind::point, "scan").size() == 2);
    CHECK(contains(stand.run({"--redo", "scan"}).err, "--redo goes with --resume"));
}

TEST_CASE("a calibration that is measured again is made again") {
    Stand stand;
    stand.paths = feed;
    stand.tests = calibrating() + Stand::counting("link", "needs = [\"feed-loss\"]\n" + at_level("-60 dBm"));
    CHECK(stand.run().code == 0);
    CHECK(
        rare_tally(stand.folder.path(), {"run", "--resume", "run", "--redo", "1", "--no-live", "--no-report"})
            .code == 0);
    const auto run = stand.record();
    REQUIRE(run.calibrations.size() == 2);
    CHECK(run.calibrations[1].invalid.empty());
    CHECK(run.superseded.size() == 1);
    // Nothing is left to do: it is not made a third time.
    CHECK(rare_tally(stand.folder.path(), {"run", "--resume", "run", "--no-live", "--no-report"}).code == 0);
    CHECK(stand.record().calibrations.size() == 2);
}

TEST_CASE("a profile changes parameters, marks findings, and can be saved and reset") {
    Stand stand;
    stand.tests =
        "[[test]]\nname = \"scan\"\nprocedure = \"emission.scan\"\nparameters = { start = \"1 MHz\", stop = "
        "\"2 MHz\", "
        "bandwidth = \"5 kHz\", dwell = \"100 us\" }\n[[test.judge]]\nrule = "
        "\"cispr-32/mains-b-qp\"\nallow_partial = true\n"
        "marginal = \"0 dB\"\n";
    const auto parameter = [&](const std::string& name) {
        const auto run = stand.record();
        for (const auto& [key, value] : run.points.at(0).parameters) {
            if (key == name) return value;
        }
        return std::string();
    };
    CHECK(stand.call({"check", "campaign.toml", "--save-profile", "mine.toml"}).code == 0);
    const std::string saved = rt::lab::read_file(stand.folder / "mine.toml");
    CHECK(contains(saved, "bandwidth = \"5 kHz\""));
    CHECK(contains(saved, "detector = \"quasi-peak\""));
    // The published bandwidth instead of the campaign's.
    const Said published = stand.call({"check", "campaign.toml", "--published"});
    CHECK(contains(published.out, "RBW 9 kHz, quasi-peak"));
    CHECK(contains(stand.call({"check", "campaign.toml"}).out, "RBW 5 kHz, quasi-peak"));
    stand.folder.write(
        "quick.toml",
        "[[test]]\nname = \"scan\"\n[test.parameters]\ndetector = \"peak\"\nbandwidth = \"9 kHz\"\n");
    CHECK(stand.run({"--profile", "quick.toml"}).code == 0);
    CHECK(parameter("detector") == "peak");
    CHECK(parameter("bandwidth") == "9 kHz");
    CHECK(rare_tally(stand.folder.path(),
                     {"run", "--resume", "run", "--redo", "scan", "--no-live", "--no-report"})
              .code == 0);
    CHECK(parameter("detector") == "peak");  // kept with the run
    stand.folder.write("wrong.toml", "[[test]]\nname = \"scam\"\n[test.parameters]\ndetector = \"peak\"\n");
    CHECK(contains(stand.call({"check", "campaign.toml", "--profile", "wrong.toml"}).err,
                   "the profile names a test \"scam\": did you mean \"scan\"?"));
}

TEST_CASE("slips in what a campaign builds on are named before anything moves") {
    const auto wrong = [](const std::string& tests, const std::string& paths = "") {
        Stand stand;
        stand.tests = tests;
        stand.paths = paths;
        const Said said = stand.call({"check", "campaign.toml"});
        CHECK(said.code == 2);
        CHECK(lines(said.err) == 1);
        return said.err;
    };
    CHECK(contains(wrong(Stand::counting("a", "needs = [\"feed\"]\n")),
                   "test \"a\" needs \"feed\", which no test provides"));
    CHECK(contains(wrong(Stand::counting("a", ""), feed),
                   "wants the calibration \"feed-loss\", which no test"));
    CHECK(contains(wrong(Stand::counting(
                       "a", Stand::axis("level", "sets = [\"generator.levle\"]\nvalues = [\"1 dBm\"]"))),
                   "has no setting \"levle\": did you mean \"level\"?"));
    CHECK(contains(wrong(Stand::counting(
                       "a", Stand::axis("level", "sets = [\"generator.level\"]\nvalues = [\"1 Hz\"]"))),
                   "write a power level"));
    CHECK(contains(wrong(Stand::counting(
                       "a", Stand::axis("level", "sets = [\"genrator.level\"]\nvalues = [\"1 dBm\"]"))),
                   "did you mean \"generator\"?"));
    CHECK(contains(wrong(Stand::counting("a", "power_cycle = \"generator\"\n")),
                   "which is neither a supply nor a switch"));
    CHECK(contains(wrong(Stand::counting("a", Stand::axis("x", "sets = [\"operator\"]\nvalues = [1]"))),
                   "\"operator\" needs a prompt"));
    CHECK(contains(wrong(Stand::scanning("a", "instrument = \"counter\"\n")),
                   "needs an instrument of kind analyser, the counter is one of kind counter"));
    CHECK(contains(wrong(Stand::counting("a", search_level) + "[[test.judge]]\nrule = \"own/errors\"\n"),
                   "judges \"packet_error_ratio\", but the search gives \"sensitivity\""));
    CHECK(contains(
        wrong(Stand::scanning("a", ""),
              "[[path]]\nrole = \"analyser\"\n[[path.part]]\nname = \"c\"\ntable = \"missing.csv\"\n"),
        "missing.csv: cannot be read"));
    Stand narrow;
    narrow.tests = Stand::scanning("a", "");
    narrow.paths = "[[path]]\nrole = \"analyser\"\n[[path.part]]\nname = \"c\"\ntable = \"c.csv\"\n";
    narrow.folder.write("c.csv", "frequency [MHz],loss [dB]\n1.1,0.5\n3,0.5\n");
    CHECK(contains(narrow.call({"check", "campaign.toml"}).err,
                   "the path to the analyser does not cover what it measures: \"c\": the corrections reach "
                   "from 1.1 MHz"));
}
