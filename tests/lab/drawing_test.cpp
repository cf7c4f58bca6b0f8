// Connection diagram, curves over sweeps, the live page.
#include <doctest/doctest.h>

#include "lab/formats/files.hpp"
#include "lab/report/connection_diagram.hpp"
#include "lab/report/figure.hpp"
#include "lab/report/live_page.hpp"
#include "lab/report/sweep_figure.hpp"
#include "tests/about.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

Bench small_bench() {
    Bench bench;
    bench.name = "b & c";
    for (const auto& [role, port] : std::vector<std::pair<std::string, std::string>>{
             {"meter", ""}, {"analyser", "antenna"}, {"unit", "control"}, {"generator", "antenna"}}) {
        Instrument i;
        i.role = role, i.name = role + " x", i.serial = "7", i.address = "simulated", i.connected_to = port;
        bench.instruments.push_back(i);
    }
    BenchPath path{"generator", {}, ""};
    path.entries.push_back({{"amplifier <1>", false, -20, {}, ""}, "amplifier", "", ""});
    path.entries.push_back({{"feed", false, 0, {}, ""}, "cable", "feed-loss", ""});
    bench.paths.push_back(path);
    return bench;
}

PointRecord record(std::vector<std::pair<std::string, std::string>> axes, double value,
                   PointKind kind = PointKind::point) {
    PointRecord r;
    r.test = "t", r.kind = kind, r.axes = std::move(axes);
    r.results.push_back({"packet_error_ratio", {value, Unit::percent}, {}});
    return r;
}

std::optional<Figure> figure_of(const std::vector<PointRecord>& records) {
    std::vector<const PointRecord*> points;
    for (const auto& r : records) points.push_back(&r);
    return sweep_figure(points, "t");
}

}  // namespace

TEST_CASE("connections stand port by port, with what is between") {
    const auto list = connections(small_bench(), {});
    REQUIRE(list.size() == 4);
    CHECK(list[0].role == "analyser");
    CHECK(list[1].role == "generator");
    CHECK(list[3].role == "meter");  // at no port: last
    const auto lines = diagram_text(list);
    CHECK(lines[0] == "antenna ── analyser: analyser x, 7");
    CHECK(lines[1] ==
          "antenna ── amplifier <1> (gain 20 dB) ── feed (by calibration feed-loss) ── generator: generator "
          "x, 7");
    CHECK(connections(small_bench(), {"unit"}).size() == 1);
    const std::string svg = diagram_svg(list, "Skerry-2 \"7\"", "b & c");
    CHECK(svg.find("amplifier &lt;1&gt;") != std::string::npos);
    CHECK(svg.find("b &amp; c") != std::string::npos);
    CHECK(svg.find("<1>") == std::string::npos);
    CHECK(svg.find("role=\"img\"") != std::string::npos);
}

TEST_CASE("a sweep is drawn against its last axis of numbers, a curve for each combination of the others") {
    const auto figure = figure_of({record({{"mode", "a"}, {"level", "-90 dBm"}}, 5),
                                   record({{"mode", "a"}, {"level", "-100 dBm"}}, 80),
                                   record({{"mode", "b"}, {"level", "-90 dBm"}}, 7),
                                   record({{"mode", "b"}, {"level", "-100 dBm"}}, 90)});
    REQUIRE(figure);
    REQUIRE(figure->curves.size() == 2);
    CHECK(figure->curves[0].name == "mode=a");
    CHECK(figure->curves[0].x == std::vector<double>{-100, -90});  // in order of the axis
    CHECK(figure->curves[0].y == std::vector<double>{80, 5});
    CHECK(figure->x_label == "level (dBm)");
    CHECK(figure->y_label == "packet error ratio (%)");
    const auto channels = figure_of(
        {record({{"channel", "11"}, {"mode", "a"}}, 1), record({{"channel", "12"}, {"mode", "a"}}, 2)});
    REQUIRE(channels);
    CHECK(channels->x_label == "channel");
    CHECK(channels->curves[0].x == std::vector<double>{11, 12});
    const auto gigahertz = figure_of({record({{"f", "1 GHz"}}, 1), record({{"f", "5 GHz"}}, 2)});
    CHECK(gigahertz->x_label == "f (GHz)");
    CHECK(gigahertz->curves[0].x[1] == about(5));
}

