#include <doctest/doctest.h>

#include <atomic>
#include <thread>

#include "core/base/error.hpp"
#include "lab/store/shared_store.hpp"
#include "lab/tally/sqlite.hpp"
#include "lab/tally/tally.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"
#include "tests/lab/made_run.hpp"
#include "tests/lab/postgres.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

// All runs of the folder are as they were written.
std::vector<FoundFinding> found_in(const std::filesystem::path& folder, const FindingQuery& query) {
    std::vector<std::string> left_out;
    auto found = find_in_folders({folder}, query, left_out);
    CHECK(left_out.empty());
    return found;
}

}  // namespace

TEST_CASE("runs that cannot be read, never began or were altered are left out of what is found, and named") {
    TestFolder folder;
    make_counted_run(folder / "good", {{"level", "SN-1", {1, 5}}});
    make_counted_run(folder / "altered", {{"level", "SN-1", {2}}});
    folder.write("empty/tally.sqlite", "");
    folder.write("other/tally.sqlite", "no database at all, but long enough to be looked at by one");
    {
        Database database((folder / "altered" / tally_file).string(), SQLITE_OPEN_READWRITE);
        database.execute("UPDATE finding SET margin = 40");
    }
    std::vector<std::string> left_out;
    CHECK(find_in_folders({folder.path()}, {}, left_out).size() == 2);
    REQUIRE(left_out.size() == 3);
    CHECK(left_out[0].find("is not as it was written (point 1") != std::string::npos);
    CHECK(left_out[1].find("was never begun") != std::string::npos);
    CHECK(left_out[2].find("cannot be read") != std::string::npos);
}

TEST_CASE("findings of run folders: by unit, rule, margin, verdict, smallest margins first") {
    TestFolder folder;
    make_counted_run(folder / "runs/a", {{"level", "SN-1", {1, 5, -2}}});
    make_counted_run(folder / "runs/deep/b", {{"level", "SN-2", {0.5}}, {"other", "SN-2", {7}}});
    const auto margins = [&](const FindingQuery& query) {
        std::vector<double> out;
        for (const auto& f : found_in(folder / "runs", query)) out.push_back(*f.margin);
        return out;
    };
    CHECK(margins({}) == std::vector<double>{-2, 0.5, 1, 5, 7});
    FindingQuery query;
    query.unit = "SN-2";
    CHECK(margins(query) == std::vector<double>{0.5, 7});
    query.test = "other";
    CHECK(margins(query) == std::vector<double>{7});
    query = {};
    query.rule = "made";
    query.below = 1;
    CHECK(margins(query) == std::vector<double>{-2, 0.5});
    query.below_unit = Unit::db;
    CHECK(margins(query) == std::vector<double>{-2, 0.5});
    query.below_unit = Unit::second;
    CHECK(margins(query).empty());
    query = {};
    query.rule = "mad";  // no book of this name
    CHECK(margins(query).empty());
    query = {};
    query.verdict = Verdict::fail;
    CHECK(margins(query) == std::vector<double>{-2});
    query = {};
    query.most = 2;
    CHECK(margins(query) == std::vector<double>{-2, 0.5});
    query = {};
    query.since = "2999-01-01";
    CHECK(margins(query).empty());
    std::filesystem::create_directories(folder / "empty");
    CHECK(input_error([&] { found_in(folder / "empty", {}); }).find("holds no run") != std::string::npos);
}

