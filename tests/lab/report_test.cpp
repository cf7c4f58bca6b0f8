#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/error.hpp"
#include "lab/clock.hpp"
#include "lab/report/figure.hpp"
#include "lab/report/maximum_figure.hpp"
#include "lab/report/page/report.hpp"
#include "lab/report/report_figures.hpp"
#include "lab/report/tables.hpp"
#include "lab/tally/tally.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/facts.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

const std::string hostile = "<script>alert(1)</script>'`touch owned`\"{{title}}";

// A run folder with one point, made without instruments.
void make_run(const std::filesystem::path& folder) {
    RunRecord run;
    put_facts(run, {{"title", hostile},
                    {"unit.model", hostile},
                    {"unit.serial", hostile},
                    {"state", "complete"},
                    {"started", utc_now()}});
    run.instruments.push_back({"analyser", hostile, hostile, hostile, "", hostile, "simulated"});
    run.tests.push_back({"scan", hostile, "emission.scan", "analyser", hostile, 1});
    const std::string book = read_file(std::filesystem::path(RT_SOURCE) / "rulebooks/cispr-32.toml");
    make_folder(folder / "inputs/rulebooks");
    write_file(folder / "inputs/rulebooks/cispr-32.toml", book);
    run.files.push_back({"inputs/rulebooks/cispr-32.toml", "rulebook", sha256(book), ""});
    Tally tally = Tally::create(folder, [&] { return run; });
    PointRecord point;
    point.position = 1;
    point.id = "0123456789abcdef";
    point.test = "scan";
    point.label = hostile;
    const std::string csv =
        "# detector: average\n# bandwidth: 9 kHz\nfrequency [MHz],level [dBuV]\n0.15,40\n1,41\n30,42\n";
    make_folder(folder / "captures");
    write_file(folder / "captures/00001.csv", csv);
    point.capture = {"captures/00001.csv", "spectrum", sha256(csv), csv.size()};
    Finding finding;
    finding.rule = "cispr-32/mains-b-av";
    finding.unit = Unit::dbuv;
    finding.value = 41, finding.limit = 46, finding.margin = 5;
    finding.at = Quantity{1e6, Unit::hertz};
    finding.verdict = Verdict::pass;
    finding.reason = hostile;
    finding.deviations = {hostile};
    point.findings.push_back(finding);
    point.notes = {hostile};
    tally.add(point);
}

}  // namespace

TEST_CASE("hostile texts stay texts in page, figures and tables") {
    TestFolder folder;
    make_run(folder / "run");
    const RunData run(folder / "run");
    const auto written = write_report({&run}, folder / "run/report");
    REQUIRE(written.files.size() == 3);
    REQUIRE(written.figures == 1);
    const std::string html = read_file(written.html);
    CHECK(html.find("<script>alert") == std::string::npos);
    CHECK(html.find("&lt;script&gt;") != std::string::npos);
    CHECK(html.find("{{title}}") != std::string::npos);  // not rendered again
    CHECK_FALSE(std::filesystem::exists("owned"));
    const std::string svg = read_file(written.figure_folder / "00001.svg");
    CHECK(svg.find("<script>") == std::string::npos);
    CHECK(svg.find("touch owned") != std::string::npos);  // shown, not run
    const auto json = nlohmann::json::parse(read_file(written.files[2]));
    CHECK(json["findings"][0]["reason"] == hostile);
    CHECK(json["findings"][0]["margin"] == 5);
    CHECK(json["findings"][0]["at"]["value"] == 1e6);
    const std::string csv = read_file(written.files[1]);
    CHECK(std::count(csv.begin(), csv.end(), '\n') == 2);
    CHECK(csv.find("\"\"{{title}}") != std::string::npos);  // quotes doubled
    // One file that needs nothing else.
    for (const char* outside : {"src=\"http", "href=\"http", "@import", "url("})
        CHECK(html.find(outside) == std::string::npos);
}

