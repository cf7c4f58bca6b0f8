// Campaigns in parts: shared sweeps, tests like others, included files, tests that apply to some units.
#include <doctest/doctest.h>

#include "tests/cli/stand.hpp"

using rt::lab::PointKind;

namespace {

const std::string levels =
    "[[sweep]]\nname = \"levels\"\naxis = \"level\"\nvalues = [\"-80 dBm\", \"-70 dBm\"]\nsets = "
    "[\"generator.level\"]\n";
const std::string modes =
    "[[sweep]]\nname = \"modes\"\naxis = \"mode\"\nvalues = [\"a\", \"b\"]\nsets = [\"unit\"]\n";

std::string details(const Stand& stand, const std::string& more) {
    stand.write();
    std::string campaign = rt::lab::read_file(stand.folder / "campaign.toml");
    campaign.insert(campaign.find("serial = \"7\"\n") + 13, more);
    stand.folder.write("campaign.toml", campaign);
    return campaign;
}

Said run(const Stand& stand) {
    return rare_tally(stand.folder.path(),
                      {"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"});
}

}  // namespace

TEST_CASE("sweeps are shared by name, before a test's own, and tests are like others") {
    Stand stand;
    stand.tests = levels + modes + Stand::counting("one", "sweeps = [\"modes\", \"levels\"]\n") +
                  "[[test]]\nname = \"two\"\nlike = \"one\"\nparameters = { packets = \"50\" }\nsettings = { "
                  "\"generator.frequency\" = \"2 GHz\" }\n" +
                  Stand::counting("three", "sweeps = [\"levels\"]\n" +
                                               Stand::axis("mode", "values = [\"b\"]\nsets = [\"unit\"]"));
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 0, said.err);
    const auto record = stand.record();
    const auto one = points(record, PointKind::point, "one"), two = points(record, PointKind::point, "two"),
               three = points(record, PointKind::point, "three");
    REQUIRE(one.size() == 4);
    REQUIRE(two.size() == 4);
    REQUIRE(three.size() == 2);
    CHECK(one[0]->label == "mode=a, level=-80 dBm");
    CHECK(two[0]->label == one[0]->label);
    CHECK(three[0]->label == "level=-80 dBm, mode=b");
    const auto packets = [](const rt::lab::PointRecord& point) {
        for (const auto& [name, value] : point.parameters) {
            if (name == "packets") return value;
        }
        return std::string();
    };
    CHECK(packets(*one[0]) == "100");
    CHECK(packets(*two[0]) == "50");
}

TEST_CASE("an included file brings its tests, is kept with the run, and carries it on") {
    Stand stand;
    stand.folder.write("link.toml", levels + Stand::counting("link", "sweeps = [\"levels\"]\n") +
                                        "[[conclude]]\nname = \"worst\"\nprocedure = "
                                        "\"results.extremes\"\ntest = \"link\"\nparameters = { "
                                        "result = \"packet_error_ratio\" }\n");
    stand.campaign_keys = "include = [\"link.toml\"]\n";
    stand.tests = Stand::counting("own", "sweeps = [\"levels\"]\n");
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 0, said.err);
    auto record = stand.record();
    CHECK(points(record, PointKind::point, "link").size() == 2);
    CHECK(points(record, PointKind::point, "own").size() == 2);
    CHECK(points(record, PointKind::point, "worst").size() == 1);
    CHECK(record.points.front().test == "link");
    // The run carries itself: the files beside it may be gone.
    std::filesystem::remove(stand.folder / "link.toml");
    std::filesystem::remove(stand.folder / "campaign.toml");
    const Said resumed = rare_tally(stand.folder.path(),
                                    {"run", "--resume", "run", "--redo", "link", "--no-live", "--no-report"});
    CHECK_MESSAGE(resumed.code == 0, resumed.err);
    record = stand.record();
    CHECK(points(record, PointKind::point, "link")[0]->attempt == 2);
    // Errors name the file that they stand in.
    Stand wrong;
    wrong.folder.write("part.toml", Stand::counting("link", "sweeps = [\"levles\"]\n") + levels);
    wrong.campaign_keys = "include = [\"part.toml\"]\n";
    const Said bad = wrong.call({"check", "campaign.toml"});
    CHECK(bad.code == 2);
    CHECK_MESSAGE(contains(bad.err, "part.toml:"), bad.err);
    CHECK(contains(bad.err, "did you mean \"levels\""));
}

