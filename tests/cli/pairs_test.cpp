// Features two at a time, on the simulated bench: what each does alone is tested elsewhere.
#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "core/base/text.hpp"
#include "lab/formats/csv_table.hpp"
#include "tests/about.hpp"
#include "tests/cli/stand.hpp"

using nlohmann::json;
using rt::Verdict;
using rt::lab::PointKind;

namespace {

Said again(const Stand& stand, std::vector<std::string> more) {
    more.insert(more.begin(), {"run", "--resume", "run", "--no-live", "--no-report"});
    return rare_tally(stand.folder.path(), more);
}

std::string path_of(const std::string& role, const std::string& part) {
    return "[[path]]\nrole = \"" + role + "\"\n[[path.part]]\nname = \"p\"\n" + part + "\n";
}

// One test of each kind that a path can correct, on the same line of 50 dBuV at 1.5 MHz or what the generator
// sends.
const std::string by_sweep = Stand::scanning("sweep", "settings = { \"unit.state\" = \"idle\" }\n");
const std::string by_samples =
    "[[test]]\nname = \"samples\"\nprocedure = \"emission.final\"\nsettings = { \"unit.state\" = \"idle\" }\n"
    "parameters = { frequency = \"1.5 MHz\", bandwidth = \"9 kHz\", detector = \"peak\", dwell = \"1 ms\" "
    "}\n";
const std::string by_power =
    "[[test]]\nname = \"power\"\nprocedure = \"power.level\"\ninstrument = \"power-meter\"\n"
    "parameters = { frequency = \"1 GHz\" }\nsettings = { \"generator.output\" = \"ON\", "
    "\"generator.frequency\" = \"1 GHz\", \"generator.level\" = \"-10 dBm\" }\n";
const std::string by_iq =
    "[[test]]\nname = \"iq\"\nprocedure = \"spectrum.density\"\nsettings = { \"unit.state\" = \"idle\" }\n"
    "parameters = { centre = \"1.5 MHz\", sample_rate = \"1 MHz\", duration = \"20 ms\", reference_level = "
    "\"-40 dBm\" }\n";

double first(const rt::lab::RunRecord& run, const std::string& test, const std::string& result) {
    const auto all = points(run, PointKind::point, test);
    REQUIRE(all.size() == 1);
    REQUIRE_MESSAGE(all[0]->find_result(result), all[0]->invalid);
    return all[0]->find_result(result)->value.value;
}

}  // namespace

TEST_CASE("path x kind: every kind reads higher by what the path takes, or is refused before the run") {
    Stand bare, through;
    bare.tests = through.tests = by_sweep + by_power + by_iq;
    through.paths = path_of("analyser", "loss = \"10 dB\"") + path_of("power-meter", "loss = \"10 dB\"");
    CHECK(bare.run().code == 0);
    CHECK(through.run().code == 0);
    const auto before = bare.record(), after = through.record();
    const auto rise = [&](const char* test, const char* result) {
        return first(after, test, result) - first(before, test, result);
    };
    CHECK(rise("sweep", "highest_level") == about(10).epsilon(1e-6));
    CHECK(rise("power", "power") == about(10).epsilon(1e-3));
    CHECK(rise("iq", "total_power") == about(10).epsilon(1e-6));
    // What was applied stays with each capture, and they are measured again from there.
    for (const auto& point : after.points) {
        const std::string text = rt::lab::read_file(through.folder / "run" / point.capture.file);
        CHECK(contains(text, point.test == "iq" ? "\"tally:path_db\": 10" : "correction [dB]"));
    }
    for (const auto& [role, part, test, word] :
         {std::tuple{"counter", "loss = \"1 dB\"", Stand::counting("c", ""), "no level"},
          {"power-meter", "kind = \"antenna\"\ntable = \"antenna.csv\"", by_power, "field strength"},
          {"analyser", "kind = \"antenna\"\ntable = \"antenna.csv\"", by_iq, "field strength"}}) {
        Stand refused;
        refused.folder.write("antenna.csv", "frequency [MHz],factor [dB/m]\n0.1,5\n20000,9\n");
        refused.tests = test;
        refused.paths = path_of(role, part);
        const Said said = refused.call({"check", "campaign.toml"});
        CHECK(said.code == 2);
        CHECK_MESSAGE(contains(said.err, word), said.err);
    }
}

