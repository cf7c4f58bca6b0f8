#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "tests/cli/world.hpp"

namespace {

// Wrong input: exit code 2, nothing on stdout, exactly one line on stderr, nothing made. Gives that line.
std::string wrong(const World& world) {
    const Said said = world.check();
    CHECK(said.code == 2);
    CHECK(said.out.empty());
    CHECK(lines(said.err) == 1);
    const Said run = world.run();  // a run stops at the same place, before it makes anything
    CHECK(run.code == 2);
    CHECK(run.err == said.err);
    CHECK_FALSE(std::filesystem::exists(world.folder / "run"));
    return said.err;
}

World with(std::string World::*part, const std::string& text) {
    World world;
    world.*part = text;
    return world;
}

}  // namespace

TEST_CASE("mistakes in several places are told in one go, and what only follows from them is not") {
    World world;
    const auto mention = [](const Said& said, const std::string& text) { return contains(said.err, text); };
    // Three tests are wrong in their own way, a fourth builds on one of them; the bench has a mistake too.
    world.sweep +=
        "[[test]]\nname = \"second\"\nprocedure = \"emission.scan\"\nparameters = { start = \"2 MHz\", stop "
        "= \"3 "
        "kg\" }\n"
        "[[test]]\nname = \"third\"\nprocedure = \"emission.scna\"\n"
        "[[test]]\nname = \"fourth\"\nprocedure = \"emission.scan\"\nspeed = 3\n"
        "[[conclude]]\nname = \"fifth\"\nprocedure = \"results.extremes\"\ntest = \"second\"\n";
    world.analyser += "impedanc = \"50 ohm\"\n";
    world.simulation += "[[path]]\nrole = \"analyser\"\n[[path.part]]\nname = \"pad\"\nloss = \"3 dB\"\n";
    const Said said = world.check();
    CHECK(said.code == 2);
    CHECK(said.out.empty());
    CHECK(mention(said, "parameter stop: \"3 kg\" has the unknown unit"));
    CHECK(mention(said, "stop"));
    CHECK(mention(said, "emission.scna"));
    CHECK(mention(said, "unknown key \"speed\""));
    CHECK(mention(said, "bench.toml"));
    CHECK(mention(said, "impedanc"));
    CHECK_FALSE(mention(said, "no instrument has the role"));
    CHECK_FALSE(mention(said, "\"second\""));
    CHECK(said.err.find("3 kg") < said.err.find("emission.scna"));
    CHECK(said.err.find("emission.scna") < said.err.find("speed"));
    CHECK_FALSE(mention(world.run(), "internal"));
    CHECK_FALSE(std::filesystem::exists(world.folder / "run"));
    // What is found when all is planned: both tests at once.
    World planned;
    planned.test.replace(planned.test.find("2 MHz"), 5, "0.5 MHz");
    planned.sweep +=
        "[[test]]\nname = \"second\"\nprocedure = \"emission.scan\"\nparameters = { start = \"2 MHz\", stop "
        "= \"1 "
        "MHz\" }\n";
    const Said both = planned.check();
    CHECK(both.code == 2);
    CHECK(lines(both.err) == 2);
}

TEST_CASE("check shows every point, the rules and the time") {
    const Said said = World().check();
    CHECK(said.code == 0);
    CHECK(said.err.empty());
    CHECK(contains(said.out, "  1  state=idle  1 MHz to 2 MHz, RBW 9 kHz, peak  cispr-32/mains-b-qp\n"));
    CHECK(contains(said.out, "  2  state=on "));
    CHECK(contains(said.out, "CISPR 32, ed. 2 (2015) + A1 (2019), Annex A, Table A.10"));
    CHECK(contains(said.out, "2 points, estimated measuring time 0 ms\n"));
    World slow;
    slow.test.replace(slow.test.find("100 us"), 6, "90 s");
    CHECK(contains(slow.check().out, "estimated measuring time 3 min 0 s\n"));
    const auto json = nlohmann::json::parse(World().call({"check", "campaign.toml", "--json"}).out);
    CHECK(json["points"] == 2);
    CHECK(json["tests"][0]["points"][1]["label"] == "state=on");
    CHECK(json["tests"][0]["points"][1]["id"].get<std::string>().size() == 16);
}

