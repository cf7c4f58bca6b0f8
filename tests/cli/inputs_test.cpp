// Procedures with several captures: by takes, from earlier tests, from files.
#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "lab/tally/chain.hpp"
#include "tests/about.hpp"
#include "tests/cli/stand.hpp"

using nlohmann::json;
using rt::Verdict;
using rt::lab::Cause;
using rt::lab::PointKind;
using rt::lab::Standing;

namespace {

const std::string frequencies = Stand::axis(
    "frequency",
    "values = [\"0.5 GHz\", \"1 GHz\"]\nsets = [\"generator.frequency\", \"parameter.frequency\"]");

// The level at the meter, from the generator through 2 dB of cable at 1 GHz.
std::string level(const std::string& name, const std::string& dbm) {
    return "[[test]]\nname = \"" + name +
           "\"\nprocedure = \"power.level\"\ninstrument = \"power-meter\"\nsettings = { \"generator.output\" "
           "= \"ON\", "
           "\"generator.level\" = \"" +
           dbm + "\" }\n" + frequencies;
}

std::string gain(const std::string& more) {
    return "[[test]]\nname = \"gain\"\nprocedure = \"power.gain\"\ninstrument = \"power-meter\"\n"
           "parameters = { output_sensor = \"1\" }\nsettings = { \"generator.output\" = \"ON\", "
           "\"generator.level\" = \"-20 dBm\" }\n" +
           more;
}

const std::string louder =
    "[[test.take]]\ninput = \"output\"\nsettings = { \"generator.level\" = \"-10 dBm\" }\n";

Said again(const Stand& stand, std::vector<std::string> more) {
    more.insert(more.begin(), {"run", "--resume", "run", "--no-live", "--no-report"});
    return rare_tally(stand.folder.path(), more);
}

}  // namespace

TEST_CASE(
    "takes are captured under settings of their own, in order, kept one by one and measured again from "
    "there") {
    Stand stand;
    stand.own_rules = Stand::rule("gain", "gain", "dB", "min = \"9 dB\"");
    stand.tests = gain(frequencies + "[[test.judge]]\nrule = \"own/gain\"\n" + louder);
    const Said checked = stand.call({"check", "campaign.toml"});
    CHECK(checked.code == 0);
    CHECK(contains(checked.out, "takes output, generator.level -10 dBm"));
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 0, said.err);
    const auto run = stand.record();
    REQUIRE(run.points.size() == 2);
    for (const auto& point : run.points) {
        REQUIRE_MESSAGE(point.find_result("gain"), point.invalid);
        CHECK(point.find_result("gain")->value.value == within(0.01, 10));
        REQUIRE(point.inputs.size() == 2);
        CHECK(point.inputs[0].name == "input");
        CHECK(point.inputs[1].name == "output");
        CHECK(point.inputs[0].capture.file != point.inputs[1].capture.file);
        CHECK(point.capture.file == point.inputs[0].capture.file);
    }
    CHECK(rt::lab::verify_run(stand.folder / "run").altered.empty());
    CHECK(contains(rare_tally(stand.folder.path(), {"judge", "run", "--captures"}).out, "0 differ"));
    // The second capture is covered by the chain as the first is.
    stand.folder.write("run/" + run.points[0].inputs[1].capture.file,
                       "sensor,frequency [Hz],level [dBm]\n1,500000000,30\n");
    CHECK(rt::lab::verify_run(stand.folder / "run").altered.size() == 1);
}

