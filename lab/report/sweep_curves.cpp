#include "lab/report/sweep_curves.hpp"

#include <algorithm>
#include <map>

#include "lab/report/axes.hpp"

namespace rt::lab {
namespace {

// The axis to draw against: the last one with several values that are numbers.
std::optional<std::size_t> axis_to_draw(const std::vector<const PointRecord*>& points) {
    for (std::size_t axis = points.front()->axes.size(); axis-- > 0;) {
        std::map<std::string, int> values;
        bool numbers = true;
        for (const auto* point : points) {
            if (axis >= point->axes.size()) return std::nullopt;
            numbers = numbers && number_of(point->axes[axis].second);
            ++values[point->axes[axis].second];
        }
        if (numbers && values.size() > 1) return axis;
    }
    return std::nullopt;
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

std::optional<SweptResult> sweep_result(const std::vector<const PointRecord*>& all, std::string result) {
    std::vector<const PointRecord*> points;
    for (const auto* point : all) {
        if (point->standing != Standing::valid || made_of_trials(point->kind)) continue;
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
    std::map<std::string, std::size_t> places;
    std::vector<std::vector<std::pair<CurvePoint, const PointRecord*>>> gathered;
    for (const auto* point : points) {
        std::string name;
        for (std::size_t i = 0; i < point->axes.size(); ++i) {
            if (i != *axis)
                name += (name.empty() ? "" : ", ") + point->axes[i].first + "=" + point->axes[i].second;
        }
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

}  // namespace rt::lab
