// A wafer from the choice of a level to its map, through the program: the demo's campaign on fewer dies, and
// what goes wrong with it.
#include <doctest/doctest.h>

#include <cmath>
#include <map>

#include "lab/tally/tally.hpp"
#include "tests/about.hpp"
#include "tests/cli/program.hpp"
#include "tests/cli/typist.hpp"

using namespace rt::lab;

namespace {

// The demo with a map of seven dies: one dead, one lost, one whose first touch-down makes no contact, one
// that stands out, and with fewer frequencies.
class Probes {
  public:
    Probes() {
        for (const auto& file :
             std::filesystem::directory_iterator(std::filesystem::path(RT_SOURCE) / "demo/wafer"))
            folder.write(file.path().filename().string(), read_file(file.path()));
        const std::string map = read_file(folder / "wafer.toml");
        const auto from = map.find("dies = ["), to = map.find(']', from);
        folder.write("wafer.toml",
                     map.substr(0, from) + "dies = [\"...xx..\", \"...xxx.\", \"...Rx..\"" + map.substr(to));
        change("simulated-wafer.toml", "[\"4,2\"]", "[\"4,2\"]");
        change("simulated-wafer.toml", "[\"1,4\"]", "[\"4,1\"]");
        change("simulated-wafer.toml", "[\"2,1\"]", "[\"3,1\"]");
        change("simulated-wafer.toml", "[\"6,3\"]", "[\"5,1\"]");
        for (int i = 0; i < 8; ++i) {
            const std::string text = read_file(folder / "campaign.toml");
            if (text.find("points = 80") == std::string::npos) break;
            change("campaign.toml", "points = 80", "points = 40");
            change("campaign.toml", "start = \"0.5 GHz\"", "start = \"1 GHz\"");
        }
        for (int i = 0; i < 3; ++i) change("campaign.toml", "\"3,3\"", "\"3,2\"");
    }
    void change(const std::string& file, const std::string& from, const std::string& to) {
        std::string text = read_file(folder / file);
        const auto at = text.find(from);
        REQUIRE_MESSAGE(at != std::string::npos, file << ": " << from);
        folder.write(file, text.replace(at, from.size(), to));
    }
    Said run(std::vector<std::string> more = {}) {
        std::vector<std::string> arguments{"run",         "campaign.toml", "--unattended",
                                           "--no-report", "--out",         "run"};
        arguments.insert(arguments.end(), more.begin(), more.end());
        return rare_tally(folder.path(), arguments);
    }
    RunRecord record() const { return Tally::open(folder / "run").read(); }
    Said said(std::vector<std::string> arguments) { return rare_tally(folder.path(), arguments); }

    TestFolder folder;
};

const PointRecord& last_of(const RunRecord& run, const std::string& test, const std::string& label = "") {
    const PointRecord* found = nullptr;
    for (const auto& point : run.points) {
        if (point.test == test && point.standing == Standing::valid &&
            (label.empty() || point.label == label))
            found = &point;
    }
    REQUIRE_MESSAGE(found, test << " " << label);
    return *found;
}

double result_of(const PointRecord& point, const char* name) {
    const rt::Result* result = point.find_result(name);
    REQUIRE_MESSAGE(result, name << ": " << point.invalid);
    return result->value.value;
}

std::size_t passes(const RunRecord& run, const std::string& test) {
    std::size_t count = 0;
    for (const auto& point : run.points) {
        if (point.test != test || point.standing != Standing::valid) continue;
        for (const auto& finding : point.findings)
            count += finding.verdict == rt::Verdict::pass || finding.verdict == rt::Verdict::marginal;
    }
    return count;
}

}  // namespace