TEST_CASE("the three deliberately wrong campaigns of the demo") {
    const std::filesystem::path demo = std::filesystem::path(RT_SOURCE) / "demo";
    const auto check = [&](const char* name) {
        const Said said = rare_tally(demo, {"check", std::string("wrong/") + name + ".toml"});
        CHECK(said.code == 2);
        CHECK(lines(said.err) == 1);
        return said.err;
    };
    CHECK(check("reversed-range") ==
          "rare-tally: wrong/reversed-range.toml:19:11: key \"from\" in range: the range runs backwards: "
          "from 8 dBm to -8 dBm; "
          "write the lower end first\n");
    CHECK(check("unknown-key") ==
          "rare-tally: wrong/unknown-key.toml:13:1: unknown key \"proceedure\" in [[test]]: did you mean "
          "\"procedure\"?\n");
    CHECK(check("wrong-unit") ==
          "rare-tally: wrong/wrong-unit.toml:15:1: key \"parameters\" in [[test]]: parameter bandwidth: \"9 "
          "V\" is a voltage: "
          "write a frequency such as \"150 kHz\"\n");
}

TEST_CASE("broken files are named with line and column") {
    World world;
    const Said missing = world.call({"check", "nowhere.toml"});
    CHECK(missing.code == 2);
    CHECK(missing.err == "rare-tally: nowhere.toml: cannot be read: No such file or directory\n");
    CHECK(wrong(with(&World::head, "[campaign]\ntitle = \"small\nbench = \"bench.toml\"\n"))
              .starts_with("rare-tally: campaign.toml:2:15: not valid TOML: "));
    CHECK(wrong(with(&World::head, "[campaign]\ntitle = \"small\"\nbench = \"other.toml\"\n")) ==
          "rare-tally: other.toml: cannot be read: No such file or directory\n");
    CHECK(wrong(with(&World::head, "[campaign]\ntitle = \"small\"\n")).find("the campaign names no bench") !=
          std::string::npos);
}

TEST_CASE("sweeps that cannot be are named") {
    const auto sweep = [](const std::string& rest) {
        return wrong(with(&World::sweep, "[[test.sweep]]\naxis = \"state\"\nsets = [\"unit\"]\n" + rest));
    };
    CHECK(contains(sweep("values = []\n"), "the sweep is empty: axis \"state\" has no values"));
    CHECK(contains(sweep(""),
                   "give the axis exactly one of values, range, values_from, channels, channel_set, "
                   "carriers, from_test, from_bench, dies_of, devices_of or search"));
    CHECK(contains(sweep("range = { from = \"5 V\", to = \"1 V\", step = \"1 V\" }\n"),
                   "the range runs backwards: from 5 V to 1 V"));
    CHECK(contains(sweep("range = { from = \"1 V\", to = \"2 kHz\", step = \"1 V\" }\n"),
                   "\"2 kHz\" is a frequency: write a voltage"));
    CHECK(contains(sweep("range = { from = \"1 Hz\", to = \"2 MHz\", step = \"1 Hz\" }\n"),
                   "the range has more than 1000000 values"));
    CHECK(contains(sweep("range = { from = \"1 Hz\", to = \"2 kHz\", step = \"1 Hz\" }\n[[test.sweep]]\naxis "
                         "= \"mode\"\nsets = [\"unit\"]\n"
                         "range = { from = \"1 V\", to = \"600 V\", step = \"1 V\" }\n"),
                   "the sweep has 1200000 points, more than 1000000"));
    CHECK(contains(sweep("values = [1, 1]\n"), "axis \"state\" holds \"1\" twice"));
    CHECK(contains(sweep("channels = [11]\n"), "channel numbers need a plan"));
    CHECK(contains(sweep("channels = [27]\nplan = \"ieee-802.15.4/oqpsk-2450\"\n"),
                   "channel 27 is not in the plan oqpsk-2450, which has 11 to 26"));
    CHECK(contains(sweep("channels = [11]\nplan = \"ieee-802.15.4/oqpsk-2540\"\n"),
                   "did you mean \"oqpsk-2450\"?"));
    CHECK(contains(
        wrong(with(&World::sweep, "[[test.sweep]]\naxis = \"a\"\nvalues = [1]\nsets = [\"units\"]\n")),
        "\"units\" is nothing to set"));
    CHECK(contains(
        wrong(with(&World::sweep,
                   "[[test.sweep]]\naxis = \"a\"\nvalues = [\"9 V\"]\nsets = [\"parameter.bandwidth\"]\n")),
        "parameter bandwidth: \"9 V\" is a voltage"));
    CHECK(contains(
        wrong(with(&World::sweep, "[[test.sweep]]\naxis = \"colour\"\nvalues = [1]\nsets = [\"unit\"]\n")),
        "sets \"colour\" of the unit: dialect unit-control has no command set_colour"));
}