TEST_CASE("the shared store holds what the folders hold, once, and follows what is amended") {
    TestFolder folder;
    const std::string hostile = "SN'); DROP TABLE run; --\x01\xff";
    make_counted_run(folder / "a", {{"level", "SN-1", {1, 5, -2}}});
    make_counted_run(folder / "b", {{"level", hostile, {0.5}}});
    const PostgresServer server;
    SharedStore store(server.address());
    CHECK(store.push(RunData(folder / "a")) == Pushed::fresh);
    CHECK(store.push(RunData(folder / "b")) == Pushed::fresh);
    CHECK(store.push(RunData(folder / "a")) == Pushed::same);
    const auto same = [&](const FindingQuery& query) {
        const auto there = store.find(query), here = found_in(folder.path(), query);
        REQUIRE(there.size() == here.size());
        for (std::size_t i = 0; i < here.size(); ++i) {
            CHECK(there[i].margin == here[i].margin);
            CHECK(there[i].value == here[i].value);
            CHECK(there[i].rule == here[i].rule);
            CHECK(there[i].test == here[i].test);
            CHECK(there[i].point == here[i].point);
            CHECK(there[i].verdict == here[i].verdict);
            CHECK(there[i].unit == here[i].unit);
            CHECK(there[i].started == here[i].started);
        }
        return here.size();
    };
    CHECK(same({}) == 4);
    FindingQuery query;
    query.unit = "SN-1", query.below = 3, query.below_unit = Unit::db;
    CHECK(same(query) == 2);
    query = {};
    query.verdict = Verdict::fail;
    CHECK(same(query) == 1);
    query = {};
    query.rule = "made", query.most = 1;
    CHECK(same(query) == 1);
    {
        Tally tally = Tally::open_to_write(folder / "a");
        tally.set_fact("unit.serial", "SN-9");
    }
    CHECK(store.push(RunData(folder / "a")) == Pushed::replaced);
    query = {};
    query.unit = "SN-9";
    CHECK(same(query) == 3);
    query.unit = "SN-1";
    CHECK(same(query) == 0);
    // A second connection finds the tables made.
    CHECK(SharedStore(server.address()).find({}).size() == 4);
    CHECK(error_text(ErrorKind::bench, [] {
              SharedStore("postgresql://lab@127.0.0.1:1/x");
          }).find("shared store: cannot be reached") == 0);
}

TEST_CASE("several benches push at once, also into a store that has no tables yet") {
    TestFolder folder;
    constexpr int benches = 4, runs = 3;
    for (int b = 0; b < benches; ++b) {
        for (int r = 0; r < runs; ++r) {
            const std::string name = std::to_string(b) + "-" + std::to_string(r);
            make_counted_run(folder / name, {{"level", "SN-" + name, {1.0 + b, 2.0 + r}}});
        }
    }
    const PostgresServer server;
    std::atomic<int> fresh = 0, trouble = 0;
    std::vector<std::thread> threads;
    for (int b = 0; b < benches; ++b) {
        threads.emplace_back([&, b] {
            try {
                SharedStore store(server.address());
                for (int r = 0; r < runs; ++r) {
                    const RunData run(folder / (std::to_string(b) + "-" + std::to_string(r)));
                    fresh += store.push(run) == Pushed::fresh;
                    fresh += store.push(run) == Pushed::fresh;  // the second time it is there
                }
            } catch (const Error&) {
                ++trouble;
            }
        });
    }
    for (auto& thread : threads) thread.join();
    CHECK(trouble == 0);
    CHECK(fresh == benches * runs);
    CHECK(SharedStore(server.address()).find({}).size() == 2 * benches * runs);
}

TEST_CASE("the same run pushed by two at once stands in the store once") {
    TestFolder folder;
    make_counted_run(folder / "run", {{"level", "SN", {1, 2, 3}}});
    const PostgresServer server;
    SharedStore prepared(server.address());
    std::atomic<int> fresh = 0, same = 0;
    std::vector<std::thread> threads;
    for (int b = 0; b < 4; ++b) {
        threads.emplace_back([&] {
            SharedStore store(server.address());
            ++(store.push(RunData(folder / "run")) == Pushed::fresh ? fresh : same);
        });
    }
    for (auto& thread : threads) thread.join();
    CHECK(fresh == 1);
    CHECK(same == 3);
    CHECK(prepared.find({}).size() == 3);
    CHECK(prepared.push(RunData(folder / "run")) == Pushed::same);
}