TEST_CASE("the line of a rule says of its title what all findings under it have in common") {
    const auto line_of = [](const std::vector<std::string>& titles) {
        TestFolder folder;
        RunRecord run;
        put_facts(run, {{"title", "t"}, {"state", "complete"}, {"started", utc_now()}});
        run.tests.push_back({"test", "Test", "power.level", "meter", "", titles.size()});
        const std::string book = read_file(std::filesystem::path(RT_SOURCE) / "rulebooks/cispr-32.toml");
        folder.write("run/inputs/rulebooks/cispr-32.toml", book);
        run.files.push_back({"inputs/rulebooks/cispr-32.toml", "rulebook", sha256(book), ""});
        Tally tally = Tally::create(folder / "run", [&] { return run; });
        for (std::size_t k = 0; k < titles.size(); ++k) {
            PointRecord point;
            point.position = k + 1;
            point.id = "id" + std::to_string(k);
            point.test = "test";
            point.label = std::to_string(k);
            Finding finding;
            finding.rule = "cispr-32/mains-b-av", finding.title = titles[k];
            finding.unit = Unit::dbm;
            finding.value = 1, finding.limit = 2, finding.margin = 1;
            finding.verdict = Verdict::pass;
            point.findings.push_back(finding);
            tally.add(point);
        }
        const RunData data(folder / "run");
        const std::string html = read_file(write_report({&data}, folder / "run/report").html);
        const std::string begin =
            "#rule-cispr-32/mains-b-av\">cispr-32/mains-b-av</a> <span class=\"remark\">";
        const auto at = html.find(begin);
        REQUIRE(at != std::string::npos);
        const auto from = at + begin.size();
        return html.substr(from, html.find('<', from) - from);
    };
    CHECK(line_of({"Jitter, frequency 1 MHz", "Jitter, frequency 20 MHz"}) == "Jitter");
    CHECK(line_of({"Error, centre 2 GHz, modulation qpsk", "Error, centre 2 GHz, modulation 16qam"}) ==
          "Error, centre 2 GHz");
    CHECK(line_of({"Jitter, frequency 1 MHz"}) == "Jitter, frequency 1 MHz");
    CHECK(line_of({"Power", "Power, band 7"}) == "Power");
    CHECK(line_of({"Power", "Powered"}) == "Power");  // nothing in common: the first one
}

TEST_CASE("a report can be made again, and an altered capture is not drawn") {
    TestFolder folder;
    make_run(folder / "run");
    const RunData run(folder / "run");
    write_report({&run}, folder / "elsewhere");
    CHECK(std::filesystem::exists(folder / "elsewhere/report.html"));
    write_file(folder / "run/captures/00001.csv", "frequency [MHz],level [dBuV]\n0.15,10\n");
    CHECK(input_error([&] { write_report({&run}, folder / "again"); }).find("was altered") !=
          std::string::npos);
    CHECK_FALSE(std::filesystem::exists(folder / "again/report.html"));
}

TEST_CASE(
    "final readings stand over the pre-scan that they came from, not over another port's of the same grid") {
    const auto shown = [](const std::string& from) {
        TestFolder folder;
        RunRecord run;
        put_facts(run, {{"title", "t"},
                        {"unit.model", "m"},
                        {"unit.serial", "7"},
                        {"state", "complete"},
                        {"started", utc_now()}});
        run.tests.push_back({"antenna", "Antenna", "emission.scan", "analyser", "", 1});
        run.tests.push_back({"supply", "Supply", "emission.scan", "analyser", "", 1});
        run.tests.push_back({"final", "Final", "emission.final", "analyser", "", 1});
        run.tests.back().found_by = from;
        const auto run_folder = folder / "run";
        make_folder(run_folder / "captures");
        Tally tally = Tally::create(run_folder, [&] { return run; });
        std::size_t position = 0;
        const auto add = [&](const std::string& test, const std::string& levels) {
            PointRecord point;
            point.position = ++position;
            point.id = sha256(test).substr(0, 16);
            point.test = test;
            point.label = test;
            const std::string csv =
                "# detector: peak\n# bandwidth: 9 kHz\nfrequency [MHz],level [dBuV]\n" + levels;
            const std::string name = "captures/" + test + ".csv";
            write_file(run_folder / name, csv);
            if (test != "final") point.capture = {name, "spectrum", sha256(csv), csv.size()};
            if (test == "final") {
                point.results.push_back({"frequency", {1e6, Unit::hertz}, {}});
                point.results.push_back({"level", {39, Unit::dbuv}, {}});
            } else {
                point.results.push_back({"highest_level_frequency", {1e6, Unit::hertz}, {}});
            }
            tally.add(point);
        };
        add("antenna", "0.9,71.5\n1,73.5\n1.1,72.5\n");
        add("supply", "0.9,40.5\n1,42.5\n1.1,41.5\n");
        add("final", "0.9,38\n1,39\n1.1,38\n");
        const RunData data(run_folder);
        const auto figures = draw_figures({&data}, folder / "out", 4);
        const DrawnFigure* figure = figures.sweep("final");
        return figure ? figure->values : "";
    };
    const std::string supply = shown("supply"), antenna = shown("antenna");
    CHECK(supply.find("42.5") != std::string::npos);
    CHECK(supply.find("73.5") == std::string::npos);
    CHECK(antenna.find("73.5") != std::string::npos);
    CHECK(antenna.find("42.5") == std::string::npos);
    CHECK(shown("").find("73.5") == std::string::npos);
}