TEST_CASE("what is no curve is not drawn") {
    CHECK_FALSE(figure_of({record({{"mode", "a"}}, 1), record({{"mode", "b"}}, 2)}));            // no numbers
    CHECK_FALSE(figure_of({record({{"level", "1 dBm"}}, 1), record({{"level", "1 dBm"}}, 2)}));  // one value
    CHECK_FALSE(figure_of({record({{"level", "1 dBm"}}, 1)}));
    auto doubtful = std::vector{record({{"level", "1 dBm"}}, 1), record({{"level", "2 dBm"}}, 2)};
    doubtful[1].standing = Standing::voided;
    CHECK_FALSE(figure_of(doubtful));
    CHECK_FALSE(
        figure_of({record({{"level", "1 dBm"}}, 1), record({{"level", "2 dBm"}}, 2, PointKind::threshold)}));
}

TEST_CASE("readings of watches are curves over time in a unit that keeps numbers short") {
    std::vector<SampleRecord> samples;
    for (int i = 0; i < 3; ++i) {
        samples.push_back(
            {"2026-11-23T09:0" + std::to_string(i) + ":00.000Z", "current", 0.04 + 0.01 * i, Unit::ampere});
        samples.push_back(
            {"2026-11-23T09:0" + std::to_string(i) + ":30.000Z", "temperature", 22.0 + i, Unit::celsius});
    }
    const auto figures = watch_figures(samples);
    REQUIRE(figures.size() == 2);
    CHECK(figures[0].y_label == "current (mA)");
    CHECK(figures[0].curves[0].y[2] == about(60));
    CHECK(figures[0].curves[0].x[2] == about(2));
    CHECK(figures[1].curves[0].x[0] == about(0.5));
    CHECK(watch_figures({}).empty());
}

TEST_CASE("the live page shows where a run is, renews itself while it goes on, and is harmless") {
    TestFolder folder;
    const auto page = [&] { return read_file(folder / live_file); };
    LivePage live(folder.path(), "<i>title</i>", "unit 7", VerdictCounts{2, 0, 0, 1});
    CHECK(page().find("http-equiv=\"refresh\"") != std::string::npos);
    CHECK(page().find("<i>title") == std::string::npos);
    CHECK(page().find("PASS 2") != std::string::npos);
    PointRecord point = record({{"level", "-90 dBm"}}, 5);
    point.position = 3, point.label = "level=-90 dBm";
    Finding fail;
    fail.verdict = Verdict::fail, fail.margin = -1.5, fail.limit = 1, fail.value = 2;
    point.findings.push_back(fail);
    live.point(point, {1, 4, false, 90});
    live.event({"2026-11-23T09:00:00.000Z", "watch", "current <b>high</b>", 2});
    CHECK(page().find("<b>1</b> of 4 points") != std::string::npos);
    CHECK(page().find("about <b>1 min 30 s</b> left") != std::string::npos);
    CHECK(page().find("FAIL 1") != std::string::npos);
    CHECK(page().find("-1.50 dB") != std::string::npos);
    CHECK(page().find("<b>high") == std::string::npos);
    live.ask("connect the cable", "<svg>wires</svg>");
    CHECK(page().find("waiting for the operator: connect the cable") != std::string::npos);
    CHECK(page().find("base64,PHN2Zz53aXJlczwvc3ZnPg==") != std::string::npos);
    point.axes[0].second = "-80 dBm";
    live.point(point, {2, 4, true, 60});
    live.finish("stopped", true);
    CHECK(page().find("http-equiv=\"refresh\"") == std::string::npos);
    CHECK(page().find("report/report.html") != std::string::npos);
    CHECK(page().find("data:image/svg+xml;base64,") != std::string::npos);  // two points make a curve
    CHECK(page().find("waiting for the operator") == std::string::npos);
    CHECK(page().find("PHN2Zz53aXJlczwvc3ZnPg==") == std::string::npos);
}

