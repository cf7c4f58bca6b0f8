#include "lab/report/anomalies.hpp"

#include <cmath>
#include <map>

#include "core/catalogue/catalogue.hpp"
#include "core/measure/procedure.hpp"
#include "lab/report/axes.hpp"
#include "lab/report/sweep_curves.hpp"

namespace rt::lab {
namespace {

bool is_level(Unit unit) {
    const Dimension d = dimension(unit);
    return d == Dimension::power || d == Dimension::voltage || d == Dimension::level_difference;
}

// Null for one that this program does not know.
const Procedure* procedure_of(const TestRecord& test) {
    for (const auto& p : procedures()) {
        if (test.procedure == p.name) return &p;
    }
    return nullptr;
}

// What the procedure declares of a result over a level.
Trend declared_trend(const Procedure* procedure, const SweptResult& swept) {
    if (!procedure || !is_level(swept.x_unit)) return Trend::none;
    for (const auto& product : procedure->results) {
        if (swept.result == product.name) return product.over_level;
    }
    return Trend::none;
}

// Distances of levels are decibels.
Unit difference_of(Unit unit) {
    return is_decibel(unit) ? Unit::db : unit;
}

std::string reason_of(const Anomaly& a, const SweptResult& swept, Trend trend) {
    const auto text = [&](double value) { return format({std::abs(value), difference_of(swept.unit)}, 4); };
    switch (a.kind) {
        case AnomalyKind::dead:
            return "stays within " + text(a.by) + ", the others usually run through " + text(a.usual);
        case AnomalyKind::outlying:
            return "its median is " + text(a.by) + (a.by > 0 ? " above" : " below") +
                   " that of all curves, up to " + text(a.usual) + " is usual here";
        case AnomalyKind::saturated:
            return "its best is " + text(a.by) + " below what the others reach, up to " + text(a.usual) +
                   " is usual here";
        case AnomalyKind::shifted:
            return "lies " + format({std::abs(a.by), difference_of(swept.x_unit)}, 4) +
                   (a.by > 0 ? " above" : " below") + " the others along the axis, up to " +
                   format({a.usual, difference_of(swept.x_unit)}, 4) + " is usual here";
        case AnomalyKind::not_monotonic:
            return std::string(trend == Trend::rising ? "falls" : "rises") + " by " + text(a.by) +
                   " where it should " + (trend == Trend::rising ? "rise" : "fall");
        case AnomalyKind::step:
            return std::string(a.by > 0 ? "jumps up" : "jumps down") + " by " + text(a.by) + " to this point";
        case AnomalyKind::outlier:
            break;
    }
    return text(a.by) + (a.by > 0 ? " above" : " below") + " the line through its neighbours, up to " +
           text(a.usual) + " is usual here";
}

// Of a curve, not of a place on it.
bool is_whole(AnomalyKind kind) {
    return kind == AnomalyKind::dead || kind == AnomalyKind::outlying || kind == AnomalyKind::saturated ||
           kind == AnomalyKind::shifted;
}

// The more attenuation, the less level: such an axis is looked at from its other end.
bool runs_down(const SweptResult& swept) {
    return swept.x_unit == Unit::db && (swept.axis.find("attenuation") != std::string::npos ||
                                        swept.axis.find("loss") != std::string::npos);
}

std::vector<Anomaly> from_other_end(std::vector<SweepCurve> curves, Trend trend) {
    for (auto& curve : curves) {
        std::reverse(curve.points.begin(), curve.points.end());
        for (auto& point : curve.points) point.x = -point.x;
    }
    auto out = find_anomalies(curves, trend);
    for (Anomaly& a : out) {
        if (!is_whole(a.kind)) a.point = curves[a.curve].points.size() - 1 - a.point;
        if (a.kind == AnomalyKind::shifted) a.by = -a.by;
    }
    return out;
}

void look_at(const std::string& test, const SweptResult& swept, Trend trend, std::vector<RunAnomaly>& out) {
    const auto found =
        runs_down(swept) ? from_other_end(swept.curves, trend) : find_anomalies(swept.curves, trend);
    // Below this nobody would look at a level.
    constexpr double least_db = 0.1;
    for (const Anomaly& a : found) {
        if (is_decibel(swept.unit) && a.kind != AnomalyKind::shifted && a.kind != AnomalyKind::dead &&
            std::abs(a.by) < least_db)
            continue;
        RunAnomaly entry{test, swept.result, name(a.kind), "", 0, "", reason_of(a, swept, trend)};
        if (swept.curves.size() > 1) entry.curve = swept.curves[a.curve].name;
        if (!is_whole(a.kind)) {
            entry.position = swept.points[a.curve][a.point]->position;
            entry.at =
                words(swept.axis) + " " + format({swept.curves[a.curve].points[a.point].x, swept.x_unit});
        }
        out.push_back(std::move(entry));
    }
}

}  // namespace

std::vector<RunAnomaly> anomalies_of(const RunRecord& run) {
    std::map<std::string, std::vector<const PointRecord*>> by_test;
    for (const auto& point : run.points) {
        // Trials of a search stand where the search went, not on a sweep.
        if (point.kind == PointKind::point) by_test[point.test].push_back(&point);
    }
    std::vector<RunAnomaly> out;
    for (const auto& test : run.tests) {
        const auto& points = by_test[test.name];
        auto swept = sweep_result(points);
        if (!swept) swept = sweep_result(points, "margin");
        if (!swept) continue;
        const Procedure* procedure = procedure_of(test);
        look_at(test.name, *swept,
                test.trend == "rising"    ? Trend::rising
                : test.trend == "falling" ? Trend::falling
                                          : declared_trend(procedure, *swept),
                out);
        if (!procedure || !is_level(swept->x_unit)) continue;
        for (const auto& product : procedure->results) {
            if (product.over_level == Trend::none || product.name == swept->result) continue;
            if (const auto further = sweep_result(points, product.name))
                look_at(test.name, *further, declared_trend(procedure, *further), out);
        }
    }
    return out;
}

std::string anomaly_text(const RunAnomaly& a) {
    return a.test + (a.curve.empty() ? "" : ", " + a.curve) + (a.at.empty() ? "" : ", " + a.at) + ": " +
           words(a.result) + ", " + a.kind + ": " + a.reason;
}

}  // namespace rt::lab
