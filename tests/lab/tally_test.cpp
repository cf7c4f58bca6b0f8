#include "lab/tally/tally.hpp"

#include <doctest/doctest.h>
#include <sqlite3.h>

#include "core/base/error.hpp"
#include "lab/clock.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/facts.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

const std::string hostile = "Robert'); DROP TABLE finding;-- \"<b>\" \n $(x) ü";

RunRecord head() {
    RunRecord run;
    put_facts(run, {{"title", "t"}, {"unit.serial", hostile}});
    run.instruments.push_back({"analyser", "a", "1", hostile, "2036-03-31", "antenna", "simulated"});
    run.tests.push_back({"test", "T", "emission.scan", "analyser", "", 2});
    run.files.push_back({"inputs/campaign.toml", "campaign", sha256("x"), "c"});
    return run;
}

PointRecord point(std::size_t position) {
    PointRecord p;
    p.position = position;
    p.id = "id" + std::to_string(position);
    p.test = "test";
    p.label = hostile;
    p.axes = {{"b", "2"}, {"a", "1"}};  // order is kept
    p.parameters = {{"bandwidth", "9 kHz"}};
    p.started = p.ended = utc_now();
    p.capture = {"captures/1.csv", "spectrum", sha256("y"), 12};
    p.results.push_back({"highest_level", {41.25, Unit::dbuv}, {}});
    p.results.push_back({"width", {2e6, Unit::hertz}, 0.5});
    Finding finding;
    finding.rule = "b/r";
    finding.unit = Unit::dbuv;
    finding.limit = 50;
    finding.value = 41.25;
    finding.margin = 8.75;
    finding.verdict = Verdict::pass;
    finding.at = Quantity{1e6, Unit::hertz};
    finding.at_offset = true;
    finding.points_judged = 7;
    finding.deviations = {"dwell 1 ms instead of 1 s", "second"};
    p.findings.push_back(finding);
    Finding none;
    none.rule = "b/s";
    none.reason = hostile;
    p.findings.push_back(none);
    p.notes = {"a note"};
    return p;
}

}  // namespace

TEST_CASE("what was kept comes back, hostile texts and all") {
    TestFolder folder;
    {
        Tally tally = Tally::create(folder / "run", head);
        tally.add(point(1));
        tally.add(point(2));
        tally.add(EventRecord{"now", "error", hostile});
        tally.set_fact("state", "complete");
    }
    const RunRecord run = Tally::open(folder / "run").read();
    CHECK(run.fact("unit.serial") == hostile);
    CHECK(run.fact("state") == "complete");
    CHECK(run.instruments.at(0).identity == hostile);
    CHECK(run.tests.at(0).points_planned == 2);
    CHECK(run.files.at(0).sha256 == sha256("x"));
    CHECK(run.events.at(0).text == hostile);
    REQUIRE(run.points.size() == 2);
    const PointRecord expected = point(2);
    const PointRecord& p = run.points[1];
    CHECK(p.label == hostile);
    CHECK(p.axes == expected.axes);
    CHECK(p.parameters == expected.parameters);
    CHECK(p.capture.sha256 == expected.capture.sha256);
    CHECK(p.results[0].value == expected.results[0].value);
    CHECK_FALSE(p.results[0].uncertainty);
    CHECK(p.results[1].uncertainty == 0.5);
    REQUIRE(p.findings.size() == 2);
    CHECK(p.findings[0].margin == 8.75);
    CHECK(p.findings[0].at == Quantity{1e6, Unit::hertz});
    CHECK(p.findings[0].at_offset);
    CHECK(p.findings[0].deviations == expected.findings[0].deviations);
    CHECK(p.findings[1].verdict == Verdict::none);
    CHECK_FALSE(p.findings[1].value);
    CHECK(p.findings[1].reason == hostile);
    CHECK(p.notes == expected.notes);
    CHECK(run.counts().pass == 2);
    CHECK(run.counts().none == 2);
}

TEST_CASE("a point is there as a whole or not at all") {
    TestFolder folder;
    Tally tally = Tally::create(folder / "run", head);
    tally.add(point(1));
    PointRecord twice = point(2);
    twice.id = "id1";  // ids are unique: the insert fails
    CHECK_THROWS_AS(tally.add(twice), Error);
    PointRecord orphan = point(3);
    orphan.test = "no such test";
    CHECK_THROWS_AS(tally.add(orphan), Error);
    CHECK(tally.read().points.size() == 1);
    CHECK(tally.read().points[0].findings.size() == 2);
    tally.add(point(2));  // and it goes on
    CHECK(tally.read().points.size() == 2);
}

TEST_CASE("another process sees each point as soon as it is kept") {
    TestFolder folder;
    Tally tally = Tally::create(folder / "run", head);
    for (std::size_t i = 1; i <= 3; ++i) {
        tally.add(point(i));
        CHECK(Tally::open(folder / "run").read().points.size() == i);
    }
}

TEST_CASE("a run is never overwritten, and other folders are no runs") {
    TestFolder folder;
    Tally::create(folder / "run", head);
    CHECK(input_error([&] { Tally::create(folder / "run", head); }) ==
          (folder / "run").string() +
              ": holds a run already, which is never overwritten: name another folder");
    CHECK(input_error([&] { Tally::open(folder / "none"); }) ==
          (folder / "none").string() + ": is no run folder: there is no tally.sqlite in it");
    folder.write("junk/tally.sqlite", std::string(5000, 'x'));
    CHECK(input_error([&] { Tally::open(folder / "junk"); }).find("cannot be read") != std::string::npos);
    sqlite3* raw = nullptr;
    sqlite3_open((folder / "run/tally.sqlite").c_str(), &raw);
    sqlite3_exec(raw, "PRAGMA user_version=99", nullptr, nullptr, nullptr);
    sqlite3_close(raw);
    CHECK(input_error([&] {
              Tally::open(folder / "run");
          }).find("has schema 99, this program reads 3 to 6") != std::string::npos);
}

TEST_CASE("a run that was killed before it had begun leaves the folder free") {
    TestFolder folder;
    folder.write("run/inputs/campaign.toml", "left over");
    folder.write("run/tally.sqlite", "");  // made, but without tables
    CHECK_NOTHROW(Tally::create(folder / "run", head));
    CHECK(Tally::open(folder / "run").read().tests.size() == 1);
    // Trouble while preparing leaves no run behind.
    CHECK_THROWS_AS(Tally::create(folder / "other", []() -> RunRecord { fail_input("no"); }), Error);
    CHECK_FALSE(std::filesystem::exists(folder / "other/tally.sqlite"));
}

TEST_CASE("known digests and encodings") {
    // FIPS 180-4 example, and RFC 4648 section 10.
    CHECK(sha256("abc") == "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
    CHECK(base64("foobar") == "Zm9vYmFy");
    CHECK(base64("foob") == "Zm9vYg==");
    CHECK(base64("") == "");
}

TEST_CASE("files appear whole or not at all") {
    TestFolder folder;
    CHECK(error_text(ErrorKind::output, [&] {
              write_file(folder / "no/such/folder.txt", "x");
          }).find("cannot be written") != std::string::npos);
    folder.write("a.txt", "old");
    write_file(folder / "a.txt", "new");
    CHECK(read_file(folder / "a.txt") == "new");
    CHECK_FALSE(std::filesystem::exists(folder / "a.txt.part"));
    CHECK(input_error([&] { read_file(folder.path()); }).find("is a folder, not a file") !=
          std::string::npos);
}
