// The same for many runs: several at once, carried on where they stopped, one summary.
#include <doctest/doctest.h>

#include "tests/cli/stand.hpp"

namespace {

struct Many {
    Stand stand;
    Many() {
        stand.tests = Stand::scanning("scan", "[[test.judge]]\nrule = \"own/loud\"\n");
        stand.write();
        for (const char* name : {"a", "b", "deep/c"})
            REQUIRE(tell({"run", "campaign.toml", "--out", std::string("kept/") + name, "--no-live",
                          "--no-report"})
                        .code == 0);
    }
    Said tell(std::vector<std::string> arguments) const {
        return rare_tally(stand.folder.path(), std::move(arguments));
    }
};

}  // namespace

TEST_CASE("verified, each with what it said; what was done is not done again until the run changes") {
    const Many many;
    const Said said = many.tell({"each", "verify", "kept", "--out", "out", "--jobs", "2"});
    CHECK_MESSAGE(said.code == 0, said.err);
    CHECK(contains(said.out, "3 runs: 3 passed, 0 failed, 0 without verdict, 0 in trouble"));
    for (const char* name : {"a", "b", "c"})
        CHECK(contains(rt::lab::read_file(many.stand.folder / "out" / (std::string(name) + ".txt")),
                       "all as they were written"));
    CHECK(contains(many.tell({"each", "verify", "kept", "--out", "out"}).out,
                   "3 runs, 3 of them done before: 3 passed"));
    // One is amended: it is looked at again.
    CHECK(many.tell({"report", "kept/b", "--set", "note=x", "--figures", "0"}).code == 0);
    CHECK(contains(many.tell({"each", "verify", "kept", "--out", "out"}).out, "2 of them done before"));
    // One is altered, and told with where its words are.
    alter(many.stand.folder / "kept/a", "UPDATE result SET value = value - 10");
    const Said altered = many.tell({"each", "verify", "kept", "--out", "again"});
    CHECK(altered.code == 1);
    CHECK(contains(altered.out, "exit code 1  kept/a  see again/a.txt.err"));
    CHECK(contains(altered.out, "2 passed, 1 failed"));
}

TEST_CASE("judged again by other limits: one summary of what changed, by rule and unit") {
    const Many many;
    std::string stricter = rt::lab::read_file(many.stand.folder / "own.toml");
    stricter.replace(stricter.find("id = \"own\""), 10, "id = \"new\"");
    stricter.replace(stricter.find("60 dBuV"), 7, "45 dBuV");
    many.stand.folder.write("new.toml", stricter);
    const Said said = many.tell(
        {"each", "judge", "kept", "--out", "out", "--options", "--rulebook new.toml --instead own=new"});
    CHECK_MESSAGE(said.code == 1, said.err);
    CHECK(contains(said.out, "3 findings judged again, 3 differ, 3 in their verdict"));
    CHECK(contains(said.out, "rule  own/loud  3"));
    CHECK(contains(said.out, "unit  Skerry-2  3"));
    CHECK(contains(said.out, "0 passed, 3 failed"));
    // Other options are other work; the same ones are done.
    CHECK(contains(many.tell({"each", "judge", "kept", "--out", "out"}).out,
                   "3 findings judged again, 0 differ"));
    CHECK_FALSE(contains(many.tell({"each", "judge", "kept", "--out", "out", "--options", "--captures"}).out,
                         "done before"));
}

TEST_CASE("trouble with one run is told and stops no other; wrong calls get a line") {
    const Many many;
    std::filesystem::remove_all(many.stand.folder / "kept/b/captures");
    const Said said = many.tell({"each", "report", "kept", "--out", "out", "--options", "--figures 0"});
    CHECK(std::filesystem::exists(many.stand.folder / "kept/a/report/report.html"));
    CHECK(std::filesystem::exists(many.stand.folder / "kept/deep/c/report/report.html"));
    CHECK(contains(said.out, "3 runs: "));
    CHECK(many.tell({"each", "verify", "nowhere"}).code == 2);
    CHECK(many.tell({"each", "sweep", "kept"}).code == 2);
    CHECK(contains(many.tell({"each", "judge", "kept", "--options", "\"open"}).err,
                   "a quotation mark is not closed"));
    CHECK(many.tell({"each", "verify", "kept", "--jobs", "0"}).code == 2);
}
