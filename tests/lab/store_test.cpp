#include <doctest/doctest.h>

#include <atomic>
#include <pqxx/pqxx>
#include <thread>

#include "core/base/error.hpp"
#include "lab/store/shared_schema.hpp"
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
    CHECK(store.push(folder / "a") == Pushed::fresh);
    CHECK(store.push(folder / "b") == Pushed::fresh);
    CHECK(store.push(folder / "a") == Pushed::same);
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
    CHECK(store.push(folder / "a") == Pushed::replaced);
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

TEST_CASE("a run whose kept rulebook was altered is not put into the store") {
    TestFolder folder;
    make_counted_run(folder / "a", {{"level", "SN-1", {1}}});
    const std::string book = read_file(folder / "a/inputs/made.toml");
    write_file(folder / "a/inputs/made.toml", book + "\n# looser\n");
    const PostgresServer server;
    SharedStore store(server.address());
    CHECK(input_error([&] { store.push(folder / "a"); }).find("inputs/made.toml was altered") !=
          std::string::npos);
    CHECK(store.find({}).empty());
    write_file(folder / "a/inputs/made.toml", book);
    CHECK(store.push(folder / "a") == Pushed::fresh);
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
                    const auto run = folder / (std::to_string(b) + "-" + std::to_string(r));
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
            ++(store.push(folder / "run") == Pushed::fresh ? fresh : same);
        });
    }
    for (auto& thread : threads) thread.join();
    CHECK(fresh == 1);
    CHECK(same == 3);
    CHECK(prepared.find({}).size() == 3);
    CHECK(prepared.push(folder / "run") == Pushed::same);
}

namespace {

// What a store of version 1 held: two runs, one of them without a capture.
constexpr const char* version_1 = R"sql(
INSERT INTO store VALUES (1);
INSERT INTO run (identity, seal, folder, started, ended, state, title, customer, operator, model, serial) VALUES
    ('a', 's', '/lab/a', '2026-01-02T00:00:00Z', '', 'complete', 't', '', '', 'Skerry-2', 'SN-1'),
    ('b', 's', '/lab/b', '2026-02-02T00:00:00Z', '', 'complete', 't', '', '', 'Skerry-2', 'SN-2');
INSERT INTO fact VALUES (1, 'bench', 'hall 1'), (1, 'title', 't'), (2, 'title', 't');
INSERT INTO point VALUES
    (1, 1, 'p', 1, 'point', 'valid', 'level', 'level=0 dBm', '', '', 'captures/1.csv', 'cafe'),
    (2, 1, 'p', 1, 'point', 'valid', 'level', 'level=0 dBm', '', '', '', '');
INSERT INTO finding VALUES (1, 1, 'made/loss', '4.1', 'dB', 0, 3, 3, 'PASS', ''), (2, 1, 'made/loss', '4.1', 'dB', 0, -1, -1, 'FAIL', '');
)sql";

}  // namespace