TEST_CASE("a wafer is measured from its level to its map, and the same again from what was kept") {
    Probes probes;
    const Said said = probes.run();
    CAPTURE(said.err);
    REQUIRE(said.code == 4);  // a dead die and one without contact have no verdict
    const RunRecord run = probes.record();
    CHECK(result_of(last_of(run, "verification"), "worst_vector_difference") < 0.02);
    // The search ends where the wide device's current changes by 0.5 %: -12 dBm and 3 dB of 1 % in 10 dB.
    CHECK(result_of(last_of(run, "highest-level"), "highest_level") == within(2, -13));
    // What the simulation has at the middle: gm / (2 pi C) of its transistor without pads,
    // 12 % less than in the middle.
    const double middle = result_of(last_of(run, "amplifiers", "die=3,2"), "transition_frequency");
    CHECK(middle == within(4e9, 114e9));
    CHECK(last_of(run, "amplifiers", "die=3,1").invalid.empty());  // the second touch-down
    CHECK(contains(last_of(run, "amplifiers", "die=5,1").invalid, "contact"));
    CHECK(contains(last_of(run, "amplifiers", "die=4,1").invalid, "contact"));
    const PointRecord& wafer = last_of(run, "wafer");
    CHECK(result_of(wafer, "lost") == 2);
    CHECK(wafer.find_result("yield")->known == rt::Known::at_least);
    // Raw data was kept, and corrected data beside it.
    const PointRecord& open = last_of(run, "open", "die=3,2");
    CHECK(open.capture.file.ends_with(".s2p"));
    CHECK(open.handed_on().file.ends_with("-made.ts"));
    CHECK(contains(read_file(probes.folder / "run" / open.handed_on().file),
                   "! done: corrected by open, short, load and thru"));
    CHECK(probes.said({"verify", "run"}).code == 0);
    const Said again = probes.said({"judge", "run", "--captures"});
    CAPTURE(again.out);
    CHECK(contains(again.out, "0 differ"));
    const Said report = probes.said({"report", "run"});
    CHECK(report.code == 0);
    CHECK(std::filesystem::exists(probes.folder / "run/report/report.html"));
    bool map = false;
    for (const auto& file : std::filesystem::directory_iterator(probes.folder / "run/report/figures"))
        map = map || contains(file.path().string(), "map");
    CHECK(map);
}

TEST_CASE("nothing passes by a calibration that cannot be right") {
    SUBCASE("open and short of the substrate swapped") {
        Probes probes;
        probes.change("campaign.toml", "input = \"open\"\nsettings = { \"stage.device\" = \"open\" }",
                      "input = \"open\"\nsettings = { \"stage.device\" = \"short\" }");
        probes.change("campaign.toml", "input = \"short\"\nsettings = { \"stage.device\" = \"short\" }",
                      "input = \"short\"\nsettings = { \"stage.device\" = \"open\" }");
        CHECK(probes.run().code == 4);
        CHECK(contains(last_of(probes.record(), "calibration").invalid, "swapped"));
        CHECK(passes(probes.record(), "verification") + passes(probes.record(), "amplifiers") == 0);
    }
    SUBCASE("the thru left out") {
        Probes probes;
        probes.change("campaign.toml", "settings = { \"stage.device\" = \"thru\" }",
                      "settings = { \"stage.device\" = \"thru\", \"stage.contact\" = \"UP\" }");
        CHECK(probes.run().code == 4);
        CHECK(contains(last_of(probes.record(), "calibration").invalid, "not connected"));
        CHECK(passes(probes.record(), "amplifiers") == 0);
    }
    SUBCASE("another attenuator for the wafer") {
        Probes probes;
        probes.change("campaign.toml", "settings = { \"stage.device\" = \"amplifier\",",
                      "settings = { \"analyser.attenuation\" = \"0 dB\", \"stage.device\" = \"amplifier\",");
        CHECK(probes.run().code == 4);
        CHECK(contains(last_of(probes.record(), "amplifiers", "die=3,2").invalid, "source attenuator"));
        CHECK(passes(probes.record(), "amplifiers") == 0);
    }
    SUBCASE("a bias that a compliance holds") {
        Probes probes;
        probes.change("campaign.toml", "\"bias.output_limit\" = \"50 mA\"",
                      "\"bias.output_limit\" = \"1 mA\"");
        CHECK(probes.run().code == 4);
        CHECK(contains(last_of(probes.record(), "amplifiers", "die=3,2").invalid, "compliance"));
        CHECK(passes(probes.record(), "amplifiers") == 0);
    }
}

TEST_CASE("an analyser that drifts loses the verdicts since the last good look at the open") {
    Probes probes;
    probes.change("simulated-wafer.toml", "crosstalk = \"-70 dB\"",
                  "crosstalk = \"-70 dB\"\ndrift = \"60 dB\"");
    for (int i = 0; i < 2; ++i) probes.change("campaign.toml", "every_points = 40", "every_points = 4");
    probes.run();
    const RunRecord run = probes.record();
    std::size_t voided = 0;
    for (const auto& point : run.points)
        voided += point.standing == Standing::voided || point.standing == Standing::superseded;
    CHECK(voided > 0);
    CHECK(std::any_of(run.events.begin(), run.events.end(),
                      [](const EventRecord& e) { return contains(e.text, "worst_magnitude_difference"); }));
}

