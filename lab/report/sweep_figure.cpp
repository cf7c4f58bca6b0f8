#include "lab/report/sweep_figure.hpp"

#include <algorithm>
#include <map>

#include "lab/clock.hpp"
#include "lab/report/axes.hpp"

namespace rt {
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

}  // namespace

std::optional<Figure> sweep_figure(const std::vector<const PointRecord*>& all, const std::string& title) {
    std::vector<const PointRecord*> points;
    for (const auto* point : all) {
        const bool usable = !point->results.empty() && point->standing == Standing::valid &&
                            point->kind != PointKind::threshold;
        if (usable && (points.empty() || point->results.front().name == points.front()->results.front().name))
            points.push_back(point);
    }
    if (points.size() < 2) return std::nullopt;
    const auto axis = axis_to_draw(points);
    if (!axis) return std::nullopt;
    std::map<std::string, std::vector<std::pair<double, double>>> curves;
    std::vector<std::string> order;
    double largest_x = 0, largest_y = 0;
    Unit x_unit = Unit::none;
    for (const auto* point : points) {
        std::string name;
        for (std::size_t i = 0; i < point->axes.size(); ++i) {
            if (i != *axis)
                name += (name.empty() ? "" : ", ") + point->axes[i].first + "=" + point->axes[i].second;
        }
        if (name.empty()) name = words(point->results.front().name);
        if (!curves.contains(name)) order.push_back(name);
        const Quantity x = *number_of(point->axes[*axis].second);
        x_unit = x.unit;
        const double y = point->results.front().value.value;
        curves[name].emplace_back(x.value, y);
        largest_x = std::max(largest_x, std::abs(x.value));
        largest_y = std::max(largest_y, std::abs(y));
    }
    const auto& result = points.front()->results.front();
    const Scale sx = scale_of(largest_x, x_unit), sy = scale_of(largest_y, result.value.unit);
    Figure figure;
    figure.title = title;
    figure.x_label = axis_label(points.front()->axes[*axis].first, sx.unit);
    figure.y_label = axis_label(result.name, sy.unit);
    constexpr std::size_t most_curves = 10;
    for (const auto& name : order) {
        if (figure.curves.size() == most_curves) break;
        auto& list = curves[name];
        std::stable_sort(list.begin(), list.end(),
                         [](const auto& a, const auto& b) { return a.first < b.first; });
        Curve curve{name, CurveRole::sweep, {}, {}};
        for (const auto& [x, y] : list) curve.x.push_back(x * sx.factor), curve.y.push_back(y * sy.factor);
        figure.curves.push_back(std::move(curve));
    }
    return figure;
}

std::vector<Figure> watch_figures(const std::vector<SampleRecord>& samples) {
    std::map<std::string, Curve> curves;
    std::map<std::string, Unit> units;
    for (const auto& sample : samples) {
        Curve& curve = curves[sample.watch];
        curve.name = sample.watch;
        curve.role = CurveRole::sweep;
        units[sample.watch] = sample.unit;
        curve.x.push_back(seconds_between(samples.front().time, sample.time) / 60);
        curve.y.push_back(sample.value);
    }
    std::vector<Figure> figures;
    for (auto& [name, curve] : curves) {
        double largest = 0;
        for (const double y : curve.y) largest = std::max(largest, std::abs(y));
        const Scale scale = scale_of(largest, units[name]);
        for (double& y : curve.y) y *= scale.factor;
        Figure figure;
        figure.title = "watch: " + name;
        figure.x_label = "time since the first reading (min)";
        figure.y_label = axis_label(name, scale.unit);
        figure.curves.push_back(std::move(curve));
        figures.push_back(std::move(figure));
    }
    return figures;
}

}  // namespace rt