TEST_CASE("tests apply to units that declare so; what is left out, and what builds on it, is told") {
    Stand stand;
    stand.tests = Stand::counting("two-lanes", "applies = { \"unit.lanes\" = \"2 or 4\" }\n") +
                  Stand::counting("one-lane", "applies = { \"unit.lanes\" = \"1\" }\n") +
                  "[[conclude]]\nname = \"one-lane-spread\"\nprocedure = \"results.extremes\"\ntest = "
                  "\"one-lane\"\nparameters = { result = "
                  "\"packet_error_ratio\" }\n";
    details(stand, "details = { lanes = \"4\" }\n");
    const Said checked = rare_tally(stand.folder.path(), {"check", "campaign.toml"});
    CHECK(checked.code == 0);
    CHECK(contains(checked.out, "one-lane: it applies where lanes is 1, this unit has 4"));
    CHECK(contains(checked.out, "one-lane-spread: it builds on one-lane, which is left out"));
    CHECK(run(stand).code == 0);
    const auto record = stand.record();
    REQUIRE(record.tests.size() == 1);
    CHECK(record.tests[0].name == "two-lanes");
    const Said only = rare_tally(stand.folder.path(), {"check", "campaign.toml", "--only", "one-lane"});
    CHECK(only.code == 2);
    CHECK_MESSAGE(contains(only.err, "is left out"), only.err);
    // A unit that says nothing is asked; one that none applies to is told.
    Stand silent;
    silent.tests = stand.tests;
    CHECK(contains(silent.call({"check", "campaign.toml"}).err, "the unit states no \"lanes\""));
    Stand none;
    none.tests = stand.tests;
    details(none, "details = { lanes = \"8\" }\n");
    CHECK(contains(rare_tally(none.folder.path(), {"check", "campaign.toml"}).err,
                   "none of the tests applies"));
}

TEST_CASE("names of sweeps and tests that are not there are told with the nearest") {
    for (const auto& [text, told] : std::vector<std::pair<std::string, std::string>>{
             {levels + Stand::counting("one", "sweeps = [\"level\"]\n"), "did you mean \"levels\""},
             {levels + levels + Stand::counting("one", ""), "the name of an earlier sweep"},
             {Stand::counting("one", "") + "[[test]]\nname = \"two\"\nlike = \"oen\"\n",
              "did you mean \"one\""},
             {levels + Stand::counting("one", "sweeps = [\"levels\", \"levels\"]\n"), "level"},
             {Stand::counting("one", "applies = { lanes = \"4\" }\n"), "write \"unit.NAME\""}}) {
        Stand stand;
        stand.tests = text;
        const Said said = stand.call({"check", "campaign.toml"});
        CHECK(said.code == 2);
        CHECK_MESSAGE(contains(said.err, told), said.err);
    }
}

TEST_CASE(
    "check tells of a setting that a sweep leaves where it ended, once for each, unless a test sets it") {
    Stand stand;
    const std::string modes = Stand::axis("mode", "sets = [\"unit\"]\nvalues = [\"a\", \"b\"]");
    stand.tests = Stand::scanning("first", modes) + Stand::scanning("second", "") +
                  Stand::scanning("third", "") +
                  Stand::scanning("fourth", "settings = { \"unit.mode\" = \"a\" }\n");
    const Said checked = stand.call({"check", "campaign.toml"});
    CHECK(checked.code == 0);
    const std::string all = checked.out + checked.err;
    CHECK_MESSAGE(contains(all,
                           "unit.mode, which first leaves at b, is not set by second and third: set it there "
                           "or in campaign.settings"),
                  all);
    CHECK_FALSE(contains(all, "fourth: set it there"));
    // One value moves nothing, and what all tests set is left nowhere.
    Stand still;
    still.tests = Stand::scanning("first", Stand::axis("mode", "sets = [\"unit\"]\nvalues = [\"a\"]")) +
                  Stand::scanning("second", "");
    const Said quiet = still.call({"check", "campaign.toml"});
    CHECK_FALSE(contains(quiet.out + quiet.err, "is not set by"));
}

TEST_CASE("runs whose tests have one name and rules of different books join in one report") {
    Stand one;
    one.tests =
        Stand::scanning("scan", Stand::axis("state", "values = [\"idle\", \"loud\"]\nsets = [\"unit\"]")) +
        "[[test.judge]]\nrule = \"own/loud\"\n";
    CHECK(one.run().code == 1);
    Stand other;
    other.tests =
        Stand::counting(
            "scan",
            Stand::axis(
                "level",
                "values = [\"-60 dBm\", \"-70 dBm\"]\nunit = \"dBm\"\nsets = [\"generator.level\"]")) +
        "[[test.judge]]\nrule = \"bluetooth-le/packet-error\"\n";
    other.write();
    CHECK(other.run().code <= 1);
    for (const bool turned : {false, true}) {
        const std::string a = (one.folder / "run").string(), b = (other.folder / "run").string();
        const Said joined =
            one.call({"report", turned ? b : a, turned ? a : b, "--out", turned ? "joined-2" : "joined"});
        CHECK_MESSAGE(joined.code == 0, joined.err);
    }
}
