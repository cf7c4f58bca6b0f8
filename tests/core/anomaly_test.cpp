#include <doctest/doctest.h>

#include <cmath>

#include "core/stats/anomaly.hpp"
#include "tests/about.hpp"

using namespace rt;

namespace {

// y of x = 0, 1, 2 ... with an interval of +- `around`.
SweepCurve curve(const std::string& name, int points, double (*y)(int), double around = 0) {
    SweepCurve out{name, {}};
    for (int i = 0; i < points; ++i) out.points.push_back({double(i), y(i), y(i) - around, y(i) + around});
    return out;
}

// A little roughness that is the same in every run.
double rough(int i) {
    return 0.1 * ((i * 7919) % 13 - 6) / 6.0;
}

std::size_t count(const std::vector<Anomaly>& all, AnomalyKind kind) {
    std::size_t out = 0;
    for (const auto& a : all) out += a.kind == kind;
    return out;
}

}  // namespace

TEST_CASE("curves without anything odd stay unnamed") {
    std::vector<SweepCurve> curves;
    for (const char* name : {"a", "b", "c", "d", "e"})
        curves.push_back(curve(name, 20, [](int i) { return 0.5 * i + rough(i); }));
    for (std::size_t c = 0; c < curves.size(); ++c) {
        for (auto& p : curves[c].points) p.y += 0.3 * static_cast<double>(c), p.low = p.high = p.y;
    }
    CHECK(find_anomalies(curves, Trend::none).empty());
    CHECK(find_anomalies(curves, Trend::rising).size() <= 20);  // roughness goes both ways
    CHECK(find_anomalies({}, Trend::none).empty());
}

TEST_CASE("one dead rate among working ones is named, and only that") {
    std::vector<SweepCurve> curves;
    for (const char* name : {"6 Mb/s", "9 Mb/s", "12 Mb/s", "24 Mb/s"})
        curves.push_back(curve(name, 8, [](int i) { return i < 4 ? 0.0 : 100.0; }));
    curves.push_back(curve("18 Mb/s", 8, [](int) { return 100.0; }));
    const auto found = find_anomalies(curves, Trend::none);
    REQUIRE(count(found, AnomalyKind::dead) == 1);
    CHECK(found.front().curve == 4);
    CHECK(found.front().by == 0);
    CHECK(found.front().usual == 100);
}

TEST_CASE("a rate that ends below the others, and a chain that lies beside them") {
    // Throughput shares that rise to 80 % around level 10; one ends at 50 %, one rises 3 later.
    std::vector<SweepCurve> curves;
    for (int c = 0; c < 6; ++c) {
        SweepCurve one{"rate " + std::to_string(c), {}};
        for (int i = 0; i < 20; ++i) {
            const double x = i - (c == 4 ? 3.0 : 0.0), most = c == 2 ? 50 : 80 + 0.2 * c;
            const double y = most / (1 + std::exp(-(x - 8 - 0.05 * c)));
            one.points.push_back({double(i), y, y, y});
        }
        curves.push_back(std::move(one));
    }
    const auto found = find_anomalies(curves, Trend::rising);
    REQUIRE(count(found, AnomalyKind::saturated) == 1);
    REQUIRE(count(found, AnomalyKind::shifted) == 1);
    for (const auto& a : found) {
        if (a.kind == AnomalyKind::saturated) {
            CHECK(a.curve == 2);
            CHECK(a.by == within(1, -30));
        } else {
            CHECK(a.kind == AnomalyKind::shifted);
            CHECK(a.curve == 4);
            CHECK(a.by == within(0.2, 3));
        }
    }
    // Rates that each need another level are none of it.
    for (std::size_t c = 0; c < curves.size(); ++c)
        for (auto& p : curves[c].points) p.x += 3.0 * static_cast<double>(c);
    CHECK(count(find_anomalies(curves, Trend::rising), AnomalyKind::shifted) == 0);
    CHECK(count(find_anomalies(curves, Trend::none), AnomalyKind::saturated) == 0);
}

TEST_CASE("an outlying curve is named by how far its median stands away") {
    std::vector<SweepCurve> curves;
    for (int c = 0; c < 6; ++c) {
        curves.push_back(curve("die " + std::to_string(c), 10, [](int i) { return 10 + rough(i); }));
        for (auto& p : curves.back().points) p.y += c == 3 ? 5 : 0.05 * c;
    }
    const auto found = find_anomalies(curves, Trend::none);
    REQUIRE(count(found, AnomalyKind::outlying) == 1);
    CHECK(found.front().curve == 3);
    CHECK(found.front().by == about(5).epsilon(0.1));
}

TEST_CASE("what should fall and rises is named where it rises, unless the interval explains it") {
    const auto falling = [](int i) { return i == 5 ? 40.0 : 100.0 - 12 * i; };  // 40 stands where 40 is right
    std::vector<SweepCurve> curves{curve("level", 9, falling)};
    CHECK(find_anomalies(curves, Trend::falling).empty());
    curves[0].points[6].y = 70, curves[0].points[6].low = 68, curves[0].points[6].high = 72;
    const auto found = find_anomalies(curves, Trend::falling);
    REQUIRE(found.size() >= 1);
    CHECK(found.front().kind == AnomalyKind::not_monotonic);
    CHECK(found.front().point == 6);
    CHECK(found.front().by == 30);  // above 40, the least before
    curves[0].points[6].low = 30;   // so unsure that it may have fallen
    CHECK(find_anomalies(curves, Trend::falling).empty());
}

TEST_CASE("a single outlier and a step are told apart") {
    std::vector<SweepCurve> one{
        curve("gain", 15, [](int i) { return 2.0 * i + rough(i) + (i == 7 ? 9 : 0); })};
    const auto outlier = find_anomalies(one, Trend::none);
    REQUIRE(outlier.size() == 1);
    CHECK(outlier[0].kind == AnomalyKind::outlier);
    CHECK(outlier[0].point == 7);
    CHECK(outlier[0].by == about(9).epsilon(0.05));
    std::vector<SweepCurve> jump{curve("gain", 15, [](int i) { return rough(i) + (i >= 8 ? 6 : 0); })};
    const auto step = find_anomalies(jump, Trend::none);
    REQUIRE(step.size() == 1);
    CHECK(step[0].kind == AnomalyKind::step);
    CHECK(step[0].point == 8);
    CHECK(step[0].by == about(6).epsilon(0.05));
    // Too few points say nothing; values that are none are passed over.
    jump[0].points.resize(6);
    CHECK(find_anomalies(jump, Trend::none).empty());
    one[0].points[3].y = std::nan("");
    CHECK(find_anomalies(one, Trend::none).size() == 1);
}
