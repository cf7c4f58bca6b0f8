// Exports with hostile names in every field.
#include <doctest/doctest.h>

#include <pugixml.hpp>

#include "lab/report/comparison.hpp"
#include "lab/report/junit.hpp"
#include "lab/report/plain_text.hpp"
#include "lab/report/svg_colours.hpp"
#include "lab/report/svg_marks.hpp"
#include "lab/report/workbook.hpp"
#include "tests/about.hpp"
#include "tests/lab/facts.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

const std::string hostile = "=cmd|'/c calc'!A1 <b>\"&amp;]]>\x01\xff\xc3\xbc";

Finding finding(Verdict verdict, std::optional<double> margin) {
    Finding f;
    f.rule = "b/" + hostile, f.unit = Unit::dbuv, f.verdict = verdict, f.margin = margin;
    if (margin) f.limit = 50, f.value = 50 - *margin;
    f.reason = hostile;
    return f;
}

RunRecord record() {
    RunRecord run;
    put_facts(run, {{"title", hostile}, {"unit.serial", hostile}});
    run.tests.push_back({hostile, hostile, "emission.scan", "analyser", "", 3});
    run.tests.push_back({hostile + "2", "", "emission.scan", "analyser", "", 0});
    const char* axis[] = {"1 MHz", "2 MHz", "3 MHz"};
    const Verdict verdicts[] = {Verdict::pass, Verdict::fail, Verdict::none};
    for (std::size_t k = 0; k < 3; ++k) {
        PointRecord p;
        p.position = k + 1, p.test = hostile, p.label = hostile;
        p.axes = {{"frequency", axis[k]}, {"mode", hostile}};
        p.started = "2026-05-04T10:00:00Z", p.ended = "2026-05-04T10:00:02Z";
        p.results.push_back({"level", {40.0 + static_cast<double>(k), Unit::dbuv}, {}});
        p.findings.push_back(
            finding(verdicts[k], k < 2 ? std::optional(k == 0 ? 10.0 : -2.5) : std::nullopt));
        run.points.push_back(p);
    }
    return run;
}

}  // namespace

TEST_CASE("JUnit XML reads back with its counts, failures and errors") {
    pugi::xml_document document;
    REQUIRE(document.load_string(junit_xml(record()).c_str()));
    const auto suites = document.child("testsuites");
    const std::string plain = plain_text(hostile);
    CHECK(plain.find('\x01') == std::string::npos);
    CHECK(plain.ends_with("?ü"));
    CHECK(suites.attribute("name").value() == plain);
    const auto suite = suites.child("testsuite");
    CHECK(suite.attribute("tests").as_int() == 3);
    CHECK(suite.attribute("failures").as_int() == 1);
    CHECK(suite.attribute("errors").as_int() == 1);
    CHECK(suite.attribute("time").as_double() == about(6));
    CHECK(std::string(suite.attribute("timestamp").value()) == "2026-05-04T10:00:00");
    const auto children = suite.children("testcase");
    const std::vector<pugi::xml_node> cases(children.begin(), children.end());
    REQUIRE(cases.size() == 3);
    for (const auto& one : cases) CHECK(std::string(one.attribute("classname").value()) == plain);
    CHECK(std::string(cases[1].child("failure").attribute("message").value()).find("margin -2.50 dB") !=
          std::string::npos);
    CHECK(std::string(cases[2].child("error").attribute("type").value()) == "NONE");
}

TEST_CASE("text for documents is valid whatever it was") {
    CHECK(plain_text("a\tb\nc\r\x1b[0m") == "a\tb\nc[0m");
    CHECK(plain_text("\xc0\xaf\xed\xa0\x80\xf4\x90\x80\x80") == "?????????");
    CHECK(plain_text("µ − 𝛺") == "µ − 𝛺");
    CHECK(plain_text("\xe2\x82") == "??");
}

