// Every two features together, generated: kind of capture x path x decision x repeats x when x shape of the
// test x slow axis x what happens afterwards. The truth is that of the simulated world: one value of the axis
// is good by far, the other bad by far, whatever the path and the decision.
#include <doctest/doctest.h>

#include <algorithm>
#include <array>
#include <set>

#include "lab/tally/chain.hpp"
#include "tests/about.hpp"
#include "tests/cli/stand.hpp"

using rt::Verdict;
using rt::lab::PointKind;

namespace {

struct Kind {
    const char* name;
    const char* role;    // that a path goes to; "" for kinds that no path changes
    std::string test;    // up to its axis
    std::string axis;    // name
    std::string values;  // the good one, the bad one
    std::string sets;
    std::string result, unit;
    double good, bad;  // what they read at the unit without a path
    double tolerance;
};

const std::array<Kind, 4> kinds{
    Kind{"sweep", "analyser", Stand::scanning("t", ""), "state", "\"idle\", \"loud\"", "unit",
         "highest_level", "dBuV", 50, 70, 0.5},
    Kind{"samples", "analyser",
         "[[test]]\nname = \"t\"\nprocedure = \"spectrum.density\"\nparameters = { centre = \"1.5 MHz\", "
         "sample_rate = \"1 MHz\", duration = "
         "\"20 ms\", reference_level = \"-20 dBm\" }\n",
         "state", "\"idle\", \"loud\"", "unit", "total_power", "dBm", 50 - 106.99, 70 - 106.99, 0.5},
    Kind{"power", "power-meter",
         "[[test]]\nname = \"t\"\nprocedure = \"power.level\"\ninstrument = \"power-meter\"\nparameters = { "
         "frequency = \"1 GHz\" }\nsettings = "
         "{ \"generator.output\" = \"ON\", \"generator.frequency\" = \"1 GHz\" }\n",
         "level", "\"-30 dBm\", \"-10 dBm\"", "generator.level", "power", "dBm", -32, -12, 0.2},
    Kind{"counts", "", Stand::counting("t", ""), "level", "\"-80 dBm\", \"-96 dBm\"", "generator.level",
         "packet_error_ratio", "%", 0, 100, 3},
};

enum Factor { kind, path, decision, repeats, when, shape, slow, after, factors };
constexpr std::array<int, factors> levels{4, 2, 2, 2, 2, 3, 2, 3};
enum Shape { plain, maximised, concluded };
enum After { nothing, cut, redo };
using Row = std::array<int, factors>;

bool possible(const Row& row) {
    return row[kind] != 3 || row[path] == 0;  // counts have no level that a path could change
}

using Pair = std::array<int, 4>;  // factor, level, factor, level

std::set<Pair> pairs_of(const Row& row) {
    std::set<Pair> out;
    for (int a = 0; a < factors; ++a) {
        for (int b = a + 1; b < factors; ++b)
            out.insert({a, row[static_cast<std::size_t>(a)], b, row[static_cast<std::size_t>(b)]});
    }
    return out;
}

// Rows that hold every possible pair: each time the one that holds most of those left.
std::vector<Row> covering() {
    std::vector<Row> all;
    Row row{};
    for (;;) {
        if (possible(row)) all.push_back(row);
        std::size_t at = 0;
        while (at < factors && ++row[at] == levels[at]) row[at++] = 0;
        if (at == factors) break;
    }
    std::set<Pair> left;
    for (const auto& one : all) left.merge(pairs_of(one));
    std::vector<Row> out;
    while (!left.empty()) {
        const auto fresh = [&](const Row& one) {
            const auto pairs = pairs_of(one);
            return std::count_if(pairs.begin(), pairs.end(),
                                 [&](const Pair& pair) { return left.contains(pair); });
        };
        const auto best = std::max_element(all.begin(), all.end(),
                                           [&](const Row& a, const Row& b) { return fresh(a) < fresh(b); });
        for (const auto& pair : pairs_of(*best)) left.erase(pair);
        out.push_back(*best);
    }
    return out;
}

Said again(const Stand& stand, std::vector<std::string> more) {
    more.insert(more.begin(), {"run", "--resume", "run", "--no-live", "--no-report"});
    return rare_tally(stand.folder.path(), more);
}

Stand stand_of(const Row& row) {
    const Kind& k = kinds[static_cast<std::size_t>(row[kind])];
    const double loss = row[path] ? 10 : 0, limit = (k.good + k.bad) / 2 + loss;
    const std::string most = "max = \"" + std::to_string(limit) + " " + k.unit + "\"";
    Stand stand;
    stand.own_rules =
        Stand::rule("most", k.result, k.unit, most) + Stand::rule("greatest", "greatest", k.unit, most);
    if (row[decision]) stand.campaign_keys = "decision = \"guarded\"\n";
    if (row[path])
        stand.paths = std::string("[[path]]\nrole = \"") + k.role +
                      "\"\n[[path.part]]\nname = \"p\"\nloss = \"10 dB\"\n";
    const std::string unit = k.unit == "%" ? "%" : "dB";
    stand.paths += "[[uncertainty]]\nname = \"u\"\napplies_to = [\"" + k.result +
                   "\", \"greatest\"]\nunit = \"" + unit +
                   "\"\n[[uncertainty.contribution]]\nname = "
                   "\"c\"\nvalue = \"0.5 " +
                   unit + "\"\ndistribution = \"normal\"\n";
    std::string test = k.test;
    if (row[repeats]) test += "repeats = 2\n";
    if (row[shape] == maximised) test += "maximise_result = \"" + k.result + "\"\n";
    test += Stand::axis(k.axis, "values = [" + k.values + "]\nsets = [\"" + k.sets + "\"]\n" +
                                    (row[slow] ? "slow = true" : ""));
    if (row[shape] == maximised)
        test +=
            "[[test.maximise]]\naxis = \"angle\"\nsets = [\"table.angle\"]\nfrom = \"0 deg\"\nto = \"20 "
            "deg\"\ncoarse = \"10 deg\"\nfine = \"5 deg\"\n";
    test += "[[test.judge]]\nrule = \"own/most\"\n";
    const std::string bad = k.values.substr(k.values.find(", ") + 2);
    if (row[when]) test += "when = { " + k.axis + " = " + bad + " }\n";
    if (row[shape] == concluded)
        test += "[[conclude]]\nname = \"c\"\nprocedure = \"results.extremes\"\ntest = \"t\"\nover = \"" +
                k.axis + "\"\nparameters = { result = \"" + k.result +
                "\" }\n[[conclude.judge]]\nrule = \"own/greatest\"\n";
    stand.tests = test;
    return stand;
}

void check_record(const Row& row, const rt::lab::RunRecord& run) {
    const Kind& k = kinds[static_cast<std::size_t>(row[kind])];
    const double loss = row[path] ? 10 : 0;
    std::size_t good = 0, bad = 0;
    for (const auto* point : points(run, PointKind::point, "t")) {
        CAPTURE(point->label);
        REQUIRE_MESSAGE(point->find_result(k.result), point->invalid);
        const bool is_good = k.values.find("\"" + point->axes.front().second + "\"") == 0;
        ++(is_good ? good : bad);
        CHECK(point->find_result(k.result)->value.value ==
              within(k.tolerance, (is_good ? k.good : k.bad) + loss));
        const bool judged = !is_good || !row[when];
        REQUIRE(point->findings.size() == (judged ? 1U : 0U));
        if (!judged) continue;
        CHECK_MESSAGE(point->findings[0].verdict == (is_good ? Verdict::pass : Verdict::fail),
                      point->findings[0].reason);
        CHECK(point->findings[0].guard.has_value() == (row[decision] == 1));
    }
    const std::size_t each = row[repeats] ? 2 : 1;
    CHECK(good == each);
    CHECK(bad == each);
    const auto drawn = points(run, PointKind::point, "c");
    CHECK(drawn.size() == (row[shape] == concluded ? 1U : 0U));
    for (const auto* point : drawn) {
        REQUIRE_MESSAGE(point->find_result("greatest"), point->invalid);
        CHECK(point->find_result("greatest")->value.value == within(k.tolerance, k.bad + loss));
        CHECK(point->findings.at(0).verdict == Verdict::fail);
    }
    std::set<std::string> ids;
    for (const auto& point : run.points) CHECK(ids.insert(point.id).second);
}

}  // namespace

