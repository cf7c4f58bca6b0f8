// Kept runs that somebody changed: nothing is made of them without a word, and nothing carries them on.
#include <doctest/doctest.h>

#include "tests/cli/stand.hpp"

namespace {

// A unit that fails, once at each of three repeats.
Stand failed() {
    Stand stand;
    stand.tests = Stand::scanning("scan", "repeats = 3\nsettings = { \"unit.state\" = \"loud\" }\n") +
                  "[[test.judge]]\nrule = \"own/loud\"\n";
    CHECK(stand.run().code == 1);
    return stand;
}

const char* const whitewash = "UPDATE finding SET verdict = 'PASS', margin = 10, value = 50";

}  // namespace

TEST_CASE("FAIL turned into PASS by a line of SQL is refused everywhere, and marked where it is asked for") {
    const Stand stand = failed();
    alter(stand.folder / "run", whitewash);
    for (const std::vector<std::string>& call : {std::vector<std::string>{"report", "run"},
                                                 {"export", "run"},
                                                 {"compare", "run", "run"},
                                                 {"judge", "run"},
                                                 {"run", "--resume", "run"},
                                                 {"export", "run", "--as", "evidence"}}) {
        CAPTURE(call.front());
        const Said said = rare_tally(stand.folder.path(), call);
        CHECK(said.code == 2);
        CHECK(contains(said.err,
                       "is not as it was written (point 1 (scan: (repeat 1)) is not as it was written)"));
        CHECK(lines(said.err) == 1);
    }
    CHECK_FALSE(std::filesystem::exists(stand.folder / "run/report"));
    const Said found = rare_tally(stand.folder.path(), {"find", "."});
    CHECK(found.code == 4);
    CHECK(contains(found.err, "attention: left out:"));
    const Said marked =
        rare_tally(stand.folder.path(), {"report", "run", "--even-if-altered", "--figures", "0"});
    CHECK(marked.code == 0);
    CHECK(contains(marked.err, "attention: altered: point 1"));
    const std::string page = rt::lab::read_file(stand.folder / "run/report/report.html");
    CHECK(contains(page, "ALTERED: this run is not as it was written"));
    CHECK(contains(page, "position: fixed; top: -12mm"));  // on every page of the PDF
    // The run's own templates have no mark: they are left out with a word, those named here are refused.
    Stand own = failed();
    own.folder.write("mine.md.mustache", "{{unit.serial}}\n");
    const std::string text = rt::lab::read_file(own.folder / "campaign.toml");
    own.folder.write("campaign.toml", "[report]\ntemplates = [\"mine.md.mustache\"]\n" + text);
    CHECK(
        rare_tally(own.folder.path(), {"run", "campaign.toml", "--out", "second", "--no-live", "--no-report"})
            .code == 1);
    alter(own.folder / "second", whitewash);
    const Said without =
        rare_tally(own.folder.path(), {"report", "second", "--even-if-altered", "--figures", "0"});
    CHECK(without.code == 0);
    CHECK(contains(without.err, "the run was altered"));
    CHECK_FALSE(std::filesystem::exists(own.folder / "second/report/report-mine.md"));
    const Said named = rare_tally(own.folder.path(), {"report", "second", "--even-if-altered", "--template",
                                                      "mine.md.mustache", "--figures", "0"});
    CHECK(named.code == 2);
    CHECK(contains(named.err, "own template"));
    // The right twin.
    const Stand sound = failed();
    CHECK(rare_tally(sound.folder.path(), {"report", "run", "--figures", "0"}).code == 0);
    CHECK_FALSE(contains(rt::lab::read_file(sound.folder / "run/report/report.html"), "role=\"alert\""));
}

TEST_CASE(
    "a template that names what was not measured is left out of a stopped run's report, which is made") {
    Stand stand = failed();
    stand.tests += Stand::scanning("second", "settings = { \"unit.state\" = \"loud\" }\n");
    stand.write();
    stand.folder.write("letter.md.mustache", "highest: {{test.second.highest_level}}\n");
    const std::string text = rt::lab::read_file(stand.folder / "campaign.toml");
    stand.folder.write("campaign.toml", "[report]\ntemplates = [\"letter.md.mustache\"]\n" + text);
    const auto run = [&](const std::string& out, bool stop) {
        std::vector<std::string> call{"run", "campaign.toml", "--out", out, "--no-live"};
        if (stop) call.push_back("--stop-at-failure");
        return rare_tally(stand.folder.path(), call);
    };
    const Said stopped = run("stopped", true);
    CHECK(contains(stopped.err, "template left out:"));
    CHECK(contains(stopped.err, "the run is not complete"));
    CHECK(std::filesystem::exists(stand.folder / "stopped/report/report.html"));
    CHECK_FALSE(std::filesystem::exists(stand.folder / "stopped/report/report-letter.md"));
    const Said whole = run("whole", false);
    CHECK_FALSE(contains(whole.err, "left out"));
    CHECK(contains(rt::lab::read_file(stand.folder / "whole/report/report-letter.md"), "highest: "));
}