TEST_CASE("thinning keeps every peak") {
    Curve curve;
    for (int i = 0; i < 100000; ++i) {
        curve.x.push_back(1 + i);
        curve.y.push_back(i % 7);
    }
    curve.y[54321] = 99;
    curve.y[12345] = -99;
    for (const bool log_x : {false, true}) {
        const Curve thin = thinned(curve, log_x, 1000);
        CHECK(thin.x.size() <= 2100);
        CHECK(*std::max_element(thin.y.begin(), thin.y.end()) == 99);
        CHECK(*std::min_element(thin.y.begin(), thin.y.end()) == -99);
        CHECK(std::is_sorted(thin.x.begin(), thin.x.end()));
    }
    curve.x.resize(10), curve.y.resize(10);
    CHECK(thinned(curve, false, 1000).y == curve.y);
}

TEST_CASE("a figure draws the limit where it is and marks the worst point") {
    RuleLibrary library;
    library.add(std::filesystem::path(RT_SOURCE) / "rulebooks/cispr-32.toml");
    Trace trace;
    trace.name = "emission";
    trace.title = "Level";
    trace.x = {150e3, 1e6, 30e6};
    trace.y = {40, 50, 40};
    trace.y_unit = Unit::dbuv;
    trace.log_x = true;
    Finding finding;
    finding.unit = Unit::dbuv;
    finding.value = 50, finding.margin = -4, finding.at = Quantity{1e6, Unit::hertz};
    finding.verdict = Verdict::fail;
    const Figure figure = trace_figure(trace, "t", {library.find("cispr-32/mains-b-av")}, {finding});
    REQUIRE(figure.curves.size() == 2);
    const Curve& limit = figure.curves[1];
    CHECK(limit.x.front() == 0.15);
    CHECK(limit.y.front() == 56);
    for (std::size_t i = 0; i < limit.x.size(); ++i) {
        if (!std::isfinite(limit.y[i]) || limit.x[i] > 0.5) continue;
        CHECK(limit.y[i] == about(56 - 10 * std::log10(limit.x[i] / 0.15) / std::log10(0.5 / 0.15)));
    }
    REQUIRE(figure.markers.size() == 1);
    CHECK(figure.markers[0].x == 1);
    CHECK(figure.markers[0].text == "FAIL: margin -4.00 dB at 1 MHz");
    // Of two curves of one capture only the one that the line judges has its worst place.
    finding.rule = "cispr-32/mains-b-av";
    CHECK(trace_figure(trace, "t", {library.find("cispr-32/mains-b-av")}, {finding}).markers.size() == 1);
    Trace other = trace;
    other.name = "emission_wide";
    CHECK(trace_figure(other, "t", {library.find("cispr-32/mains-b-av")}, {finding}).markers.empty());
    finding.verdict = Verdict::none;
    CHECK(trace_figure(trace, "t", {library.find("cispr-32/mains-b-av")}, {finding}).markers.empty());
}