TEST_CASE("a timing is drawn as a bar between its ends, each limit as one from where it begins") {
    Trace view;
    view.name = "view_low_time_least", view.title = "SCL", view.x_title = "Time",
    view.shows = "low_time_least";
    view.x_unit = Unit::second, view.y_unit = Unit::volt;
    for (int i = 0; i <= 100; ++i) view.x.push_back(i * 1e-8), view.y.push_back(i < 50 ? 0.0 : 3.0);
    view.interval = Trace::Interval{2e-7, 5e-7};
    Rulebook book;
    book.id = "b", book.standard = "House rules";
    Rule rule;
    rule.id = "r", rule.applies_to = "low_time_least", rule.unit = Unit::second;
    rule.limit = Bound{4e-7, std::nullopt};
    book.rules.push_back(rule);
    const Figure figure = trace_figure(view, "Bus", {{&book, &book.rules.front()}}, {});
    std::vector<const Curve*> bars;
    for (const auto& curve : figure.curves) {
        if (curve.role == CurveRole::interval || curve.role == CurveRole::limit) bars.push_back(&curve);
    }
    REQUIRE(bars.size() >= 2);
    const auto ends = [](const Curve& curve) {
        const auto [low, high] = std::minmax_element(curve.x.begin(), curve.x.end());
        return std::pair(*low, *high);
    };
    const auto bar =
        std::find_if(bars.begin(), bars.end(), [](const Curve* c) { return c->role == CurveRole::interval; });
    REQUIRE(bar != bars.end());
    CHECK((*bar)->name == "low time least 300 ns");
    // The axis is in microseconds.
    CHECK(ends(**bar).first == about(0.2));
    CHECK(ends(**bar).second == about(0.5));
    const auto limit = std::find_if(bars.begin(), bars.end(), [](const Curve* c) {
        return c->role == CurveRole::limit && c->name.find("400 ns") != std::string::npos;
    });
    REQUIRE(limit != bars.end());
    CHECK((*limit)->name == "House rules: ≥ 400 ns");
    CHECK(ends(**limit).second == about(0.6));
    // Above the line, so that it hides nothing.
    CHECK(*std::min_element((*bar)->y.begin(), (*bar)->y.end()) > 3);
}

TEST_CASE("dots of a constellation stand beside where they belong; a long title loses its middle") {
    Trace dots;
    dots.name = "constellation", dots.title = "Q", dots.x_title = "I", dots.shape = Shape::dots;
    dots.x_unit = dots.y_unit = Unit::none;
    dots.x = {0.7, -0.7}, dots.y = {0.7, -0.72};
    dots.ideal = {{0.7071, -0.7071}, {0.7071, -0.7071}};
    const Figure figure = trace_figure(dots, "t", {}, {});
    REQUIRE(figure.curves.size() == 2);
    CHECK(figure.curves[0].name == "received");
    CHECK(figure.curves[1].role == CurveRole::ideal);
    CHECK(figure.curves[1].x == dots.ideal.x);
    TestFolder folder;
    Plotter plotter;
    Figure wide = figure;
    wide.title = "begin " + std::string(200, 'x') + " end";
    plotter.draw(wide, folder / "f.svg");
    plotter.finish();
    const std::string svg = read_file(folder / "f.svg");
    CHECK(svg.find("begin xxx") != std::string::npos);
    CHECK(svg.find(" … ") != std::string::npos);
    CHECK(svg.find("xx end") != std::string::npos);
}
