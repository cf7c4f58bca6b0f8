// Pages made of runs: joined parts, own templates, names of files, figures that can be read.
#include <doctest/doctest.h>

#include <nlohmann/json.hpp>

#include "lab/formats/report_name.hpp"
#include "lab/report/figure_values.hpp"
#include "lab/report/page/own_template.hpp"
#include "lab/report/page/report.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/facts.hpp"
#include "tests/lab/folder.hpp"
#include "tests/lab/made_run.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

std::string filled(const std::string& text, const PageRuns& runs, bool markup = true) {
    ReportFigures none;
    none.watches.resize(runs.size());
    return fill_template(text, "own.html",
                         template_values(report_values(runs, none), runs, none,
                                         markup ? TemplateKind::markup : TemplateKind::text),
                         markup);
}

}  // namespace

TEST_CASE("runs joined: one page, parts told apart, counts of all") {
    TestFolder folder;
    make_counted_run(folder / "low", {{"level", "SN-1", {1, 2, 3}}});
    make_counted_run(folder / "high", {{"level", "SN-1", {4, -1}}});
    const RunData low(folder / "low"), high(folder / "high");
    const auto written = write_report({&low, &high}, folder / "out");
    CHECK(written.html == folder / "out/report.html");
    const std::string html = read_file(written.html);
    CHECK(html.find("This report joins 2 runs") != std::string::npos);
    CHECK(html.find("different units") == std::string::npos);
    CHECK(html.find("id=\"point-1-3\"") != std::string::npos);
    CHECK(html.find("id=\"point-2-2\"") != std::string::npos);
    CHECK(html.find("5 measurements · 4 PASS, 0 MARGINAL, 1 FAIL, 0 NONE") != std::string::npos);
    // Both seals, and both tables.
    CHECK(html.find(low.seal()) != std::string::npos);
    CHECK(html.find(high.seal()) != std::string::npos);
    CHECK(std::filesystem::exists(folder / "out/results-2.csv"));
    // One curve over both parts.
    CHECK(written.figures == 1);
    make_counted_run(folder / "other", {{"level", "SN-2", {1}}});
    const RunData other(folder / "other");
    CHECK(read_file(write_report({&low, &other}, folder / "mixed").html).find("different units") !=
          std::string::npos);
}

TEST_CASE("own templates: values by name, escaped in markup, as they are in text") {
    TestFolder folder;
    make_counted_run(folder / "run", {{"level", "<b>SN</b>", {1, 2}}, {"other.test", "<b>SN</b>", {-2}}});
    const RunData run(folder / "run");
    CHECK(filled("{{unit.serial}} {{fail}}", {&run}) == "&lt;b&gt;SN&lt;/b&gt; 1");
    CHECK(filled("{{unit.serial}}", {&run}, false) == "<b>SN</b>");
    CHECK(filled("{{test.level.margin}}|{{test.level.loss}}|{{test.level.where}}", {&run}) ==
          "1.00 dB|1 dB|level=0 dBm");
    CHECK(filled("{{test.other-test.verdict}}", {&run}) == "FAIL");  // dots part names
    CHECK(filled("{{#findings}}{{#verdict_is_fail}}{{test}};{{/verdict_is_fail}}{{/findings}}", {&run}) ==
          "other.test;");
    CHECK(filled("{{#by_test}}{{name}} {{pass}};{{/by_test}}", {&run}) == "level 2;other.test 0;");
    CHECK(filled("{{#unit.owner}}{{unit.owner}}{{/unit.owner}}-{{^unit.owner}}none{{/unit.owner}}", {&run}) ==
          "-none");
    CHECK(filled("a{{#customer}} for {{customer}}{{/customer}}", {&run}) == "a");  // stated as nothing
    CHECK(filled("{{{test.level.table}}}", {&run}).starts_with("<table>\n<tr><th>level</th><th>loss</th>"));
    CHECK(filled("{{{test.level.table}}}", {&run}, false)
              .starts_with("level  loss  verdict\n0 dBm  1 dB  PASS\n"));
}

TEST_CASE("slips in own templates are named with their line, and nothing is written") {
    TestFolder folder;
    make_counted_run(folder / "run", {{"level", "SN", {1}}});
    const RunData run(folder / "run");
    const auto slip = [&](const std::string& text) { return input_error([&] { filled(text, {&run}); }); };
    CHECK(slip("a\n{{unit.seriall}}")
              .find("own.html:2: there is no value \"unit.seriall\": did you mean "
                    "\"unit.serial\"?") == 0);
    CHECK(slip("{{test.level.verdikt}}").find("did you mean \"test.level.verdict\"?") != std::string::npos);
    CHECK(slip("{{test.levl.verdict}}").find("there is no value") != std::string::npos);
    CHECK(slip("{{#findings}}{{rul}}{{/findings}}").find("did you mean \"rule\"?") != std::string::npos);
    CHECK(slip("{{#findings}}x").find("section {{#findings}} is not closed") != std::string::npos);
    CHECK(slip("{{#findings}}x{{/tests}}").find("{{/tests}} closes section {{#findings}}") !=
          std::string::npos);
    CHECK(slip("{{> other}}").find("partials") != std::string::npos);
    CHECK(slip("{{title").find("is not closed by }}") != std::string::npos);
    folder.write("own.html", "{{nothing_like_this}}");
    ReportOptions options;
    options.templates = {folder / "own.html"};
    CHECK_FALSE(input_error([&] { write_report({&run}, folder / "out", options); }).empty());
    CHECK_FALSE(std::filesystem::exists(folder / "out"));
}

TEST_CASE("names of report files are filled in and safe") {
    RunRecord run;
    put_facts(
        run,
        {{"unit.serial", "../../etc/SN 7"}, {"started", "2026-05-31T14:05:09.123Z"}, {"title", "Ünit & co"}});
    CHECK(report_name("", run) == "report");
    CHECK(report_name("{date}-{time}", run) == "2026-05-31-140509");
    const std::string name = report_name("{serial}-{campaign}", run);
    CHECK(name.find('/') == std::string::npos);
    CHECK(name.front() != '.');
    CHECK(name.find(' ') == std::string::npos);
    CHECK(report_name("{customer}", run) == "report");  // nothing known: never an empty name
    CHECK(report_name(std::string(500, 'x'), run).size() == 80);
    CHECK(input_error([] { require_name_pattern("{seriall}"); }).find("did you mean \"serial\"?") !=
          std::string::npos);
    CHECK_FALSE(input_error([] { require_name_pattern("{serial"); }).empty());
}

TEST_CASE("values of figures: shared places once, gaps as null, nothing that ends an element") {
    Figure figure;
    figure.title = "a </script><b>";
    figure.curves.push_back({"one", CurveRole::trace, {1, 2, 3}, {4, std::nan(""), 6}});
    figure.curves.push_back({"limit", CurveRole::limit, {1, 2, 3}, {7, 7, 7}});
    const std::string text = figure_values(figure);
    CHECK(text.find('<') == std::string::npos);
    const auto json = nlohmann::json::parse(text);
    CHECK(json["title"] == "a </script><b>");
    CHECK(json["curves"][0]["y"][1].is_null());
    CHECK(json["curves"][1]["x"] == 0);
    CHECK(json["curves"][1]["role"] == "limit");
    figure.polar = true;
    CHECK(figure_values(figure).empty());
}
