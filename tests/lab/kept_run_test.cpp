// Runs of older programs are read as what they were.
#include <doctest/doctest.h>

#include <filesystem>

#include "lab/tally/chain.hpp"
#include "lab/tally/run_data.hpp"
#include "lab/tally/tally.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

// A run of schema 4: a recheck that found a drift, points measured again for it and by wish, and an end of
// the chain that was noted twice.
TEST_CASE("a run of schema 4 is read, verified and measured again from its captures, and not carried on") {
    const TestFolder folder;
    const auto run = folder / "run";
    std::filesystem::copy(std::filesystem::path(RT_SOURCE) / "tests/lab/kept/schema-4", run,
                          std::filesystem::copy_options::recursive);
    CHECK(verify_run(run).altered.empty());
    const RunData data(run);
    const RunRecord& record = data.record();
    CHECK(record.fact("state") == "complete");
    std::size_t points = 0, again = 0;
    for (const auto& point : record.points) {
        CHECK(point.standing == Standing::valid);
        CHECK(point.inputs.empty());
        if (point.kind != PointKind::point) continue;
        ++points;
        const Outcome outcome = data.outcome_of(point);
        REQUIRE(outcome.results.size() == point.results.size());
        for (std::size_t i = 0; i < point.results.size(); ++i)
            CHECK(outcome.results[i].value == point.results[i].value);
    }
    CHECK(points == 4);
    for (const auto& point : record.superseded) {
        CHECK(point.standing_cause != Cause::none);
        again += point.standing_cause == Cause::again;
    }
    CHECK(again > 0);
    CHECK(record.counts().pass == 4);
    CHECK(error_text(ErrorKind::input, [&] { Tally::open_to_write(run); }).find("was begun with schema 4") !=
          std::string::npos);
    // An altered one is still found out.
    Tally::look_at(run, [](Database& database) {
        database.execute("UPDATE finding SET verdict = 'PASS', margin = 99");
    });
    CHECK_FALSE(verify_run(run).altered.empty());
}

TEST_CASE(
    "points read one by one are those that are held, as often as they are asked for, of one state of the "
    "run") {
    const TestFolder folder;
    const auto run = folder / "run";
    std::filesystem::copy(std::filesystem::path(RT_SOURCE) / "tests/lab/kept/schema-4", run,
                          std::filesystem::copy_options::recursive);
    const RunData held(run), apart(run, Altered::refuse, Held::by_point);
    CHECK(apart.record().points.empty());
    CHECK(apart.record().tests.size() == held.record().tests.size());
    for (int time = 0; time < 2; ++time) {
        std::vector<std::string> wanted, seen;
        const auto text_of = [](const PointRecord& point) {
            std::string text = std::to_string(point.position) + " " + point.test + " " + point.label + " " +
                               point.capture.sha256;
            for (const auto& result : point.results) text += " " + format(result.value, 9);
            for (const auto& finding : point.findings)
                text += " " + finding.rule + " " + name(finding.verdict);
            return text;
        };
        for (const auto& point : held.record().points) wanted.push_back(text_of(point));
        apart.each_point([&](const PointRecord& point) { seen.push_back(text_of(point)); });
        CHECK(seen.size() > 4);
        CHECK(seen == wanted);
    }
    Tally::look_at(run, [](Database& database) {
        database.execute("DELETE FROM chain WHERE number = (SELECT max(number) FROM chain)");
    });
    CHECK(error_text(ErrorKind::input, [&] {
              apart.each_point([](const PointRecord&) {});
          }).find("was written to while it was read") != std::string::npos);
}