TEST_CASE("sets of channels, files of values, coupled axes, decades and skipped points") {
    const auto points = [](World world, const std::string& sweep) {
        world.sweep = sweep;
        const Said said = world.check();
        CAPTURE(said.err);
        CHECK(said.code == 0);
        return said.out;
    };
    const std::string set =
        "[[test.sweep]]\naxis = \"mode\"\nsets = [\"unit\"]\nplan = "
        "\"ieee-802.15.4/oqpsk-2450\"\nchannel_set = ";
    CHECK(contains(points(World(), set + "\"low-middle-high\"\n"), "3 points"));
    CHECK(contains(points(World(), set + "\"all\"\n"), "16 points"));
    CHECK(contains(points(World(),
                          "[[test.sweep]]\naxis = \"bandwidth\"\nsets = [\"parameter.bandwidth\"]\n"
                          "range = { from = \"1 kHz\", to = \"100 kHz\", per_decade = 2 }\n"),
                   "bandwidth=3.16228 kHz"));
    World file;
    file.folder.write("levels.csv", "# made by hand\nname,level [mV]\na,1\nb,2.5\n");
    const std::string from =
        "[[test.sweep]]\naxis = \"level\"\nsets = [\"unit\"]\nvalues_from = { file = \"levels.csv\", column "
        "= ";
    const std::string names =
        "[[test.sweep]]\naxis = \"mode\"\nsets = [\"unit\"]\ncoupled = true\nvalues_from = { file = "
        "\"levels.csv\", column = \"name\" }\n";
    const std::string both = points(std::move(file), from + "\"level\" }\n" + names);
    CHECK(contains(both, "level=1 mV, mode=a "));
    CHECK(contains(both, "level=2.5 mV, mode=b "));
    CHECK(contains(both, "2 points"));
    World wrong_column;
    wrong_column.folder.write("levels.csv", "name,level [mV]\na,x\n");
    wrong_column.sweep = from + "\"levels\" }\n";
    CHECK(contains(wrong(wrong_column), "levels.csv: has no column \"levels\": did you mean \"level\"?"));
    wrong_column.sweep = from + "\"level\" }\n";
    CHECK(contains(wrong(wrong_column), "levels.csv, row 2, column 2: \"x\" is not a number"));
    World skip;
    skip.test += "skip = [{ state = \"idle\" }]\n";
    CHECK(contains(skip.check().out, "1 point, "));
    skip.test.replace(skip.test.find("\"idle\" }"), 6, "\"odd\"");
    CHECK(contains(wrong(skip), "axis state has no value \"odd\""));
}