TEST_CASE("error terms of one run correct data of a later one, by file") {
    Probes probes;
    probes.run({"--only", "calibration"});
    const RunRecord run = probes.record();
    const std::string terms = last_of(run, "calibration").handed_on().file;
    probes.folder.write("terms.csv", read_file(probes.folder / "run" / terms));
    probes.folder.write(
        "later.toml",
        "[campaign]\ntitle = \"l\"\nbench = \"bench.toml\"\nrulebooks = [\"limits.toml\"]\n"
        "[campaign.settings]\n\"stage.contact\" = \"DOWN\"\n\"analyser.power\" = \"-20 "
        "dBm\"\n\"analyser.attenuation\" = \"10 dB\"\n"
        "[unit]\nmaker = \"N\"\nmodel = \"T\"\nserial = \"1\"\n"
        "[[test]]\nname = \"line\"\nprocedure = \"network.verification\"\ninstrument = \"analyser\"\n"
        "settings = { \"stage.die\" = \"kit\", \"stage.device\" = \"line\" }\n"
        "inputs = { terms = \"file:terms.csv\", kit = \"file:kit.toml\" }\n"
        "parameters = { start = \"1 GHz\", stop = \"40 GHz\", points = 40, bandwidth = \"100 Hz\", data = "
        "\"raw\" }\n"
        "[[test.judge]]\nrule = \"northhaven-ta1/verification\"\n");
    const Said said = probes.said({"run", "later.toml", "--unattended", "--no-report", "--out", "later"});
    CAPTURE(said.err);
    CHECK(said.code == 0);
    CHECK(probes.said({"verify", "later"}).code == 0);
    // The copies of the run are enough, and one that was altered shows.
    std::filesystem::remove(probes.folder / "terms.csv");
    CHECK(contains(probes.said({"judge", "later", "--captures"}).out, "0 differ"));
    // A file of another kind is named before anything moves.
    probes.folder.write("terms.csv", "frequency [MHz],level [dBm]\n1,2\n2,3\n");
    const Said wrong = probes.said({"check", "later.toml"});
    CHECK(wrong.code == 2);
    CHECK(contains(wrong.err, "the input terms must be error-terms, terms.csv gives spectrum"));
}

TEST_CASE("maps, kits and inputs that cannot be are refused with their line") {
    Probes probes;
    const auto refused = [&](const std::string& file, const std::string& from, const std::string& to) {
        const std::string before = read_file(probes.folder / file);
        probes.change(file, from, to);
        const Said said = probes.said({"check", "campaign.toml"});
        probes.folder.write(file, before);
        CHECK(said.code == 2);
        CHECK(lines(said.err) <= 1);
        return said.err;
    };
    CHECK(contains(refused("wafer.toml", "...Rx", "...xx"), "has no reference die"));
    CHECK(contains(refused("wafer.toml", "...xxx.", "...xRx."), "has 2 reference dies"));
    CHECK(contains(refused("wafer.toml", "...xxx.", "...x?x."), "write '.', 'o', 'x', 'R' or 'r'"));
    CHECK(contains(refused("wafer.toml", "pitch_x = \"1.2 mm\"", "pitch_x = \"0 mm\""), "must be above 0"));
    CHECK(contains(refused("kit.toml", "name = \"open\"", "name = \"opn\""), "did you mean"));
    CHECK(contains(refused("kit.toml", "capacitance = [\"-6.5e-15\"]", "inductance = [\"1\"]"),
                   "is of a short or a load only"));
    CHECK(contains(refused("campaign.toml", "map = \"file:wafer.toml\"", "map = \"file:kit.toml\""),
                   "must be wafer-map"));
    CHECK(contains(refused("campaign.toml", "kit = \"file:kit.toml\"", "kit = \"file:lost.toml\""),
                   "lost.toml"));
    CHECK(contains(
        refused("campaign.toml", "terms = \"test:calibration\", kit", "terms = \"file:kit.toml\", kit"),
        "must be error-terms"));
}

