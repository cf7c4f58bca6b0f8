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
