#include "lab/report/sweep_figure.hpp"

#include <algorithm>
#include <map>

#include "lab/clock.hpp"
#include "lab/report/axes.hpp"
#include "lab/report/sweep_curves.hpp"

namespace rt {
std::optional<Figure> sweep_figure(const std::vector<const PointRecord*>& points, const std::string& title) {
    const auto swept = sweep_result(points);
    if (!swept) return std::nullopt;
    double largest_x = 0, largest_y = 0;
    for (const auto& curve : swept->curves) {
        for (const auto& p : curve.points) {
            largest_x = std::max(largest_x, std::abs(p.x));
            largest_y = std::max(largest_y, std::abs(p.y));
        }
    }
    const Scale sx = scale_of(largest_x, swept->x_unit), sy = scale_of(largest_y, swept->unit);
    Figure figure;
    figure.title = title;
    figure.x_label = axis_label(swept->axis, sx.unit);
    figure.y_label = axis_label(swept->result, sy.unit);
    constexpr std::size_t most_curves = 10;
    for (const auto& each : swept->curves) {
        if (figure.curves.size() == most_curves) break;
        Curve curve{each.name, CurveRole::sweep, {}, {}};
        for (const auto& p : each.points)
            curve.x.push_back(p.x * sx.factor), curve.y.push_back(p.y * sy.factor);
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