TEST_CASE("no fault of the probe station makes a PASS of something else") {
    // What passes must have the undisturbed value.
    const std::vector<std::string> only{"--only",         "calibration", "--only",   "verification", "--only",
                                        "substrate-open", "--only",      "open",     "--only",       "short",
                                        "--only",         "amplifiers",  "--no-live"};
    const auto values = [](const RunRecord& run) {
        std::map<std::string, double> out;
        for (const auto& point : run.points) {
            if (point.standing != Standing::valid) continue;
            for (const auto& f : point.findings) {
                const bool passes = f.verdict == rt::Verdict::pass || f.verdict == rt::Verdict::marginal;
                if (passes) out[point.test + point.label + f.rule] = *f.value;
            }
        }
        return out;
    };
    Probes probes;
    const std::string bench = read_file(probes.folder / "bench.toml");
    // Without what the rechecks compare with nothing is begun.
    const Said lost = rare_tally(probes.folder.path(), {"run", "campaign.toml", "--only", "calibration",
                                                        "--only", "open", "--out", "lost", "--no-live"});
    CHECK(lost.code == 2);
    CHECK(contains(lost.err, "cannot be made without the test \"substrate-open\": choose it too"));
    CHECK_FALSE(std::filesystem::exists(probes.folder / "lost"));
    probes.run(only);
    const auto truth = values(probes.record());
    REQUIRE(truth.size() > 8);
    std::uint64_t draw = 11;
    std::size_t runs = 0, touched = 0;
    for (const std::string role : {"analyser", "bias", "stage"}) {
        for (const std::string kind : {"restart", "panel", "swap", "cut", "another-value"}) {
            draw = draw * 6364136223846793005u + 1442695040888963407u;
            std::string quick = bench;
            for (std::size_t at = 0; (at = quick.find("\"30 s\"", at)) != std::string::npos;)
                quick.replace(at, 6, "\"1 s\"");
            const std::string fault = "[[simulation.fault]]\nrole = \"" + role + "\"\nkind = \"" + kind +
                                      "\"\nafter = " + std::to_string(1 + (draw >> 33) % 60) + "\n";
            probes.folder.write("bench.toml", quick + "\n" + fault);
            std::filesystem::remove_all(probes.folder / "run");
            CAPTURE(fault);
            const Said said = probes.run(only);
            CHECK_MESSAGE((said.code == 0 || said.code == 3 || said.code == 4), said.err);
            ++runs;
            const auto now = values(probes.record());
            touched += now.size() != truth.size() || said.code == 3 || !probes.record().events.empty();
            for (const auto& [name, value] : now) {
                CAPTURE(name);
                REQUIRE(truth.contains(name));
                // Noise of another draw: 0.5 GHz of 115 GHz, 0.003 of the line.
                CHECK(std::abs(value - truth.at(name)) < 0.01 * std::abs(truth.at(name)) + 0.02);
            }
        }
    }
    CHECK(runs == 15);
    CHECK(touched > 8);
}

TEST_CASE("planarity is looked at by a person until it is in order, and by nobody without one") {
    const auto with_look = [](Probes& probes) {
        probes.change("campaign.toml", "title = \"A line of the substrate against its model\"",
                      "title = \"Line\"\nlook = \"marks of all needles alike\"");
    };
    const std::vector<std::string> only{"--only", "calibration", "--only", "verification"};
    Probes alone;
    with_look(alone);
    CHECK(alone.run(only).code == 4);
    CHECK(contains(last_of(alone.record(), "verification").invalid, "nobody has looked"));
    Probes told;
    with_look(told);
    told.folder.write("answers.toml", "verification-look = \"go\"\n");
    const Said said =
        told.said({"run", "campaign.toml", "--no-report", "--no-live", "--out", "run", "--answers",
                   "answers.toml", "--only", "calibration", "--only", "verification"});
    CAPTURE(said.err);
    CHECK(said.code == 0);
    const RunRecord run = told.record();
    CHECK(std::any_of(run.events.begin(), run.events.end(), [](const EventRecord& e) {
        return e.kind == "looked at" && contains(e.text, "marks of all needles alike: in order");
    }));
}

TEST_CASE("terms of a calibration hold no longer than it does, whether a test says so or not") {
    Probes probes;
    for (int i = 0; i < 4; ++i) probes.change("campaign.toml", "needs = [\"probe-tips\"]\n", "");
    const Said plan = probes.said({"check", "campaign.toml"});
    CHECK(contains(plan.out, "needs the calibration probe-tips"));
    // One that lapses at once is made again, or leaves no verdict.
    probes.change("campaign.toml", "valid_for = \"8 h\"", "valid_for = \"1 us\"");
    probes.run({"--only", "calibration", "--only", "verification"});
    CHECK(passes(probes.record(), "verification") == 0);
}