TEST_CASE("point signs of figures say their colours themselves") {
    const std::string svg =
        "<svg><defs><path id='p0' stroke='currentColor' d='M0,0'/><circle id='p1' fill='currentColor' "
        "stroke='none' r='1'/></defs><g fill=\"none\" color=\"gray\" stroke=\"currentColor\"><use "
        "xlink:href='#p0' color='rgb(1, 2, 3)'/><use xlink:href='#p1' color='red'/></g></svg>";
    const std::string plain = with_plain_colours(svg);
    CHECK(plain.find("currentColor") == std::string::npos);
    CHECK(plain.find("<path id='p0' d='M0,0'/>") != std::string::npos);
    CHECK(plain.find("<use xlink:href='#p0' color='rgb(1, 2, 3)' stroke='rgb(1, 2, 3)' fill='none'/>") !=
          std::string::npos);
    CHECK(plain.find("stroke='red' fill='red'/>") != std::string::npos);
    CHECK(plain.find("stroke='gray'") != std::string::npos);
    CHECK(with_plain_colours("<svg") == "<svg");
}

TEST_CASE("marks that stand together become one path, others stay") {
    const auto mark = [](int sign, const char* place, const char* look = "stroke='red' fill='none'") {
        return "<use xlink:href='#gpPt" + std::to_string(sign) + "' transform='translate(" + place +
               ") scale(2.00)' " + look + "/>";
    };
    CHECK(with_joined_marks(mark(3, "10.00,20.00") + "\n\t" + mark(3, "30.00,20.00")) ==
          "<path stroke='red' fill='none' stroke-width='0.410' "
          "d='M8.00,18.00L12.00,18.00L12.00,22.00L8.00,22.00z"
          "M28.00,18.00L32.00,18.00L32.00,22.00L28.00,22.00z'/>");
    // Another colour or shape, or a line between, begins another path.
    const std::string mixed =
        with_joined_marks("<g>" + mark(6, "1.00,1.00") + mark(6, "2.00,2.00", "stroke='blue' fill='blue'") +
                          mark(0, "3.00,3.00") + "<path d='M0,0'/>" + mark(0, "4.00,4.00") + "</g>");
    CHECK(std::count(mixed.begin(), mixed.end(), '<') == 7);
    CHECK(mixed.find("<use") == std::string::npos);
    CHECK(mixed.find("M-1.00,1.00a2.00,2.00 0 1,0 4.00,0a2.00,2.00 0 1,0 -4.00,0z") != std::string::npos);
    CHECK(mixed.find("d='M1.00,3.00L5.00,3.00M3.00,1.00L3.00,5.00'") != std::string::npos);
    // What it does not know, and what is cut off, is left as it is.
    for (const std::string& other :
         {mark(40, "1.00,1.00"), std::string("<use xlink:href='#gpPt3' id='gpPt4'/>"), mark(3, "x,1.00"),
          mark(3, "1.00,2.00").substr(0, 60), std::string("<use xlink:href='#gpPt"), std::string()})
        CHECK(with_joined_marks(other) == other);
    // Very many circles are drawn as octagons.
    std::string many;
    for (int i = 0; i < 301; ++i) many += mark(6, "1.00,1.00");
    const std::string joined = with_joined_marks(many);
    CHECK(std::count(joined.begin(), joined.end(), 'L') == 301 * 7);
    CHECK(std::count(joined.begin(), joined.end(), '<') == 1);
}

TEST_CASE("repeatability of a few values") {
    const Repeatability r = repeatability({1, 2, 4});
    CHECK(r.mean == about(7.0 / 3));
    CHECK(r.deviation == about(std::sqrt(7.0 / 3)));
    CHECK(r.range == 3);
    CHECK(repeatability({5}).deviation == 0);
}

TEST_CASE("a workbook is written whole, with names that spreadsheets take") {
    const TestFolder folder;
    write_workbook(record(), folder / "r.xlsx");
    CHECK(read_file(folder / "r.xlsx").starts_with("PK"));
    CHECK_FALSE(std::filesystem::exists(folder / "r.xlsx.part"));
    CHECK_THROWS(write_workbook(record(), folder / "none" / "r.xlsx"));
}
