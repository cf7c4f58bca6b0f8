#include "lab/report/maximum_figure.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "lab/report/axes.hpp"

namespace rt::lab {
namespace {

// A trial's place along the axes that were tried, and what it read.
struct Tried {
    std::vector<Quantity> place;
    double level;
};

struct Trials {
    std::vector<std::string> axes;  // those with several values
    std::vector<Tried> all;
    std::string result;
    Unit unit = Unit::none;
    std::vector<Quantity> best;  // where the point itself was measured
};

Trials trials_of(const std::vector<PointRecord>& points, const PointRecord& point) {
    std::vector<const PointRecord*> records;
    for (const auto& record : points) {
        if (record.test != point.test || record.position >= point.position) continue;
        // A new place begins after each point of the test.
        if (record.kind == PointKind::point) records.clear();
        const bool usable = record.kind == PointKind::trial && record.standing == Standing::valid &&
                            !record.results.empty() && record.axes.size() >= point.axes.size();
        if (usable) records.push_back(&record);
    }
    Trials out;
    if (records.size() < 3) return out;
    out.result = records.front()->results.front().name;
    out.unit = records.front()->results.front().value.unit;
    std::vector<std::size_t> varying;
    for (std::size_t axis = 0; axis < point.axes.size(); ++axis) {
        const auto& first = records.front()->axes[axis].second;
        const bool varies = std::any_of(records.begin(), records.end(),
                                        [&](const PointRecord* r) { return r->axes[axis].second != first; });
        const bool numbers = std::all_of(records.begin(), records.end(), [&](const PointRecord* r) {
            return number_of(r->axes[axis].second);
        });
        if (!varies || !numbers) continue;
        varying.push_back(axis);
        out.axes.push_back(point.axes[axis].first);
        out.best.push_back(*number_of(point.axes[axis].second));
    }
    for (const auto* record : records) {
        Tried tried{{}, record->results.front().value.value};
        for (const std::size_t axis : varying) tried.place.push_back(*number_of(record->axes[axis].second));
        out.all.push_back(std::move(tried));
    }
    return out;
}

// Level against the axis, a curve for each combination of the others; sorted along the axis.
std::map<std::string, Curve> curves_along(const Trials& trials, std::size_t axis) {
    std::map<std::string, std::vector<std::pair<double, double>>> places;
    for (const auto& tried : trials.all) {
        std::string others;
        for (std::size_t i = 0; i < trials.axes.size(); ++i) {
            if (i == axis) continue;
            others += (others.empty() ? "" : ", ") + words(trials.axes[i]) + " " + format(tried.place[i]);
        }
        places[others].emplace_back(tried.place[axis].value, tried.level);
    }
    std::map<std::string, Curve> out;
    for (auto& [name, list] : places) {
        std::sort(list.begin(), list.end());
        Curve curve{name.empty() ? "trials" : name, CurveRole::sweep, {}, {}};
        for (const auto& [x, y] : list) curve.x.push_back(x), curve.y.push_back(y);
        out.emplace(name, std::move(curve));
    }
    return out;
}

Figure along(const Trials& trials, std::size_t axis, const std::string& title) {
    const Unit unit = trials.best[axis].unit;
    Figure figure;
    figure.polar = unit == Unit::degree;
    figure.x_label = axis_label(trials.axes[axis], pretty(unit));
    figure.y_label = axis_label(trials.result, pretty(trials.unit));
    figure.title = title;
    auto curves = curves_along(trials, axis);
    constexpr std::size_t most = 6;
    // The longest are those of the grid; the curve with the best place always belongs to them.
    std::vector<Curve*> order;
    double highest = -1e300, at = 0;
    const Curve* best = nullptr;
    for (auto& [name, curve] : curves) {
        order.push_back(&curve);
        const auto top = std::max_element(curve.y.begin(), curve.y.end());
        if (*top <= highest) continue;
        highest = *top;
        at = curve.x[static_cast<std::size_t>(top - curve.y.begin())];
        best = &curve;
    }
    std::stable_sort(order.begin(), order.end(), [&](const Curve* a, const Curve* b) {
        if ((a == best) != (b == best)) return a == best;
        return a->x.size() > b->x.size();
    });
    if (!figure.polar) order.resize(1);
    for (Curve* curve : order) {
        if (figure.curves.size() == most || curve->x.size() < 3) break;
        // All the way round, the last place is joined to the first.
        const double gap = curve->x.front() + 360 - curve->x.back();
        if (figure.polar && gap <= 90) {
            curve->x.push_back(curve->x.front() + 360);
            curve->y.push_back(curve->y.front());
        }
        figure.curves.push_back(std::move(*curve));
    }
    figure.markers.push_back(
        {at, highest, "highest: " + format({highest, trials.unit}) + " at " + format({at, unit})});
    return figure;
}

}  // namespace

std::vector<Figure> maximum_figures(const std::vector<PointRecord>& points, const PointRecord& point) {
    const Trials trials = trials_of(points, point);
    std::vector<Figure> out;
    for (std::size_t axis = 0; axis < trials.axes.size(); ++axis) {
        Figure figure = along(trials, axis, point.test + ": " + point.label);
        if (!figure.curves.empty()) out.push_back(std::move(figure));
    }
    return out;
}

}  // namespace rt::lab
