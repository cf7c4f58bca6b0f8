// The chain of hashes: whatever is altered afterwards is named.
#include "lab/tally/chain.hpp"

#include <doctest/doctest.h>
#include <signal.h>
#include <sys/resource.h>

#include <fstream>

#include "lab/clock.hpp"
#include "lab/tally/tally.hpp"
#include "tests/lab/facts.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

PointRecord point(std::size_t position, std::size_t attempt = 1) {
    PointRecord p;
    p.position = position;
    p.id = "id" + std::to_string(attempt > 1 ? position - 1 : position);
    p.attempt = attempt;
    p.test = "test";
    p.label = "at " + std::to_string(position);
    p.started = p.ended = utc_now();
    p.capture = {"captures/" + std::to_string(position) + ".csv", "spectrum", sha256("capture"), 7};
    p.results.push_back({"level", {41.25, Unit::dbuv}, {}});
    Finding finding;
    finding.rule = "b/r";
    finding.unit = Unit::dbuv;
    finding.limit = 50, finding.value = 41.25, finding.margin = 8.75;
    finding.verdict = Verdict::pass;
    p.findings.push_back(finding);
    return p;
}

// A run with everything that a tally keeps.
struct Kept {
    TestFolder folder;
    Kept() {
        folder.write("run/inputs/campaign.toml", "campaign");
        RunRecord head;
        put_facts(head, {{"title", "t"}, {"state", "running"}});
        head.instruments.push_back({"analyser", "a", "1", "", "2036-03-31", "antenna", "simulated"});
        head.tests.push_back({"test", "T", "emission.scan", "analyser", "", 3});
        head.files.push_back({"inputs/campaign.toml", "campaign", sha256("campaign"), "c"});
        Tally tally = Tally::create(run(), [&] { return head; });
        for (std::size_t k = 1; k <= 3; ++k)
            folder.write("run/captures/" + std::to_string(k) + ".csv", "capture");
        tally.add(point(1),
                  {{utc_now(), "supply", 5.02, Unit::volt}, {utc_now(), "supply", 5.01, Unit::volt}});
        tally.add(point(2));
        tally.add(point(3, 2));  // measures point 2 again
        tally.add(std::vector<SampleRecord>{{utc_now(), "supply", 4.99, Unit::volt}});
        tally.add(EventRecord{utc_now(), "prompt", "cable changed", 3});
        tally.add(CalibrationRecord{"loss", "test", utc_now(), "", "", "", ""});
        tally.void_points({1}, Cause::recheck, "drift");
        tally.put_instruments({{"analyser", "a", "1", "answered", "2036-03-31", "antenna", "simulated"}});
        tally.set_fact("state", "complete");
    }
    std::filesystem::path run() const { return folder / "run"; }
    void alter(const char* sql) const {
        Database database((run() / tally_file).string(), SQLITE_OPEN_READWRITE);
        database.execute(sql);
    }
    std::vector<std::string> altered() const { return verify_run(run()).altered; }
};

}  // namespace

TEST_CASE("an untouched run is as it was written, whatever happened in it") {
    const Kept kept;
    const Verification seen = verify_run(kept.run());
    CHECK(seen.altered.empty());
    CHECK(seen.files == 4);
    CHECK(seen.seal.size() == 64);
    // Carried on, it stays whole, with another seal.
    {
        Tally tally = Tally::open_to_write(kept.run());
        tally.set_fact("state", "running");
    }
    const Verification later = verify_run(kept.run());
    CHECK(later.altered.empty());
    CHECK(later.seal != seen.seal);
}

