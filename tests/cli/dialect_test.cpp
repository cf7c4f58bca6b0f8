// Dialects of one's own in a run: what is read back decides, and what a dialect is like is kept with it.
#include <doctest/doctest.h>

#include "lab/formats/files.hpp"
#include "tests/cli/stand.hpp"

using rt::Verdict;

namespace {

// Runs a stand whose bench names another dialect for the generator.
Said run_with(const Stand& stand, const std::string& dialect) {
    stand.write();
    const auto file = stand.folder / "bench.toml";
    std::string text = rt::lab::read_file(file);
    const std::string shipped = "\"scpi-generator\"";
    text.replace(text.find(shipped), shipped.size(), "\"" + dialect + "\"");
    stand.folder.write("bench.toml", text);
    return rare_tally(stand.folder.path(),
                      {"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"});
}

Stand losses() {
    Stand stand;
    stand.tests =
        "[[test]]\nname = \"loss\"\nprocedure = \"path.loss\"\ninstrument = \"power-meter\"\n"
        "parameters = { sent = \"0 dBm\", frequency = \"1 GHz\" }\nsettings = { \"generator.level\" = \"0 "
        "dBm\", "
        "\"generator.frequency\" = \"1 GHz\", \"generator.output\" = \"ON\" }\nrepeats = 2\n"
        "[[test.judge]]\nrule = \"own/loss\"\n";
    return stand;
}

}  // namespace

TEST_CASE(
    "a dialect like another runs, is kept with what it is like, and carries a run on without either file") {
    const Stand stand = losses();
    stand.folder.write("mine.toml",
                       "[dialect]\nid = \"mine\"\ntitle = \"m\"\nkind = \"generator\"\nlike = "
                       "\"between.toml\"\n[tolerance]\nlevel = \"0.2 dB\"\n");
    stand.folder.write("between.toml",
                       "[dialect]\nid = \"between\"\ntitle = \"b\"\nkind = \"generator\"\nlike = "
                       "\"scpi-generator\"\n[commands]\nset_modulation = \"\"\nconfirm_modulation = \"\"\n");
    const Said said = run_with(stand, "mine.toml");
    CHECK_MESSAGE(said.code == 0, (said.out + said.err));
    CHECK(stand.record().points.size() == 2);
    std::filesystem::remove(stand.folder / "mine.toml");
    std::filesystem::remove(stand.folder / "between.toml");
    cut_off(stand.folder / "run", 1);
    const Said resumed =
        rare_tally(stand.folder.path(), {"run", "--resume", "run", "--no-live", "--no-report"});
    CHECK_MESSAGE(resumed.code == 0, (resumed.out + resumed.err));
    CHECK(stand.record().points.size() == 2);
    CHECK(contains(rare_tally(stand.folder.path(), {"verify", "run"}).out, "all as they were written"));
}

TEST_CASE("an instrument that has set something else than told gives no verdict") {
    // The attenuator has steps of 1 dB.
    const auto run = [](const std::string& attenuation) {
        Stand stand = losses();
        const std::string level = "\"generator.output\" = \"ON\"";
        stand.tests.replace(stand.tests.find(level), level.size(),
                            level + ", \"attenuator.attenuation\" = \"" + attenuation + "\"");
        stand.run();
        const auto record = stand.record();
        REQUIRE_FALSE(record.points.empty());
        return std::pair{record.points[0].findings.at(0).verdict, record.points[0].invalid};
    };
    CHECK(run("0 dB").first == Verdict::marginal);
    const auto [verdict, why] = run("0.4 dB");
    CHECK(verdict == Verdict::none);
    CHECK(contains(why, "attenuator has attenuation 0 dB, 0.4 dB was asked for"));
}
