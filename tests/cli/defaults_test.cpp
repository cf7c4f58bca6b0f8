// Defaults of a lab and of a person: what a campaign does not say.
#include <doctest/doctest.h>

#include "tests/cli/stand.hpp"

namespace {

Said with(const Stand& stand, const Environment& environment, std::vector<std::string> arguments) {
    return rare_tally(stand.folder.path(), std::move(arguments), environment);
}

const std::vector<std::string> whole{"run", "campaign.toml", "--out", "run", "--no-live"};

std::string page(const Stand& stand, const std::string& run = "run") {
    return rt::lab::read_file(stand.folder / (run + "/report/report.html"));
}

Stand plain() {
    Stand stand;
    stand.tests = Stand::scanning("scan", "") + "[[test.judge]]\nrule = \"own/loud\"\n";
    stand.write();
    stand.folder.write("lab/etc.toml",
                       "[defaults]\noperator = \"B. Kvist\"\n[report]\ncompany = \"Northhaven Test "
                       "House\"\naddress = [\"Quay 4\", "
                       "\"Northhaven\"]\nheading = \"Measurement\"\n");
    return stand;
}

}  // namespace

TEST_CASE(
    "a campaign that names no operator and no letterhead gets those of the lab, which the report states") {
    Stand stand = plain();
    const std::string file = (stand.folder / "lab/etc.toml").string();
    const Said said = with(stand, {{"RARE_TALLY_DEFAULTS", file}}, whole);
    CHECK_MESSAGE(said.code == 0, said.err);
    for (const char* text : {"B. Kvist", "Northhaven Test House", "Quay 4",
                             "By default of the laboratory: operator, company, address, heading from "})
        CHECK_MESSAGE(contains(page(stand), text), text);
    CHECK(contains(page(stand), file));
    // The run keeps them: it is carried on, judged and reported without any.
    CHECK(with(stand, {{"RARE_TALLY_DEFAULTS", ""}}, {"run", "--resume", "run", "--redo", "1", "--no-live"})
              .code == 0);
    CHECK(contains(page(stand), "Northhaven Test House"));
    CHECK(
        contains(with(stand, {{"RARE_TALLY_DEFAULTS", ""}}, {"judge", "run", "--captures"}).out, "0 differ"));
    CHECK(contains(with(stand, {{"RARE_TALLY_DEFAULTS", ""}}, {"verify", "run"}).out,
                   "all as they were written"));
    // What the campaign says counts.
    std::string campaign = rt::lab::read_file(stand.folder / "campaign.toml");
    campaign += "\n[report]\ncompany = \"Another House\"\n";
    stand.folder.write("campaign.toml", campaign);
    CHECK(with(stand, {{"RARE_TALLY_DEFAULTS", file}}, {"run", "campaign.toml", "--out", "own", "--no-live"})
              .code == 0);
    CHECK(contains(page(stand, "own"), "Another House"));
    CHECK_FALSE(contains(page(stand, "own"), "Northhaven Test House"));
    CHECK(contains(page(stand, "own"), "By default of the laboratory: operator, address, heading from "));
}

TEST_CASE("a person's defaults stand above the lab's; rulebooks and bench are found beside the file") {
    Stand stand = plain();
    const std::string home = (stand.folder / "home").string();
    std::string campaign = rt::lab::read_file(stand.folder / "campaign.toml");
    const std::string bench = "bench = \"bench.toml\"\n";
    REQUIRE(contains(campaign, bench));
    campaign.erase(campaign.find(bench), bench.size());
    stand.folder.write("campaign.toml", campaign);
    stand.folder.write(
        "home/rare-tally/defaults.toml",
        "[defaults]\noperator = \"C. Holm\"\nbench = \"../../bench.toml\"\nrulebooks = [\"quiet.toml\"]\n");
    stand.folder.write("home/rare-tally/quiet.toml",
                       "[rulebook]\nid = \"quiet\"\ntitle = \"q\"\nstandard = \"q\"\nedition = \"1\"\nbasis "
                       "= \"b\"\n[[rule]]\nid = \"low\"\ntitle = "
                       "\"t\"\nclause = \"1\"\nquantity = \"level\"\napplies_to = \"highest_level\"\nunit = "
                       "\"dBuV\"\nkind = \"bound\"\nmax = \"1 dBuV\"\nconfidence = \"sure\"\n");
    const Said listed = with(stand, {{"XDG_CONFIG_HOME", home}}, {"rules", "show", "quiet/low"});
    CHECK_MESSAGE(listed.code == 0, listed.err);
    const Said said = with(stand, {{"XDG_CONFIG_HOME", home}}, whole);
    CHECK_MESSAGE(said.code == 0, said.err);
    CHECK(contains(page(stand), "C. Holm"));
    CHECK(contains(page(stand), "operator, bench from "));
    // Without them the campaign has no bench.
    CHECK(with(stand, {{"RARE_TALLY_DEFAULTS", ""}}, {"check", "campaign.toml"}).code == 2);
}

TEST_CASE("defaults that are wrong are told in one line, whatever the command") {
    Stand stand = plain();
    stand.folder.write("bad.toml", "[defaults]\noperater = \"x\"\n");
    const auto said = [&](const std::string& file) {
        return with(stand, {{"RARE_TALLY_DEFAULTS", (stand.folder / file).string()}},
                    {"check", "campaign.toml"});
    };
    CHECK(said("bad.toml").code == 2);
    CHECK(contains(said("bad.toml").err,
                   "bad.toml:2:1: unknown key \"operater\" in [defaults]: did you mean \"operator\""));
    CHECK(contains(said("none.toml").err, "is not there"));
    stand.folder.write("templates.toml", "[report]\ntemplates = [\"a.md\"]\n");
    CHECK(contains(said("templates.toml").err, "belong to campaigns"));
    stand.folder.write("logo.toml", "[report]\nlogo = \"lost.svg\"\n");
    CHECK(said("logo.toml").code == 2);
}