TEST_CASE("each take is corrected by the path of its instrument, and doubted by what is doubtful of it") {
    Stand stand;
    stand.own_rules = Stand::rule("gain", "gain", "dB", "min = \"9 dB\"");
    stand.tests =
        gain(Stand::axis("frequency",
                         "values = [\"1 GHz\"]\nsets = [\"generator.frequency\", \"parameter.frequency\"]") +
             "[[test.judge]]\nrule = \"own/gain\"\n" + louder);
    stand.paths = "[[path]]\nrole = \"power-meter\"\n[[path.part]]\nname = \"p\"\nloss = \"3 dB\"\n";
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 0, said.err);
    const auto run = stand.record();
    REQUIRE(run.points.size() == 1);
    REQUIRE(run.points[0].find_result("input_level"));
    // -20 dBm less 2 dB of cable, 3 dB of path added.
    CHECK(run.points[0].find_result("input_level")->value.value == within(0.01, -19));
    Stand doubtful;
    doubtful.own_rules = stand.own_rules;
    doubtful.tests = stand.tests;
    doubtful.paths =
        "[[path]]\nrole = \"power-meter\"\n[[path.part]]\nname = \"p\"\nloss = \"3 dB\"\nvalid_until = "
        "2001-01-01\n";
    CHECK(doubtful.run().code == 4);
    const auto record = doubtful.record();
    CHECK_MESSAGE(contains(record.points.at(0).findings.at(0).reason, "2001-01-01"),
                  record.points[0].findings[0].reason);
}

TEST_CASE("an input comes from the point of an earlier test with the same values, and follows it") {
    Stand stand;
    stand.own_rules = Stand::rule("gain", "gain", "dB", "min = \"9 dB\"");
    stand.tests = level("through", "-30 dBm") +
                  gain("inputs = { input = \"test:through\" }\n" + frequencies +
                       "[[test.judge]]\nrule = \"own/gain\"\n[[test.take]]\ninput = \"output\"\n");
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 0, said.err);
    auto run = stand.record();
    auto gains = points(run, PointKind::point, "gain");
    auto sources = points(run, PointKind::point, "through");
    REQUIRE(gains.size() == 2);
    REQUIRE(sources.size() == 2);
    for (std::size_t i = 0; i < 2; ++i) {
        // -20 against -30 dBm at the same frequency: whatever the cable takes there.
        CHECK(gains[i]->find_result("gain")->value.value == within(0.1, 10));
        REQUIRE(gains[i]->inputs.size() == 2);
        CHECK(gains[i]->inputs[0].source == sources[i]->id);
        CHECK(gains[i]->inputs[0].capture.sha256 == sources[i]->capture.sha256);
    }
    CHECK(rt::lab::verify_run(stand.folder / "run").altered.empty());
    CHECK(contains(rare_tally(stand.folder.path(), {"judge", "run", "--captures"}).out, "0 differ"));
    // The source measured again: what was made with it is made again, the other point stays.
    CHECK(again(stand, {"--redo", "1"}).code == 0);
    run = stand.record();
    gains = points(run, PointKind::point, "gain");
    REQUIRE(gains.size() == 2);
    sources = points(run, PointKind::point, "through");
    for (const auto* point : gains) {
        const auto source = std::find_if(sources.begin(), sources.end(),
                                         [&](const auto* s) { return s->id == point->inputs[0].source; });
        REQUIRE(source != sources.end());
        CHECK(point->inputs[0].capture.sha256 == (*source)->capture.sha256);
    }
}

TEST_CASE("an input that does not count leaves no verdict") {
    Stand stand;
    stand.own_rules = Stand::rule("gain", "gain", "dB", "min = \"9 dB\"");
    stand.tests = level("through", "-30 dBm") +
                  gain("inputs = { input = \"test:through\" }\n" + frequencies +
                       "[[test.judge]]\nrule = \"own/gain\"\n[[test.take]]\ninput = \"output\"\n");
    CHECK(stand.run({"--only", "gain"}).code == 4);
    auto run = stand.record();
    REQUIRE(run.points.size() == 2);
    CHECK(contains(run.points[0].findings.at(0).reason, "the input input from through is missing"));
    // An overloaded source makes a doubtful result.
    Stand loud;
    loud.own_rules = stand.own_rules;
    loud.tests = stand.tests;
    loud.simulation = "[[simulation.fault]]\nrole = \"power-meter\"\nkind = \"overload\"\ntimes = 1\n";
    CHECK(loud.run().code == 4);
    run = loud.record();
    const auto gains = points(run, PointKind::point, "gain");
    REQUIRE(gains.size() == 2);
    const auto sources = points(run, PointKind::point, "through");
    REQUIRE(sources.size() == 2);
    CHECK_FALSE(sources[0]->invalid.empty());
    for (std::size_t i = 0; i < 2; ++i) {
        const bool good = sources[i]->invalid.empty() && gains[i]->invalid.empty();
        CHECK(gains[i]->findings.at(0).verdict == (good ? Verdict::pass : Verdict::none));
    }
    CHECK_MESSAGE(contains(gains[0]->findings[0].reason, "does not count: "), gains[0]->findings[0].reason);
}