TEST_CASE("every two features work together, and say what is so") {
    const auto rows = covering();
    CHECK(rows.size() >= 12);
    CHECK(rows.size() <= 20);
    for (const Row& row : rows) {
        const Stand stand = stand_of(row);
        std::string what = kinds[static_cast<std::size_t>(row[kind])].name;
        for (int f = path; f < factors; ++f) what += " " + std::to_string(row[static_cast<std::size_t>(f)]);
        CAPTURE(what);
        const Said said = stand.run();
        REQUIRE_MESSAGE(said.code == 1, said.err);
        check_record(row, stand.record());
        const std::size_t before = stand.record().points.size();
        if (row[after] == cut) {
            cut_off(stand.folder / "run", 1);
            const Said resumed = again(stand, {});
            CHECK_MESSAGE(resumed.code == 1, resumed.err);
            check_record(row, stand.record());
        }
        if (row[after] == redo) {
            const Said redone = again(stand, {"--redo", "t"});
            CHECK_MESSAGE(redone.code == 1, redone.err);
            const auto run = stand.record();
            check_record(row, run);
            // A conclusion is drawn again only when its table differs: readings and times may be the same.
            for (const auto* point : points(run, PointKind::point, "t")) CHECK(point->attempt == 2);
            CHECK(run.points.size() == before);
        }
        CHECK(rt::lab::verify_run(stand.folder / "run").altered.empty());
        const Said judged = rare_tally(stand.folder.path(), {"judge", "run", "--captures"});
        CHECK_MESSAGE(contains(judged.out, "0 differ"), judged.out << judged.err);
    }
}
