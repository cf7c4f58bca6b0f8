// Axes whose values show during the run: lists of the bench, tables and conclusions of earlier tests.
#include <doctest/doctest.h>

#include "tests/about.hpp"
#include "tests/cli/stand.hpp"
#include "tests/cli/typist.hpp"

using rt::lab::PointKind;

namespace {

const std::string lanes = Stand::axis(
    "lane", "sets = [\"unit.mode\"]\nfrom_bench = { role = \"unit\", list = \"lanes\", most = 3 }");

Said again(const Stand& stand) {
    return rare_tally(stand.folder.path(), {"run", "--resume", "run", "--no-live", "--no-report"});
}

std::vector<std::string> labels(const rt::lab::RunRecord& run, const std::string& test) {
    std::vector<std::string> out;
    for (const auto* point : points(run, PointKind::point, test)) out.push_back(point->label);
    return out;
}

}  // namespace

TEST_CASE("an axis runs over what the unit lists; a run that is carried on keeps to the list it began with") {
    Stand stand;
    stand.unit_extra = "[lists]\nlanes = \"a, b\"\n";
    stand.tests = Stand::scanning("scan", lanes + "[[test.judge]]\nrule = \"own/loud\"\n");
    const Said checked = stand.call({"check", "campaign.toml"});
    CHECK(contains(checked.out, "at most 3 lanes that the unit lists"));
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 0, (said.out + said.err));
    CHECK(labels(stand.record(), "scan") == std::vector<std::string>{"lane=a", "lane=b"});
    REQUIRE(events(stand.record(), "found").size() == 1);
    CHECK(contains(events(stand.record(), "found")[0]->text, "unit lists the lanes a,b"));
    cut_off(stand.folder / "run", 1);
    // The unit has another list now: the run has its own.
    auto unit = rt::lab::read_file(stand.folder / "run/inputs/simulated-unit.toml");
    CHECK(contains(unit, "a, b"));
    CHECK(again(stand).code == 0);
    CHECK(labels(stand.record(), "scan") == std::vector<std::string>{"lane=a", "lane=b"});
    CHECK(events(stand.record(), "found").size() == 1);
    CHECK(contains(rare_tally(stand.folder.path(), {"judge", "run", "--captures"}).out, "0 differ"));
}

TEST_CASE("a list that is longer than wanted is cut and said to be; an empty one leaves the run open") {
    Stand stand;
    stand.unit_extra = "[lists]\nlanes = \"a, b, c, d, e\"\n";
    stand.tests = Stand::scanning("scan", lanes + "[[test.judge]]\nrule = \"own/loud\"\n");
    CHECK(stand.run().code == 0);
    CHECK(stand.record().points.size() == 3);
    CHECK(contains(events(stand.record(), "found").at(0)->text, "and more, which are left out"));
    Stand empty;
    empty.unit_extra = "[lists]\nlanes = \"\"\n";
    empty.tests = stand.tests;
    const Said said = empty.run();
    CHECK(said.code == 4);
    CHECK(contains(events(empty.record(), "nothing to measure").at(0)->text, "unit has given no lanes"));
    CHECK(empty.record().points.empty());
}

TEST_CASE("who cannot list is refused before anything moves") {
    Stand stand;
    stand.tests = Stand::scanning(
        "scan", Stand::axis("lane",
                            "sets = [\"unit.mode\"]\nfrom_bench = { role = \"supply\", list = "
                            "\"lanes\" }"));
    const Said said = stand.call({"check", "campaign.toml"});
    CHECK(said.code == 2);
    CHECK(contains(said.err, "its dialect has no command list_lanes"));
    stand.tests =
        Stand::scanning("scan", Stand::axis("lane",
                                            "sets = [\"unit.mode\"]\nvalues = [\"a\"]\nfrom_bench = { role = "
                                            "\"unit\", list = \"lanes\" }"));
    CHECK(contains(stand.call({"check", "campaign.toml"}).err, "exactly one of"));
}