TEST_CASE("a single reading and a curve that is all but flat are drawn with room around them") {
    RuleLibrary library;
    library.add(std::filesystem::path(RT_SOURCE) / "rulebooks/cispr-32.toml");
    Trace reading;
    reading.name = "emission";
    reading.title = "Level";
    reading.x = {1e6};
    reading.y = {50};
    reading.y_unit = Unit::dbuv;
    reading.spots = true;
    const Figure judged = trace_figure(reading, "t", {library.find("cispr-32/mains-b-av")}, {});
    REQUIRE(judged.curves.size() == 2);
    CHECK(judged.curves[0].role == CurveRole::spots);
    CHECK(judged.curves[1].x.front() == about(0.9));
    CHECK(judged.curves[1].y.front() == 46);
    Figure flat;
    flat.curves.push_back({"a", CurveRole::trace, {1, 2, 3}, {71.675261, 71.675262, 71.675263}});
    TestFolder folder;
    Plotter plotter;
    plotter.draw(judged, folder / "judged.svg");
    plotter.draw(trace_figure(reading, "t", {}, {}), folder / "alone.svg");
    plotter.draw(flat, folder / "flat.svg");
    plotter.finish();
    // The curve itself is a path; out of range none is drawn.
    CHECK(read_file(folder / "flat.svg").find("<path stroke='rgb( 20,  80, 110)'  d='M") !=
          std::string::npos);
}

TEST_CASE("the way to a maximum is drawn over the angle in polar form and over the height") {
    std::vector<PointRecord> points;
    const auto add = [&](PointKind kind, double angle, double height, double level) {
        PointRecord record;
        record.test = "final";
        record.kind = kind;
        record.position = points.size() + 1;
        record.axes = {{"frequency", "50 MHz"},
                       {"azimuth", format({angle, Unit::degree})},
                       {"height", format({height, Unit::metre})}};
        record.results = {{"level", {level, Unit::dbuv}, {}}};
        points.push_back(record);
    };
    // Trials of a point before do not belong to it.
    add(PointKind::trial, 0, 9, 99);
    add(PointKind::point, 0, 9, 99);
    for (const double height : {1.0, 2.0, 3.0}) {
        for (const double angle : {0.0, 90.0, 180.0, 270.0})
            add(PointKind::trial, angle, height, 30 + 5 * std::cos((angle - 90) * M_PI / 180) - height);
    }
    add(PointKind::trial, 90, 1.5, 33);
    add(PointKind::point, 90, 1, 34);
    const auto figures = maximum_figures(points, points.back());
    REQUIRE(figures.size() == 2);
    const Figure& polar = figures[0];
    CHECK(polar.polar);
    REQUIRE(polar.curves.size() == 3);  // the single trial at 1.5 m is no curve
    CHECK(polar.curves[0].name == "height 1 m");
    CHECK(polar.curves[0].x == std::vector<double>{0, 90, 180, 270, 360});  // closed
    CHECK(polar.curves[0].y[1] == about(34));
    CHECK(polar.markers[0].text == "highest: 34 dBµV at 90 °");
    const Figure& height = figures[1];
    CHECK_FALSE(height.polar);
    REQUIRE(height.curves.size() == 1);
    CHECK(height.curves[0].x == std::vector<double>{1, 1.5, 2, 3});
    CHECK(maximum_figures(points, points[1]).empty());
    TestFolder folder;
    Plotter plotter;
    plotter.draw(polar, folder / "polar.svg");
    plotter.finish();
    CHECK(read_file(folder / "polar.svg").find("height 1 m") != std::string::npos);
}

TEST_CASE("a figure that cannot be written is an error, not a missing file") {
    Figure figure;
    figure.curves.push_back({"a", CurveRole::trace, {1, 2}, {3, 4}});
    Plotter plotter;
    plotter.draw(figure, "/no/such/folder/figure.svg");
    CHECK(error_text(ErrorKind::output, [&] { plotter.finish(); }) ==
          "/no/such/folder/figure.svg: gnuplot drew no figure");
}