TEST_CASE("a store of version 1 is brought up with all that it holds, once, also by several at once") {
    TestFolder folder;
    make_counted_run(folder / "c", {{"level", "SN-3", {2}}});
    const PostgresServer server;
    {
        pqxx::connection connection(server.address());
        pqxx::work work(connection);
        work.exec(first_store_tables);
        work.exec(version_1);
        work.commit();
    }
    std::vector<std::thread> threads;
    std::atomic<int> whole = 0;
    for (int i = 0; i < 3; ++i)
        threads.emplace_back([&] { whole += SharedStore(server.address()).find({}).size() == 2; });
    for (auto& thread : threads) thread.join();
    CHECK(whole == 3);
    SharedStore store(server.address());
    const auto found = store.find({});
    REQUIRE(found.size() == 2);
    CHECK(found[0].margin == -1);
    CHECK(found[0].bench.empty());
    CHECK(found[1].bench == "hall 1");
    const auto captures = store.find_capture("cafe");
    REQUIRE(captures.size() == 1);
    CHECK(captures[0].run == "/lab/a");
    CHECK(captures[0].path == "captures/1.csv");
    CHECK(store.find_capture("").empty());
    CHECK(store.push(folder / "c") == Pushed::fresh);
    CHECK(store.find({}).size() == 3);
    // What belongs to a run goes with it.
    pqxx::connection connection(server.address());
    pqxx::work work(connection);
    work.exec("DELETE FROM rare_tally.run WHERE serial <> 'SN-2'");
    const auto count = [&](const std::string& table) {
        return work.exec("SELECT count(*) FROM rare_tally." + table)[0][0].as<int>();
    };
    CHECK(count("finding") == 1);
    CHECK(count("point") == 1);
    CHECK(count("fact") == 1);
    for (const char* table : {"capture", "axis", "result", "test", "file", "event"}) CHECK(count(table) == 0);
    // One that is later than this program is left as it is.
    work.exec("UPDATE rare_tally.store SET version = 99");
    work.commit();
    CHECK(input_error([&] { SharedStore later(server.address()); }).find("has schema 99") !=
          std::string::npos);
}

TEST_CASE("judgements under several names stand beside a run's own findings, until the run is another") {
    TestFolder folder;
    make_counted_run(folder / "a", {{"level", "SN-1", {1, 5, -2}}});
    make_counted_run(folder / "b", {{"level", "SN-2", {4}}});
    const PostgresServer server;
    SharedStore store(server.address());
    const auto judged = [&](const std::string& run, double less) {
        Judgement out{"edition of 2027", "made (Made, 2)", {}};
        const RunData data(folder / run);
        for (const auto& point : data.record().points) {
            for (Finding finding : point.findings) {
                *finding.margin -= less;
                finding.verdict = *finding.margin < 0 ? Verdict::fail : Verdict::pass;
                out.findings.push_back({point.position, finding});
            }
        }
        return out;
    };
    CHECK(input_error([&] { store.put(folder / "a", judged("a", 3)); }).find("push it first") !=
          std::string::npos);
    store.push(folder / "a"), store.push(folder / "b");
    store.put(folder / "a", judged("a", 3));
    store.put(folder / "b", judged("b", 3));
    FindingQuery query;
    query.judgement = "edition of 2027";
    const auto margins = [&](const FindingQuery& q) {
        std::vector<double> out;
        for (const auto& f : store.find(q)) out.push_back(*f.margin);
        return out;
    };
    CHECK(margins(query) == std::vector<double>{-5, -2, 1, 2});
    CHECK(margins({}) == std::vector<double>{-2, 1, 4, 5});
    // Made once more, it takes its own place.
    store.put(folder / "a", judged("a", 0));
    CHECK(margins(query) == std::vector<double>{-2, 1, 1, 5});
    query.judgement = "never made";
    CHECK(margins(query).empty());
    // Carried on since: what was judged is no longer what the store has.
    { Tally::open_to_write(folder / "a").set_fact("note", "later"); }
    CHECK(input_error([&] { store.put(folder / "a", judged("a", 1)); }).find("push it first") !=
          std::string::npos);
    CHECK(store.push(folder / "a") == Pushed::replaced);
    query.judgement = "edition of 2027";
    CHECK(margins(query) == std::vector<double>{1});
    std::vector<std::string> left_out;
    CHECK(input_error([&] { find_in_folders({folder.path()}, query, left_out); }).find("--store") !=
          std::string::npos);
}

