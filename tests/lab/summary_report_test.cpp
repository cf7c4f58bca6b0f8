// Runs of very many findings are reported as a summary; what was not listed is told, and stands in the
// tables.
#include <doctest/doctest.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "lab/formats/file_writer.hpp"
#include "lab/report/page/report.hpp"
#include "lab/report/tables.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"
#include "tests/lab/made_run.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

// One point more, with so many findings of which every `failing`th fails.
void add_findings(const std::filesystem::path& run, std::size_t count, std::size_t failing) {
    Tally tally = Tally::open_to_write(run);
    PointRecord point;
    point.position = 2, point.id = "0123456789abcdef", point.test = "level", point.label = "level=9 dBm";
    point.axes = {{"level", "9 dBm"}};
    point.started = point.ended = utc_now();
    point.capture.kind = "power";
    point.results.push_back({"loss", {1, Unit::db}, {}});
    for (std::size_t i = 0; i < count; ++i) {
        Finding finding;
        finding.rule = "made/loss", finding.title = "Loss", finding.clause = "4.1", finding.unit = Unit::db;
        finding.limit = 0;
        finding.value = finding.margin = (i % failing == 0 ? -1 : 1) * (1 + static_cast<double>(i));
        finding.verdict = i % failing == 0 ? Verdict::fail : Verdict::pass;
        point.findings.push_back(finding);
    }
    tally.add(point);
}

std::size_t times(const std::string& text, const std::string& word) {
    std::size_t out = 0;
    for (std::size_t at = 0; (at = text.find(word, at)) != std::string::npos; at += word.size()) ++out;
    return out;
}

}  // namespace

TEST_CASE("a run of very many findings: counted whole, failures listed, the rest told and in the tables") {
    TestFolder folder;
    make_counted_run(folder / "run", {{"level", "SN-1", {5}}});
    add_findings(folder / "run", 10'500, 100);
    const RunData run(folder / "run");
    const auto written = write_report({&run}, folder / "out");
    const std::string html = read_file(written.html);
    CHECK(html.find("A summary: 8501 further findings") != std::string::npos);
    CHECK(html.find("(0 FAIL, 0 NONE, 0 MARGINAL, 8501 PASS)") != std::string::npos);
    CHECK(html.find("FAIL</li>") == std::string::npos);
    CHECK(html.find("✕ FAIL <b>105</b>") != std::string::npos);
    CHECK(html.find("✓ PASS <b>10396</b>") != std::string::npos);
    const auto json = nlohmann::json::parse(read_file(folder / "out/results.json"));
    CHECK(json["findings"].size() == 10'501);
    CHECK(json["counts"]["FAIL"] == 105);
    const std::string csv = read_file(folder / "out/results.csv");
    CHECK(std::count(csv.begin(), csv.end(), '\n') == 10'502);
    CHECK(times(csv, ",FAIL,") == 105);
    CHECK(written.files.size() == 3);
}

TEST_CASE("more failures than a summary lists: what is left out says so by verdict") {
    TestFolder folder;
    make_counted_run(folder / "run", {{"level", "SN-1", {5}}});
    add_findings(folder / "run", 10'500, 2);
    const RunData run(folder / "run");
    const std::string html = read_file(write_report({&run}, folder / "out").html);
    CHECK(html.find("(3250 FAIL, 0 NONE, 0 MARGINAL, 5251 PASS)") != std::string::npos);
    CHECK(html.find("✕ FAIL <b>5250</b>") != std::string::npos);
}

TEST_CASE("results written member by member are the document that they were") {
    TestFolder folder;
    make_counted_run(folder / "run", {{"level", "SN-1", {5, -2}}});
    {
        Tally tally = Tally::open_to_write(folder / "run");
        tally.add(EventRecord{utc_now(), "note", "two\nlines \"quoted\" \xff", 1.5});
    }
    const std::string text = run_json(RunData(folder / "run").record());
    const auto json = nlohmann::ordered_json::parse(text);
    CHECK(json.dump(2) + "\n" == text);
    CHECK(json["events"].size() == 1);
    CHECK(json["findings"][1]["verdict"] == "FAIL");
}

TEST_CASE("a long file is there whole or not at all") {
    TestFolder folder;
    const auto path = folder / "long.txt";
    {
        FileWriter unfinished(path);
        unfinished.write("half");
    }
    CHECK_FALSE(std::filesystem::exists(path));
    CHECK(std::filesystem::is_empty(folder.path()));
    const std::string piece(100'000, 'x');
    FileWriter file(path);
    for (int i = 0; i < 7; ++i) file.write(piece);
    CHECK_FALSE(std::filesystem::exists(path));
    file.finish();
    CHECK(std::filesystem::file_size(path) == 700'000);
    CHECK(error_text(ErrorKind::output, [&] {
              FileWriter nowhere(folder / "none/long.txt");
          }).find("cannot be written") != std::string::npos);
}