TEST_CASE("the source is corrected over frequency by a power sensor, and only by a table that can be") {
    Probes probes;
    const Said said =
        probes.run({"--only", "source-level", "--only", "source-correction", "--only", "source-level-after"});
    CHECK_MESSAGE(said.code == 0, said.err << said.out);
    RunRecord run = probes.record();
    // The cable loses 2.1 dB at 10 GHz, with the square root of frequency.
    const auto loss = [](double ghz) { return 2.1 * std::sqrt(ghz / 10); };
    CHECK(result_of(last_of(run, "source-level", "frequency=5.5 GHz"), "power") ==
          about(-20 - loss(5.5)).epsilon(1e-3));
    CHECK(result_of(last_of(run, "source-correction"), "greatest_correction") ==
          about(loss(40.5)).epsilon(1e-3));
    // Between the frequencies of the table by straight lines: what a square root bends away from them.
    const double middle = loss(1.7) - (loss(0.5) + (loss(3) - loss(0.5)) * (1.7 - 0.5) / 2.5);
    probes.change("campaign.toml", "from = \"0.7 GHz\", to = \"39.7 GHz\"",
                  "from = \"1.7 GHz\", to = \"37.7 GHz\"");
    std::filesystem::remove_all(probes.folder / "run");
    probes.run({"--only", "source-level", "--only", "source-correction", "--only", "source-level-after"});
    run = probes.record();
    CHECK(result_of(last_of(run, "source-level-after", "frequency=1.7 GHz"), "power") ==
          about(-20 - middle).epsilon(1e-3));
    // More than is possible: no table, and no verdict of what needs it.
    probes.change("campaign.toml", "most = \"12 dB\"", "most = \"3 dB\"");
    std::filesystem::remove_all(probes.folder / "run");
    const Said refused =
        probes.run({"--only", "source-level", "--only", "source-correction", "--only", "source-level-after"});
    CHECK(refused.code == 4);
    run = probes.record();
    CHECK(passes(run, "source-level-after") == 0);
    CHECK(contains(last_of(run, "source-level-after").invalid, "the table \"source-level\": "));
}

TEST_CASE("a chuck soaks at each temperature, and what is rehearsed does not wait") {
    Probes probes;
    probes.change(
        "campaign.toml", "[[test]]\nname = \"calibration\"",
        "[[test]]\nname = \"warm\"\nprocedure = \"device.curves\"\ninstrument = \"bias\"\n"
        "sweeps = [\"devices\"]\nsettings = { \"stage.die\" = \"3,2\", \"analyser.output\" = \"OFF\" }\n"
        "parameters = { input_from = \"0.4 V\", input_to = \"0.9 V\", input_points = 2, output_to = "
        "\"2 V\", output_points = 3, output_limit = \"30 mA\" }\n[[test.sweep]]\naxis = \"temperature\"\n"
        "sets = [\"stage.temperature\"]\nvalues = [\"25 degC\", \"26 degC\"]\nsoak = \"20 s\"\n\n"
        "[[test]]\nname = \"calibration\"");
    const auto begun = std::chrono::steady_clock::now();
    CHECK(probes.run({"--only", "warm"}).code == 0);
    CHECK(std::chrono::steady_clock::now() - begun < std::chrono::seconds(20));
    RunRecord run = probes.record();
    std::vector<std::string> soaks;
    for (const auto& event : run.events) {
        if (event.kind == "soak") soaks.push_back(event.text);
    }
    // Slow axes change as seldom as possible: two devices at each temperature, one soak.
    REQUIRE(soaks.size() == 2);
    CHECK(contains(soaks[0],
                   "temperature 25 degC, 20.0 s (rehearsed: not waited for); stage.temperature reads 25.04"));
    CHECK(contains(soaks[1], "temperature 26 degC"));
    // A stage that takes its time is waited for, and `check` counts it.
    probes.change("bench.toml", "instant = true", "instant = false");
    probes.change("campaign.toml", "soak = \"20 s\"", "soak = \"1500 ms\"");
    std::filesystem::remove_all(probes.folder / "run");
    const Said plan = probes.said({"check", "campaign.toml", "--only", "warm"});
    CHECK(contains(plan.out, "soaks 1.5 s at each change of temperature"));
    CHECK(contains(plan.out, "soak of 1.5 s at temperature 26 degC"));
    const auto waited = std::chrono::steady_clock::now();
    CHECK(probes.run({"--only", "warm"}).code == 0);
    CHECK(std::chrono::steady_clock::now() - waited > std::chrono::seconds(3));
    probes.change("campaign.toml", "soak = \"1500 ms\"", "soak = \"0 s\"");
    CHECK(contains(probes.said({"check", "campaign.toml"}).err, "soak"));
}