TEST_CASE("trends: folders, the store and counting by hand agree") {
    TestFolder folder;
    make_counted_run(folder / "a", {{"level", "SN-1", {1, 5, -2, 9}}});
    make_counted_run(folder / "b", {{"level", "SN-2", {0.5}}, {"other", "SN-2", {7, 8}}});
    make_counted_run(folder / "c", {{"level", "SN-1", {3}}});
    const PostgresServer server;
    SharedStore store(server.address());
    for (const char* run : {"a", "b", "c"}) store.push(folder / run);
    const auto by_unit = trend_of(found_in(folder.path(), {}), TrendBy::unit);
    REQUIRE(by_unit.size() == 2);
    CHECK(by_unit[0].key == "SN-1");
    CHECK(by_unit[0].runs == 2);
    CHECK(by_unit[0].verdicts.fail == 1);
    CHECK(by_unit[0].verdicts.pass == 4);
    CHECK(by_unit[0].unit == Unit::db);
    // Of -2, 1, 3, 5, 9: the second, third and fourth.
    CHECK(by_unit[0].lowest == -2);
    CHECK(by_unit[0].quarter == 1);
    CHECK(by_unit[0].median == 3);
    CHECK(by_unit[0].three_quarters == 5);
    CHECK(by_unit[0].highest == 9);
    FindingQuery level;
    level.test = "level";
    for (const auto& query : {FindingQuery{}, level}) {
        for (std::size_t i = 0; i < std::size(trend_names); ++i) {
            const auto by = static_cast<TrendBy>(i);
            const auto here = trend_of(found_in(folder.path(), query), by), there = store.trend(query, by);
            REQUIRE(here.size() == there.size());
            for (std::size_t k = 0; k < here.size(); ++k) {
                CHECK(here[k].key == there[k].key);
                CHECK(here[k].unit == there[k].unit);
                CHECK(here[k].runs == there[k].runs);
                CHECK(here[k].verdicts.total() == there[k].verdicts.total());
                CHECK(here[k].verdicts.fail == there[k].verdicts.fail);
                CHECK(here[k].lowest == there[k].lowest);
                CHECK(here[k].quarter == there[k].quarter);
                CHECK(here[k].median == there[k].median);
                CHECK(here[k].three_quarters == there[k].three_quarters);
                CHECK(here[k].highest == there[k].highest);
            }
        }
    }
    const Figure figure = trend_figure(by_unit, TrendBy::unit, "t");
    CHECK(figure.places == std::vector<std::string>{"SN-1", "SN-2"});
    CHECK(input_error([] { trend_figure({}, TrendBy::unit, "t"); }).find("no margins") != std::string::npos);
    auto two = by_unit;
    two[1].unit = Unit::second;
    CHECK(input_error([&] { trend_figure(two, TrendBy::unit, "t"); }).find("2 units") != std::string::npos);
}

TEST_CASE("a capture is found by its hash in folders and in the store, as what it is") {
    TestFolder folder;
    make_counted_run(folder / "a", {{"level", "SN-1", {1}}});
    {
        Tally tally = Tally::open_to_write(folder / "a");
        PointRecord point;
        point.position = 2, point.id = "0123456789abcdef", point.test = "level", point.label = "level=9 dBm";
        point.started = point.ended = rt::lab::utc_now();
        point.capture = {"captures/2.csv", "power", std::string(64, 'c'), 10};
        point.inputs = {{"", "", point.capture},
                        {"dummy", "p", {"captures/1.csv", "power", std::string(64, 'd'), 9}}};
        point.attachments = {{"captures/2.png", "picture", std::string(64, 'e'), 8}};
        tally.add(point);
    }
    const PostgresServer server;
    SharedStore store(server.address());
    store.push(folder / "a");
    for (const auto& [letter, role] : {std::pair{'c', "capture"}, {'d', "input"}, {'e', "attachment"}}) {
        std::vector<std::string> left_out;
        const auto here = find_capture_in_folders({folder.path()}, std::string(64, letter), left_out);
        const auto there = store.find_capture(std::string(64, letter));
        CHECK(left_out.empty());
        REQUIRE(here.size() == 1);
        REQUIRE(there.size() == 1);
        CHECK(here[0].role == role);
        CHECK(there[0].role == role);
        CHECK(here[0].path == there[0].path);
        CHECK(there[0].point == "level=9 dBm");
    }
    CHECK(store.find_capture(std::string(64, 'f')).empty());
}