TEST_CASE("inputs of files go by name on the command line") {
    const TestFolder folder;
    const auto reading = [&](const std::string& name, const std::string& dbm) {
        folder.write(name, "sensor,frequency [Hz],level [dBm]\n1,1000000000," + dbm + "\n");
    };
    reading("in.csv", "-20"), reading("out.csv", "-8.5"), reading("none.csv", "-70");
    const Said said = rare_tally(folder.path(), {"measure", "power.gain", "output=out.csv", "input=in.csv",
                                                 "--limit", "gain >= 10 dB", "--json"});
    CHECK(said.code == 0);
    CHECK(json::parse(said.out)["results"][0]["value"] == about(11.5));
    CHECK(rare_tally(folder.path(),
                     {"measure", "power.gain", "in.csv", "output=none.csv", "--limit", "gain >= -99 dB"})
              .code == 4);
    for (const auto& [words, told] : std::vector<std::pair<std::vector<std::string>, std::string>>{
             {{"in.csv", "out.csv"}, "input=FILE output=FILE"},
             {{"in.csv"}, "needs the input \"output\""},
             {{"in.csv", "outptu=out.csv"}, "no input \"outptu\""},
             {{"input=in.csv", "output=missing.csv"}, "missing.csv"}}) {
        std::vector<std::string> call{"measure", "power.gain"};
        call.insert(call.end(), words.begin(), words.end());
        const Said bad = rare_tally(folder.path(), call);
        CHECK(bad.code == 2);
        CHECK_MESSAGE(contains(bad.err, told), bad.err);
    }
    CHECK(
        contains(rare_tally(folder.path(), {"measure", "power.level", "a=in.csv"}).err, "takes one capture"));
}

TEST_CASE("recorded captures, one file a point, are no two inputs of it") {
    Stand stand;
    stand.folder.write("rec/gain-1.csv", "sensor,frequency [Hz],level [dBm]\n1,1000000000,-20\n");
    stand.addresses["power-meter"] = "files:rec/{test}-{repeat}.csv";
    stand.tests =
        gain(Stand::axis("frequency", "values = [\"1 GHz\"]\nsets = [\"parameter.frequency\"]") + louder);
    const Said said = stand.call({"check", "campaign.toml"});
    CHECK(said.code == 2);
    CHECK_MESSAGE(contains(said.err, "cannot be two inputs"), said.err);
}

TEST_CASE("sources that are not there, or not told apart, are refused before anything moves") {
    const std::string takes = "[[test.take]]\ninput = \"output\"\n";
    for (const auto& [text, told] : std::vector<std::pair<std::string, std::string>>{
             {level("through", "-30 dBm") +
                  gain("inputs = { input = \"test:thru\" }\n" + frequencies + takes),
              "no test \"thru\""},
             {level("through", "-30 dBm") + gain("inputs = { input = \"through\" }\n" + frequencies + takes),
              "write \"test:NAME\""},
             {level("through", "-30 dBm") +
                  gain("inputs = { input = \"test:through\" }\n" +
                       Stand::axis("x", "values = [\"1 GHz\"]\nsets = [\"parameter.frequency\"]") + takes),
              "which of its 2 values"},
             {gain(frequencies), "needs the input \"output\""},
             {gain(frequencies + takes + takes), "comes from two places"},
             {gain(frequencies + "[[test.take]]\ninput = \"outptu\"\n"), "did you mean \"output\""},
             {gain(frequencies + takes + "settings = { level = \"1\" }\n"), "is no setting"},
             {gain(frequencies + takes + "instrument = \"meter\"\n"), "in the role \"meter\""},
             {level("a", "0 dBm") + gain("inputs = { input = \"test:gain\" }\n" + frequencies + takes),
              "on itself"}}) {
        Stand stand;
        stand.tests = text;
        const Said said = stand.call({"check", "campaign.toml"});
        CHECK(said.code == 2);
        CHECK_MESSAGE(contains(said.err, told), said.err);
    }
}