TEST_CASE("maximise x no parameters of trials x rule: the point is measured and judged") {
    Stand stand;
    stand.unit_extra = "[[pattern]]\nport = \"out\"\nfront = \"100 deg\"\ndepth = \"20 dB\"\n";
    stand.tests =
        Stand::scanning("scan",
                        "settings = { \"unit.state\" = \"loud\" }\nmaximise_result = \"highest_level\"\n"
                        "[[test.maximise]]\naxis = \"azimuth\"\nsets = [\"table.angle\"]\nfrom = \"0 deg\"\n"
                        "to = \"330 deg\"\ncoarse = \"60 deg\"\nfine = \"20 deg\"\n"
                        "[[test.judge]]\nrule = \"own/loud\"\n");
    CHECK(stand.run().code == 1);  // 70 dBuV of 60
    const auto run = stand.record();
    const auto judged = points(run, PointKind::point);
    REQUIRE(judged.size() == 1);
    REQUIRE(judged[0]->findings.size() == 1);
    CHECK(judged[0]->findings[0].verdict == Verdict::fail);
    CHECK(judged[0]->axes[0].second == "100 °");
    for (const auto* trial : points(run, PointKind::trial)) {
        CHECK(trial->findings.empty());
        CHECK(trial->parent == judged[0]->parent);
    }
}

TEST_CASE("a point that rules apply to and that ends without a finding is never exit 0") {
    // A tally whose findings were never written, as a fault of our own would leave it: the run says so.
    Stand stand;
    stand.tests = Stand::scanning("scan", "repeats = 2\n") + "[[test.judge]]\nrule = \"own/loud\"\n";
    CHECK(stand.run().code == 0);
    alter(stand.folder / "run", "DELETE FROM finding WHERE point = 2");
    rechain(stand.folder / "run");
    const Said said = again(stand, {});
    CHECK(said.code == 4);
    CHECK(contains(said.err, "without finding: 1 point has rules and no finding, scan: (repeat 2)"));
    // One that only selects candidates is none of these.
    Stand selecting;
    selecting.tests =
        Stand::scanning("scan", "selects_only = true\n") + "[[test.judge]]\nrule = \"own/loud\"\n";
    CHECK(selecting.run().code == 0);
    CHECK(selecting.record().points[0].findings.empty());
}

TEST_CASE("repeats x search x redo: each conclusion keeps its own trials") {
    Stand stand;
    stand.tests =
        Stand::counting(
            "sens",
            "repeats = 2\n" + Stand::axis("level",
                                          "sets = [\"generator.level\"]\nsearch = { holds_at = \"-70 dBm\", "
                                          "fails_at = \"-100 dBm\", resolution = \"0.5 dB\", result = "
                                          "\"packet_error_ratio\", at_most = \"1 %\", gives = "
                                          "\"sensitivity\" }")) +
        "[[test.judge]]\nrule = \"own/sensitivity\"\n";
    CHECK(stand.run().code == 0);
    const auto before = stand.record();
    const auto concluded = points(before, PointKind::threshold);
    REQUIRE(concluded.size() == 2);
    std::map<std::string, std::size_t> trials;
    for (const auto* trial : points(before, PointKind::trial)) ++trials[trial->parent];
    REQUIRE(trials.size() == 2);
    CHECK(again(stand, {"--redo", std::to_string(concluded[0]->position)}).code == 0);
    const auto after = stand.record();
    // The first repeat has new trials, the second still its old ones.
    std::size_t fresh = 0, kept = 0;
    for (const auto* trial : points(after, PointKind::trial)) {
        const bool first_one = trial->parent == concluded[0]->id;
        fresh += first_one && trial->attempt == 2;
        kept += !first_one && trial->attempt == 1;
    }
    CHECK(fresh == trials[concluded[0]->id]);
    CHECK(kept == trials[concluded[1]->id]);
    CHECK(points(after, PointKind::threshold).size() == 2);
}

