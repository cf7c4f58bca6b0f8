#include "lab/report/sweep_curves.hpp"

#include <algorithm>
#include <map>
#include <set>

#include "lab/report/axes.hpp"

namespace rt::lab {
namespace {

using Points = std::vector<const PointRecord*>;

bool several_numbers(const Points& points, std::size_t axis) {
    std::set<std::string> values;
    for (const auto* point : points) {
        if (!number_of(point->axes[axis].second)) return false;
        values.insert(point->axes[axis].second);
    }
    return values.size() > 1;
}

// Whether the value of one axis tells that of another, as it does of axes that move together.
bool tells(const Points& points, std::size_t axis, std::size_t other) {
    std::map<std::string, std::string> there;
    for (const auto* point : points) {
        const auto [at, fresh] = there.emplace(point->axes[axis].second, point->axes[other].second);
        if (at->second != point->axes[other].second) return false;
    }
    return true;
}

// The other axes that tell curves apart, when this one is drawn against.
std::vector<std::size_t> others_than(const Points& points, std::size_t axis) {
    std::vector<std::size_t> out;
    for (std::size_t i = 0; i < points.front()->axes.size(); ++i) {
        if (i != axis && !tells(points, axis, i)) out.push_back(i);
    }
    return out;
}

std::string curve_name(const PointRecord& point, const std::vector<std::size_t>& axes) {
    std::string name;
    for (const std::size_t i : axes)
        name += (name.empty() ? "" : ", ") + point.axes[i].first + "=" + point.axes[i].second;
    return name;
}

// The axis to draw against: the last one with several values that are numbers, or one before it when each
// point would be a curve of its own.
std::optional<std::size_t> axis_to_draw(const Points& points) {
    for (const auto* point : points) {
        if (point->axes.size() != points.front()->axes.size()) return std::nullopt;
    }
    std::optional<std::size_t> out;
    for (std::size_t axis = points.front()->axes.size(); axis-- > 0;) {
        if (!several_numbers(points, axis)) continue;
        const auto others = others_than(points, axis);
        std::set<std::string> curves;
        for (const auto* point : points) curves.insert(curve_name(*point, others));
        if (curves.size() < points.size()) return axis;
        if (!out) out = axis;
    }
    return out;
}

std::optional<Quantity> least_margin(const PointRecord& point) {
    std::optional<Quantity> out;
    for (const auto& f : point.findings) {
        if (f.margin && (!out || *f.margin < out->value)) out = Quantity{*f.margin, f.margin_unit()};
    }
    return out;
}

std::optional<CurvePoint> value_of(const PointRecord& point, const std::string& name, Unit& unit) {
    if (name == "margin") {
        const auto margin = least_margin(point);
        if (!margin) return std::nullopt;
        unit = margin->unit;
        return CurvePoint{0, margin->value, margin->value, margin->value};
    }
    const Result* result = point.find_result(name);
    if (!result) return std::nullopt;
    unit = result->value.unit;
    const double y = result->value.value;
    CurvePoint out{0, y, y - result->uncertainty.value_or(0), y + result->uncertainty.value_or(0)};
    if (name.ends_with("_ratio")) {
        const std::string stem = name.substr(0, name.size() - 6);
        const Result *low = point.find_result(stem + "_low"), *high = point.find_result(stem + "_high");
        if (low && high) out.low = low->value.value, out.high = high->value.value;
    }
    return out;
}

}  // namespace

std::optional<SweptResult> sweep_result(const std::vector<const PointRecord*>& all, std::string result,
                                        Swept what) {
    std::vector<const PointRecord*> points;
    for (const auto* point : all) {
        const bool wanted =
            what == Swept::thresholds ? point->kind == PointKind::threshold : !made_of_trials(point->kind);
        if (point->standing != Standing::valid || !wanted) continue;
        if (result.empty()) {
            if (point->results.empty()) continue;
            result = point->results.front().name;
        }
        Unit unit{};
        if (value_of(*point, result, unit)) points.push_back(point);
    }
    if (points.size() < 2) return std::nullopt;
    const auto axis = axis_to_draw(points);
    if (!axis) return std::nullopt;
    SweptResult out;
    out.result = result;
    out.axis = points.front()->axes[*axis].first;
    const auto others = others_than(points, *axis);
    std::map<std::string, std::size_t> places;
    std::vector<std::vector<std::pair<CurvePoint, const PointRecord*>>> gathered;
    for (const auto* point : points) {
        std::string name = curve_name(*point, others);
        if (name.empty()) name = words(result);
        const auto [place, fresh] = places.emplace(name, gathered.size());
        if (fresh) {
            gathered.emplace_back();
            out.curves.push_back({name, {}});
        }
        const Quantity x = *number_of(point->axes[*axis].second);
        out.x_unit = x.unit;
        CurvePoint value = *value_of(*point, result, out.unit);
        value.x = x.value;
        gathered[place->second].emplace_back(value, point);
    }
    out.points.resize(gathered.size());
    for (std::size_t c = 0; c < gathered.size(); ++c) {
        std::stable_sort(gathered[c].begin(), gathered[c].end(),
                         [](const auto& a, const auto& b) { return a.first.x < b.first.x; });
        for (const auto& [value, point] : gathered[c])
            out.curves[c].points.push_back(value), out.points[c].push_back(point);
    }
    return out;
}

std::optional<std::pair<std::size_t, std::size_t>> plane_of(const Points& points) {
    if (points.size() < 3) return std::nullopt;
    for (const auto* point : points) {
        if (point->axes.size() != points.front()->axes.size()) return std::nullopt;
    }
    const std::size_t axes = points.front()->axes.size();
    for (std::size_t first = 0; first < axes; ++first) {
        std::vector<std::size_t> moved;
        for (std::size_t i = 0; i < axes; ++i) {
            if (i != first && several_numbers(points, i) && tells(points, first, i) &&
                !tells(points, i, first))
                moved.push_back(i);
        }
        if (moved.size() == 2) return std::pair{moved[0], moved[1]};
    }
    return std::nullopt;
}

}  // namespace rt::lab