TEST_CASE("half a line that a power cut or a full disk left is cut off by the next one") {
    const TestFolder folder;
    const auto file = folder / "lines";
    const auto half = [&](const std::string& text) { std::ofstream(file, std::ios::app) << text; };
    append_line(file, "one");
    half("tw");
    append_line(file, "two");
    half(std::string(10'000, 'x'));
    append_line(file, "three");
    CHECK(read_file(file) == "one\ntwo\nthree\n");
    // No room for the line: nothing of it stays, and the next one stands on its own.
    struct rlimit before {};
    REQUIRE(::getrlimit(RLIMIT_FSIZE, &before) == 0);
    const auto old = ::signal(SIGXFSZ, SIG_IGN);
    const struct rlimit tight { 17, before.rlim_max };
    REQUIRE(::setrlimit(RLIMIT_FSIZE, &tight) == 0);
    bool refused = false;
    try {
        append_line(file, "four");
    } catch (const Error& error) {
        refused = error.kind() == ErrorKind::output;
    }
    ::setrlimit(RLIMIT_FSIZE, &before);
    ::signal(SIGXFSZ, old);
    CHECK(refused);
    CHECK(read_file(file) == "one\ntwo\nthree\n");
    append_line(file, "five");
    CHECK(read_file(file) == "one\ntwo\nthree\nfive\n");
    std::filesystem::remove(file);
    half("no line at all");
    append_line(file, "first");
    CHECK(read_file(file) == "first\n");
}

TEST_CASE("a run whose last note was left half written is carried on, and is as it was written") {
    const Kept kept;
    const auto seals = kept.run() / "tally.seals";
    const std::string all = read_file(seals);
    for (const std::size_t left : {1u, 5u, 30u, 64u}) {
        CAPTURE(left);
        // The end of the last line is gone.
        const auto begin = all.rfind('\n', all.size() - 2) + 1;
        kept.folder.write("run/tally.seals", all.substr(0, begin + left));
        CHECK(kept.altered().empty());
        {
            Tally tally = Tally::open_to_write(kept.run());
            tally.set_fact("state", "running " + std::to_string(left));
        }
        CHECK(kept.altered().empty());
        const std::string now = read_file(seals);
        CHECK(now.starts_with(all.substr(0, begin)));
        CHECK(now.ends_with("\n"));
    }
}

TEST_CASE("every alteration is named") {
    const std::pair<const char*, const char*> cases[] = {
        {"UPDATE finding SET margin = 9 WHERE point = 2", "point 2 (test: at 2) is not as it was written"},
        {"UPDATE finding SET verdict = 'PASS', wrong_pass = 0 WHERE point = 3", "point 3 (test: at 3)"},
        {"UPDATE result SET value = 41.250000000000007 WHERE point = 1", "point 1 (test: at 1)"},
        {"UPDATE point SET standing = 'valid', standing_reason = '' WHERE position = 1",
         "the standing of point 1 (test: at 1) was altered"},
        {"UPDATE point SET standing = 'valid' WHERE position = 2", "the standing of point 2"},
        {"DELETE FROM event", "event 1 is not as it was written"},
        {"INSERT INTO event VALUES (NULL, 't', 'k', 'x', 0)",
         "the table of events has 2 rows, 1 were written"},
        {"UPDATE sample SET value = 5 WHERE number = 2", "readings of watches 1-2"},
        {"INSERT INTO sample VALUES (NULL, 't', 'supply', 5, 'V')",
         "the table of samples has 4 rows, 3 were written"},
        {"INSERT INTO sample VALUES (-1, 't', 'supply', 5, 'V')", "the table of samples has 4 rows"},
        {"DELETE FROM instrument", "instruments of the run are missing"},
        {"PRAGMA foreign_keys=OFF; INSERT INTO finding SELECT 99, number, rule, title, clause, unit, "
         "limit_value, "
         "value, margin, verdict, reason, at_value, at_unit, at_offset, points_judged, points_beyond, "
         "uncertainty, "
         "guard, wrong_pass FROM finding WHERE point = 1",
         "the table of findings has 4 rows, 3 were written"},
        {"INSERT INTO result VALUES (1, 7, 'level', 1, 'dBuV', NULL, '')", "point 1 (test: at 1)"},
        {"DELETE FROM chain WHERE number = (SELECT max(number) FROM chain)", "its end was cut off"},
        {"UPDATE point SET parent = 'x' WHERE position = 1", "point 1 (test: at 1)"},
        {"UPDATE calibration SET valid_until = '2099-01-01'", "calibration 1"},
        {"UPDATE fact SET value = 'another' WHERE name = 'title'", "fact title was altered"},
        {"DELETE FROM fact WHERE name = 'title'", "facts of the run are missing"},
        {"UPDATE instrument SET calibration_due = '2099-01-01'", "the entry of analyser was altered"},
        {"UPDATE test SET points_planned = 2", "the list of tests and input files"},
        {"DELETE FROM chain WHERE kind = 'standing' AND key = '1'", "is not as it was written"},
    };
    for (const auto& [sql, expected] : cases) {
        CAPTURE(sql);
        const Kept kept;
        kept.alter(sql);
        const auto altered = kept.altered();
        REQUIRE_FALSE(altered.empty());
        std::string all;
        for (const auto& text : altered) all += text + "\n";
        CHECK_MESSAGE(all.find(expected) != std::string::npos, all);
    }
    const Kept files;
    files.folder.write("run/captures/2.csv", "other");
    std::filesystem::remove(files.run() / "inputs/campaign.toml");
    CHECK(files.altered() ==
          std::vector<std::string>{"captures/2.csv was altered", "inputs/campaign.toml is missing"});
}