TEST_CASE("a run whose end was cut off is not carried on, so that it cannot be measured until it passes") {
    const Stand stand = failed();
    // The last point with all its rows, and the chain's end: everything that the tally itself holds fits.
    alter(stand.folder / "run",
          "PRAGMA foreign_keys=OFF; DELETE FROM chain WHERE number >= (SELECT max(number) FROM chain WHERE "
          "kind = "
          "'point'); DELETE FROM finding WHERE point = 3; DELETE FROM result WHERE point = 3; DELETE FROM "
          "setting "
          "WHERE point = 3; DELETE FROM remark WHERE point = 3; DELETE FROM attachment WHERE point = 3; "
          "DELETE FROM "
          "point WHERE position = 3; "
          "DELETE FROM fact WHERE name NOT IN (SELECT key FROM chain WHERE kind = 'fact'); UPDATE fact SET "
          "value = "
          "(SELECT substr(text, 2) FROM chain WHERE kind = 'fact' AND key = name ORDER BY number DESC LIMIT "
          "1)");
    const Said resumed =
        rare_tally(stand.folder.path(), {"run", "--resume", "run", "--no-live", "--no-report"});
    CHECK(resumed.code == 2);
    CHECK_MESSAGE(contains(resumed.err, "its end was cut off"), resumed.err);
    const Said verified = rare_tally(stand.folder.path(), {"verify", "run"});
    CHECK(verified.code == 1);
    CHECK(contains(verified.out, "ALTERED  the chain ends at entry"));
    // Its capture is still there, and said to be.
    CHECK(contains(verified.out, "left by an interruption, or of a point that is gone"));
}

TEST_CASE("verify says what the chain does not cover, and looks at samples behind their description") {
    const Stand stand = failed();
    stand.folder.write("run/notes.txt", "x");
    const Said said = rare_tally(stand.folder.path(), {"verify", "run"});
    CHECK(said.code == 0);
    CHECK(contains(said.out, "not covered  notes.txt: not of the run"));
    CHECK(contains(said.out, "not covered  connections.svg: a picture of the run"));
    std::filesystem::remove(stand.folder / "run/tally.seals");
    CHECK(contains(rare_tally(stand.folder.path(), {"verify", "run"}).out, "tally.seals is missing"));
    Stand samples;
    samples.tests =
        "[[test]]\nname = \"iq\"\nprocedure = \"spectrum.density\"\nparameters = { centre = \"1.5 MHz\", "
        "sample_rate = "
        "\"1 MHz\", duration = \"5 ms\", reference_level = \"-40 dBm\" }\n";
    CHECK(samples.run().code == 0);
    auto data = samples.folder / "run" / samples.record().points[0].capture.file;
    data.replace_extension(".sigmf-data");
    std::string bytes = rt::lab::read_file(data);
    bytes[100] = static_cast<char>(bytes[100] ^ 1);
    rt::lab::write_file(data, bytes);
    const Said altered = rare_tally(samples.folder.path(), {"verify", "run"});
    CHECK(altered.code == 1);
    CHECK(contains(altered.out, "was altered: its SHA-512"));
}

TEST_CASE("a damaged tally is one line, whatever is damaged in it") {
    for (const char* sql : {"UPDATE chain SET key = 'x-y' WHERE kind = 'samples'",
                            "UPDATE chain SET key = '' WHERE kind = 'point'",
                            "PRAGMA foreign_keys=OFF; DELETE FROM point WHERE position = 1",
                            "PRAGMA foreign_keys=OFF; UPDATE remark SET finding = 99", "DROP TABLE sample",
                            "UPDATE fact SET value = x'ff00fe' WHERE name = 'title'"}) {
        CAPTURE(sql);
        Stand stand;
        stand.tests =
            Stand::scanning("scan", "repeats = 2\nnote = \"n\"\n") + "[[test.judge]]\nrule = \"own/loud\"\n";
        stand.watches =
            "[[watch]]\nname = \"current\"\nrole = \"supply\"\nquantity = \"current\"\nmax = \"1 mA\"\n";
        stand.run();
        sqlite3* database = nullptr;
        REQUIRE(sqlite3_open((stand.folder / "run" / rt::lab::tally_file).c_str(), &database) == SQLITE_OK);
        sqlite3_exec(database, sql, nullptr, nullptr, nullptr);  // strict tables may refuse it themselves
        sqlite3_close(database);
        for (const char* command : {"report", "verify", "find", "judge"}) {
            const Said said = rare_tally(stand.folder.path(), {command, "run"});
            CHECK(said.code <= 4);
            CHECK(lines(said.err) <= 1);
            CHECK_FALSE(contains(said.err, "map::at"));
            CHECK_FALSE(contains(said.err, "stoll"));
        }
    }
}

TEST_CASE("a run in a folder that nobody can write to is read, with what its log still holds") {
    const Stand stand = failed();
    if (::geteuid() == 0) {
        // As somebody who may read and not write.
        std::filesystem::permissions(stand.folder.path(), std::filesystem::perms(0755));
        std::filesystem::permissions(stand.folder / "run", std::filesystem::perms(0555));
    }
    const pid_t child = ::fork();
    if (child == 0) {
        if (::geteuid() == 0 && (::setgid(65534) != 0 || ::setuid(65534) != 0)) ::_exit(9);
        ::_exit(rare_tally(stand.folder.path(), {"verify", "run"}).code);
    }
    CHECK(wait_for(child) == 0);
    std::filesystem::permissions(stand.folder / "run", std::filesystem::perms(0755));
}