TEST_CASE("a wafer map comes from what the stage says, or from where it is moved") {
    Probes probes;
    const Said said = probes.said({"bench", "bench.toml", "--map", "own.toml"});
    CHECK_MESSAGE(said.code == 0, said.err);
    CHECK(contains(said.out, "7 dies of 1.2 mm by 900 µm, 4 devices"));
    const std::string map = read_file(probes.folder / "own.toml");
    CHECK(contains(map, "pitch_x = \"1200 um\""));
    CHECK(contains(map, "first_column = 3"));
    CHECK(contains(map, "name = \"short\"\nx = \"800 um\"\ny = \"450 um\""));
    // It is a map that a campaign can use.
    probes.change("campaign.toml", "dies_of = \"wafer.toml\"", "dies_of = \"own.toml\"");
    CHECK(probes.said({"check", "campaign.toml"}).code == 0);
    CHECK(contains(probes.said({"bench", "bench.toml", "--map", "own.toml"}).err, "is there already"));

    // Somebody moves it: 20 um off along rows, which the stage does not know of.
    const std::string led =
        "led_to = [\"4 mm, 3 mm\", \"5.22 mm, 3 mm\", \"4 mm, 1.2 mm\", \"4.3 mm, 3.2 mm\", \"4.3 mm, 3.45 "
        "mm\", "
        "\"4.8 mm, 3.2 mm\", \"4.81 mm, 3.4 mm\"]\n";
    probes.change("simulated-wafer.toml", "[wafer]\n", "[wafer]\n" + led);
    const std::vector<Keys> enters(7, Keys{"\n"});
    const Said taught =
        at_terminal(probes.folder.path(), {"bench", "bench.toml", "--map", "taught.toml", "--teach"}, enters);
    CHECK_MESSAGE(taught.code == 0, taught.out);
    CHECK(contains(taught.out, "move the stage to the same corner of die 4,2"));
    const std::string text = read_file(probes.folder / "taught.toml");
    CHECK(contains(text, "pitch_x = \"1220 um\""));
    CHECK(contains(text, "pitch_y = \"900 um\""));
    CHECK(contains(text, "name = \"short\"\nx = \"810 um\"\ny = \"400 um\""));
    // The wrong way round, or given up: one line, no file.
    probes.change("simulated-wafer.toml", "\"5.22 mm, 3 mm\"", "\"2.8 mm, 3 mm\"");
    const Said turned =
        at_terminal(probes.folder.path(), {"bench", "bench.toml", "--map", "turned.toml", "--teach"}, enters);
    CHECK(turned.code == 2);
    CHECK(contains(turned.out, "the pitch along rows comes to -1.2 mm"));
    const Said stopped = at_terminal(
        probes.folder.path(), {"bench", "bench.toml", "--map", "turned.toml", "--teach"}, {{"stop\n"}});
    CHECK(stopped.code == 2);
    CHECK_FALSE(std::filesystem::exists(probes.folder / "turned.toml"));
    CHECK(contains(probes.said({"bench", "bench.toml", "--map", "x.toml", "--reference", "9,9"}).err,
                   "the reference die 9,9 is none of those"));
}

TEST_CASE("a look keeps what the stage sees, each time") {
    Probes probes;
    probes.change("campaign.toml", "name = \"curves\"\n",
                  "name = \"curves\"\nlook = \"needles on the pads\"\n");
    const Said said = at_terminal(probes.folder.path(),
                                  {"run", "campaign.toml", "--only", "curves", "--no-report", "--out", "run"},
                                  {{"redo\n"}, {"go\n"}, {"go\n"}});
    CHECK_MESSAGE(said.code == 0, said.out);
    const RunRecord run = probes.record();
    REQUIRE(run.points.size() == 2);
    const auto pictures = [](const PointRecord& point) {
        return std::count_if(point.attachments.begin(), point.attachments.end(),
                             [](const auto& a) { return a.kind == "picture"; });
    };
    CHECK(pictures(run.points[0]) == 2);
    CHECK(pictures(run.points[1]) == 1);
    CHECK(read_file(probes.folder / "run" / run.points[0].attachments[0].file).starts_with("BM"));
}