TEST_CASE("judge again x when x marginal: two judgings of one rule are each judged as they were") {
    Stand stand;
    stand.tests =
        Stand::scanning("scan", Stand::axis("state", "values = [\"idle\", \"loud\"]\nsets = [\"unit\"]")) +
        "[[test.judge]]\nrule = \"own/loud\"\nwhen = { state = \"idle\" }\nmarginal = \"20 dB\"\n"
        "[[test.judge]]\nrule = \"own/loud\"\nwhen = { state = \"loud\" }\nmarginal = \"1 dB\"\n";
    CHECK(stand.run().code == 1);
    const auto run = stand.record();
    CHECK(run.points[0].findings[0].verdict == Verdict::marginal);
    CHECK(run.points[1].findings[0].verdict == Verdict::fail);
    for (const std::vector<std::string>& more : {std::vector<std::string>{}, {"--captures"}}) {
        std::vector<std::string> call{"judge", "run", "--json"};
        call.insert(call.end(), more.begin(), more.end());
        const Said said = rare_tally(stand.folder.path(), call);
        CHECK(said.code == 1);
        CHECK(json::parse(said.out)["differences"].empty());
        CHECK(json::parse(said.out)["findings"] == 2);
    }
}

TEST_CASE("slow axis x prompts: a test whose connection another took is connected again") {
    Stand stand;
    const std::string slow = Stand::axis("mode", "values = [\"a\", \"b\"]\nsets = [\"unit\"]\nslow = true");
    stand.tests = Stand::scanning("one", "prompt = \"Connect the analyser\"\n" + slow) +
                  Stand::counting("two", "prompt = \"Connect the generator\"\n" + slow);
    const Said check = stand.call({"check", "campaign.toml"});
    const auto order = check.out.substr(check.out.find("order"));
    CHECK(contains(
        order,
        "the operator: Connect the analyser\n  one, 1 point\n  the operator: Connect the generator\n  two, 1 "
        "point\n"));
    CHECK(stand.run({"--unattended"}).code == 0);
    std::string sequence;
    const auto run = stand.record();
    for (const auto* event : events(run, "prompt")) sequence += event->text.substr(0, 3) + " ";
    CHECK(sequence == "one two one two ");
    // Without another in between, once is enough.
    Stand alone;
    alone.tests = Stand::scanning("one", "prompt = \"Connect the analyser\"\n" + slow);
    CHECK(alone.run({"--unattended"}).code == 0);
    const auto once = alone.record();
    CHECK(events(once, "prompt").size() == 1);
}

TEST_CASE("decision x kind: guarded without a budget is told by check and gets no verdict") {
    Stand stand;
    stand.tests = Stand::scanning("scan", "") +
                  "[[test.judge]]\nrule = \"own/loud\"\ndecision = \"guarded\"\n" +
                  Stand::counting("link", "settings = { \"generator.level\" = \"-60 dBm\" }\n") +
                  "[[test.judge]]\nrule = \"own/errors\"\ndecision = \"guarded\"\n";
    stand.tests.replace(
        stand.tests.rfind(
            "settings = { \"generator.output\" = \"ON\", \"generator.frequency\" = \"1 GHz\" }\n"),
        std::string("settings = { \"generator.output\" = \"ON\", \"generator.frequency\" = \"1 GHz\" }\n")
            .size(),
        "");
    stand.paths =
        "[[uncertainty]]\nname = \"levels\"\napplies_to = [\"highest_levle\"]\n[[uncertainty.contribution]]\n"
        "name = \"receiver\"\nvalue = \"2 dB\"\n";
    const Said check = stand.call({"check", "campaign.toml"});
    CHECK(contains(check.out,
                   "is for \"highest_levle\", which nothing gives: did you mean \"highest_level\"?"));
    CHECK(contains(check.out, "own/loud will get no verdict"));
    CHECK(contains(check.out, "own/errors will get no verdict"));
    CHECK(stand.run().code == 4);
    CHECK(stand.record().counts().none == 2);
}