TEST_CASE("an axis runs over a column of an earlier test's table, only over rows that are asked for") {
    Stand stand;
    stand.unit_extra = "[[line]]\nport = \"out\"\nfrequency = \"1.8 MHz\"\nlevel = \"66 dBuV\"\n";
    const auto tests = [](const std::string& from) {
        return "[[test]]\nname = \"look\"\nprocedure = \"spectrum.markers\"\nparameters = { start = \"1 "
               "MHz\", "
               "stop = \"2 MHz\", bandwidth = \"9 kHz\", dwell = \"100 us\", detector = \"peak\", points = "
               "\"201\" }\n"
               "[[test]]\nname = \"final\"\nprocedure = \"emission.scan\"\nparameters = { start = \"1 MHz\", "
               "bandwidth = \"9 kHz\", dwell = \"100 us\", detector = \"peak\", points = \"21\" }\n" +
               Stand::axis("stop",
                           "sets = [\"parameter.stop\"]\nfrom_test = { test = \"look\", " + from + " }") +
               "[[test.judge]]\nrule = \"own/loud\"\n";
    };
    stand.tests = tests("table = \"peaks\", column = \"frequency\", most = 2");
    const Said said = stand.run();
    CHECK_MESSAGE(said.code <= 1, (said.out + said.err));
    const auto found = labels(stand.record(), "final");
    REQUIRE_MESSAGE(found.size() == 2, (said.out + said.err));
    CHECK(found[0] != found[1]);
    Stand none;
    none.unit_extra = stand.unit_extra;
    none.tests = tests("table = \"peeks\", column = \"frequency\"");
    CHECK(none.run().code == 4);
    CHECK(contains(events(none.record(), "nothing to measure").at(0)->text, "frequency in a table peeks"));
    none.tests = tests("table = \"peaks\"");
    CHECK(contains(none.call({"check", "campaign.toml"}).err, "table and column go together"));
    none.tests = tests("result = \"highest_level\", where = { a = \"b\" }");
    const Said refused = none.call({"check", "campaign.toml"});
    CHECK_MESSAGE(contains(refused.err, "goes with table and column"), refused.err);
}

TEST_CASE("the operator chooses among what was found; a run that is carried on keeps to it") {
    Stand stand;
    stand.unit_extra = "[lists]\nlanes = \"a, b, c\"\n";
    stand.tests = Stand::scanning(
        "scan",
        Stand::axis(
            "lane",
            "sets = [\"unit.mode\"]\nfrom_bench = { role = \"unit\", list = \"lanes\", ask = true }"));
    stand.write();
    const std::vector<std::string> arguments{"run", "campaign.toml", "--out",
                                             "run", "--no-live",     "--no-report"};
    const Said said = at_terminal_lines(stand.folder.path(), arguments, {"7", "-2"});
    CHECK_MESSAGE(said.code == 0, said.out);
    CHECK(contains(said.out, "found lane: 1) a, 2) b, 3) c; Enter takes all"));
    CHECK(contains(said.out, "\"7\" is no number from 1 to 3"));
    CHECK(labels(stand.record(), "scan") == std::vector<std::string>{"lane=a", "lane=c"});
    CHECK(contains(events(stand.record(), "chosen").at(0)->text, "scan: a, c, out of 3 found"));
    cut_off(stand.folder / "run", 1);
    CHECK(again(stand).code == 0);  // nobody is asked once more
    CHECK(labels(stand.record(), "scan") == std::vector<std::string>{"lane=a", "lane=c"});
    CHECK(events(stand.record(), "chosen").size() == 1);
    std::filesystem::remove_all(stand.folder / "run");
    CHECK(stand.run().code == 0);  // nobody there
    CHECK(stand.record().points.size() == 3);
    CHECK(contains(events(stand.record(), "chosen").at(0)->text,
                   "nobody was there to choose; all 3 are taken"));
    std::filesystem::remove_all(stand.folder / "run");
    CHECK(at_terminal_lines(stand.folder.path(), arguments, {"stop"}).code == 4);
    CHECK(stand.record().points.empty());
}