TEST_CASE("rules, conditions and instruments that do not exist are named") {
    CHECK(contains(wrong(with(&World::judge, "[[test.judge]]\nrule = \"cispr-32/mains-b-pq\"\n")),
                   "did you mean \"mains-b-qp\"?"));
    CHECK(contains(wrong(with(&World::judge, "[[test.judge]]\nrule = \"ieee-802.15.4/oqpsk-psd-mask\"\n")),
                   "judges \"psd\", but procedure emission.scan gives emission"));
    CHECK(contains(wrong(with(&World::judge,
                              "[[test.judge]]\nrule = \"cispr-32/mains-b-qp\"\nwhen = { stat = \"on\" }\n")),
                   "no axis \"stat\": did you mean \"state\"?"));
    CHECK(
        contains(wrong(with(&World::judge,
                            "[[test.judge]]\nrule = \"cispr-32/mains-b-qp\"\nwhen = { state = \"off\" }\n")),
                 "axis state has no value \"off\""));
    World receiver;
    receiver.test += "instrument = \"receiver\"\n";
    CHECK(contains(wrong(receiver),
                   "needs an instrument in the role \"receiver\", the bench bench.toml has none"));
    CHECK(contains(wrong(with(&World::analyser, "address = \"isdn://5\"\n")),
                   "\"isdn://5\" is no address: write \"tcp://host:port\", \"hislip://host\""));
    CHECK(contains(wrong(with(&World::simulation, "")),
                   "the address is \"simulated\" but the bench has no [simulation] section"));
    World twice;
    twice.sweep += twice.test;
    CHECK(contains(wrong(twice), "\"scan\" is the name of an earlier test"));
}

TEST_CASE("a campaign's own rulebook and a changed parameter") {
    World world;
    world.head += "rulebooks = [\"mine.toml\"]\n";
    world.judge = "[[test.judge]]\nrule = \"mine/level\"\n";
    world.folder.write(
        "mine.toml",
        "[rulebook]\nid = \"mine\"\ntitle = \"t\"\nstandard = \"house rules\"\nedition = \"1\"\nbasis = "
        "\"lab\"\n[[rule]]\n"
        "id = \"level\"\ntitle = \"t\"\nclause = \"1\"\nquantity = \"level\"\napplies_to = "
        "\"emission\"\nunit = \"dBuV\"\n"
        "kind = \"line\"\nconfidence = \"sure\"\nbandwidth = \"10 kHz\"\npresets = { dwell = \"1 s\" }\n"
        "pieces = [{ from = \"1 MHz\", to = \"2 MHz\", limit = \"50 dBuV\" }]\n");
    CHECK(contains(world.check().out, "mine/level"));
    const Said run = world.run();
    CHECK(run.code == 0);
    const auto json = nlohmann::json::parse(rt::lab::read_file(world.folder / "run/report/results.json"));
    const auto deviations = json["findings"][0]["deviations"];
    REQUIRE(deviations.size() == 2);
    CHECK(deviations[0] == "dwell 100 us instead of 1 s");
    CHECK(deviations[1] == "resolution bandwidth 9 kHz instead of 10 kHz");
    CHECK(contains(rt::lab::read_file(world.folder / "run/report/report.html"), "not per the standard"));
    CHECK(std::filesystem::exists(world.folder / "run/inputs/rulebooks/mine.toml"));
}

TEST_CASE("check tells what would be marked or missed in the report, and how long people take") {
    CHECK(contains(World().check().out, "attention: the bench states no calibration_due for the analyser"));
    const auto said = [](const std::string& from, const std::string& to) {
        World world;
        world.analyser += "calibration_due = 2036-01-31\n";
        world.test.replace(world.test.find(from), from.size(), to);
        return world.check().out;
    };
    CHECK_FALSE(contains(said("scan", "scan"), "calibration_due"));
    const std::string prompted = said("[[test]]", "[[test]]\nprompt = \"connect the port\"");
    CHECK(contains(prompted, "2 points, estimated time 30"));
    CHECK(contains(prompted, " to 3 min 0 s: measuring 0 ms, 1 prompt"));
}