TEST_CASE("recorded x repeats x conditions: what the file does not say the campaign may, and it is marked") {
    Stand stand;
    std::string text = "frequency [MHz],level [dBm]\n";
    for (int i = 0; i <= 200; ++i)
        text += std::to_string(1 + 0.005 * i) + "," + std::to_string(i == 100 ? -60.0 : -90.0 + i % 5) + "\n";
    stand.folder.write("scan.csv", text);
    stand.addresses["analyser"] = "files:{test}.csv";
    const std::string judged = "[[test.judge]]\nrule = \"own/loud\"\n[[test.judge]]\nrule = \"own/line\"\n";
    stand.tests = Stand::scanning("scan", "") + judged;
    stand.own_rules =
        "[[rule]]\nid = \"line\"\ntitle = \"t\"\nclause = \"1\"\nquantity = \"q\"\napplies_to = "
        "\"emission\"\nunit = "
        "\"dBuV\"\nkind = \"line\"\npieces = [{ from = \"1 MHz\", to = \"2 MHz\", limit = \"50 dBuV\" "
        "}]\ndetector = "
        "\"peak\"\nbandwidth = \"9 kHz\"\nconfidence = \"sure\"\n";
    CHECK(stand.run().code == 0);
    const auto run = stand.record();
    // The bench's 50 ohm count for files too: -60 dBm are 46.99 dBuV.
    CHECK(*run.points[0].findings[1].value == about(46.99).epsilon(0.001));
    CHECK(contains(run.points[0].findings[1].reason,
                   "declared, not stated by the capture: detector peak, bandwidth 9 kHz"));
    // Judged again from what was kept it is still marked.
    const Said second = rare_tally(stand.folder.path(), {"judge", "run", "--captures", "--json"});
    CHECK(json::parse(second.out)["differences"].empty());
    // Repeats of one file are refused before anything is measured.
    Stand repeated;
    repeated.folder.write("scan.csv", text);
    repeated.addresses["analyser"] = "files:{test}.csv";
    repeated.tests = Stand::scanning("scan", "repeats = 2\n");
    const Said said = repeated.call({"check", "campaign.toml"});
    CHECK(said.code == 2);
    CHECK(contains(said.err, "have the same file"));
}

TEST_CASE("a growing table x redo x shuffled order: columns stay under their headings") {
    Stand stand;
    const auto sweep = [&](const std::string& order) {
        stand.tests = Stand::scanning("scan", order) +
                      Stand::axis("mode", "sets = [\"unit\"]\nvalues = [\"a\", \"b\", \"c\", \"d\"]") +
                      "[[test.judge]]\nrule = \"own/loud\"\n"
                      "[table]\nfile = \"all.csv\"\n[[table.column]]\nlabel = \"First\"\ntest = \"scan\"\n"
                      "result = \"highest_level\"\n[[table.column]]\nlabel = \"Level\"\ntest = \"scan\"\n"
                      "result = \"highest_level\"\neach_point = true\n";
        stand.write();
    };
    const auto rows = [&] {
        std::vector<std::vector<std::string>> out;
        const std::string text = rt::lab::read_file(stand.folder / "all.csv");
        for (const auto line : rt::split(text, '\n'))
            if (!line.empty()) out.push_back(rt::lab::csv_cells(line, ','));
        return out;
    };
    sweep("");
    CHECK(stand.run().code == 0);
    // The first point stands last in the run now, and is still the first.
    const Said said = again(stand, {"--redo", "1"});
    CHECK(said.code == 0);
    CHECK_FALSE(contains(said.err, "headings"));
    auto all = rows();
    REQUIRE(all.size() == 3);
    CHECK(all[0] ==
          std::vector<std::string>{"First", "Level mode=a", "Level mode=b", "Level mode=c", "Level mode=d"});
    for (std::size_t k : {2u, 3u, 4u}) CHECK(all[2][k] == all[1][k]);
    CHECK(all[2][0] == all[2][1]);
    std::filesystem::remove_all(stand.folder / "run");
    sweep("order = \"shuffled\"\n");
    CHECK(stand.run().code == 0);
    all = rows();
    REQUIRE(all.size() == 4);
    CHECK(all[3].size() == 5);
}
