#include "lab/report/sweep_figure.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <set>

#include "lab/clock.hpp"
#include "lab/report/axes.hpp"
#include "lab/report/sweep_curves.hpp"

namespace rt::lab {
namespace {

// Limits that are looked up, along one curve: by place.
struct LookedUp {
    std::map<double, double> lower, upper;
    bool operator==(const LookedUp&) const = default;
};

// A finding tells the limit that is nearer; its row has both.
void look_up(const Rule& rule, double limit, double x, double factor, LookedUp& out) {
    const auto same = [&](const std::optional<double>& value) {
        return value && std::abs(*value - limit) <= 1e-9 * std::max(1.0, std::abs(limit));
    };
    for (const auto& row : rule.rows) {
        if (!same(row.bound.min) && !same(row.bound.max)) continue;
        if (row.bound.min) out.lower[x] = *row.bound.min * factor;
        if (row.bound.max) out.upper[x] = *row.bound.max * factor;
        return;
    }
    (rule.max_from.empty() ? out.lower : out.upper)[x] = limit * factor;
}

// Lines of several pieces: a gap between them.
void add_line(const std::map<double, double>& line, double beside, Curve& curve) {
    if (line.empty()) return;
    for (const auto& [x, y] : line) {
        if (line.size() == 1) curve.x.push_back(x - beside), curve.y.push_back(y);
        curve.x.push_back(x + (line.size() == 1 ? beside : 0)), curve.y.push_back(y);
    }
    curve.x.push_back(curve.x.back()), curve.y.push_back(std::numeric_limits<double>::quiet_NaN());
}

// Each bound over the part of the axis whose points it judges.
void add_bounds(Figure& figure, const SweptResult& swept, const FindRule& rules, Scale sx, Scale sy) {
    struct Span {
        double from = 0, to = 0;
    };
    std::map<std::string, Span> judged;
    std::map<std::string, std::map<std::size_t, std::map<double, double>>>
        limits;  // by rule, curve and place
    double low = 1e300, high = -1e300;
    for (std::size_t c = 0; c < swept.curves.size(); ++c) {
        for (std::size_t i = 0; i < swept.curves[c].points.size(); ++i) {
            const double x = swept.curves[c].points[i].x * sx.factor;
            low = std::min(low, x), high = std::max(high, x);
            for (const auto& finding : swept.points[c][i]->findings) {
                const auto [at, fresh] = judged.try_emplace(finding.rule, Span{x, x});
                at->second = {std::min(at->second.from, x), std::max(at->second.to, x)};
                if (finding.limit) limits[finding.rule][c][x] = *finding.limit;
            }
        }
    }
    for (auto& [id, span] : judged) {
        const RuleRef ref = rules(id);
        const Bound* bound = ref.rule->bound();
        if (!bound || ref.rule->applies_to != swept.result || ref.rule->unit != swept.unit) continue;
        const std::string name = ref.book->standard + ": " + ref.rule->title;
        if (!bound->min && !bound->max) {
            std::vector<std::pair<std::string, LookedUp>> different;
            for (const auto& [c, places] : limits[id]) {
                LookedUp one;
                for (const auto& [x, limit] : places) look_up(*ref.rule, limit, x, sy.factor, one);
                const auto known = [&](const auto& other) { return other.second == one; };
                if (std::none_of(different.begin(), different.end(), known))
                    different.emplace_back(swept.curves[c].name, std::move(one));
            }
            for (const auto& [of, one] : different) {
                Curve curve{
                    different.size() > 1 && !of.empty() ? name + ", " + of : name, CurveRole::limit, {}, {}};
                for (const auto* line : {&one.lower, &one.upper}) add_line(*line, (high - low) / 40, curve);
                if (curve.x.size() > 1) figure.curves.push_back(std::move(curve));
            }
            continue;
        }
        const double beside = span.from == span.to ? (high - low) / 40 : 0;
        Curve curve{name, CurveRole::limit, {}, {}};
        for (const auto& level : {bound->min, bound->max}) {
            if (!level) continue;
            for (const double x : {span.from - beside, span.to + beside, span.to + beside}) {
                curve.x.push_back(x);
                curve.y.push_back(*level * sy.factor);
            }
            curve.y.back() = std::numeric_limits<double>::quiet_NaN();  // two bounds are two lines
        }
        figure.curves.push_back(std::move(curve));
    }
}

// More curves than these nobody tells apart.
constexpr std::size_t most_curves = 6;

// The least margin of a curve's findings; nothing where it has none.
std::optional<double> least_margin(const std::vector<const PointRecord*>& points) {
    std::optional<double> out;
    for (const auto* point : points)
        for (const auto& finding : point->findings)
            if (finding.margin) out = std::min(out.value_or(*finding.margin), *finding.margin);
    return out;
}

bool judged(const SweptResult& swept) {
    return std::any_of(swept.points.begin(), swept.points.end(),
                       [](const auto& points) { return least_margin(points).has_value(); });
}

// Which curves are drawn in colour, by number: all, or those with the least margins; the first ones where
// nothing is judged.
std::set<std::size_t> nearest_to_limits(const SweptResult& swept) {
    std::vector<std::pair<double, std::size_t>> order;
    for (std::size_t c = 0; c < swept.curves.size(); ++c)
        order.emplace_back(least_margin(swept.points[c]).value_or(std::numeric_limits<double>::infinity()),
                           c);
    std::sort(order.begin(), order.end());
    std::set<std::size_t> out;
    for (std::size_t i = 0; i < std::min(most_curves, order.size()); ++i) out.insert(order[i].second);
    return out;
}

}  // namespace

std::optional<Figure> sweep_figure(const std::vector<const PointRecord*>& points, const std::string& title,
                                   const FindRule& rules, const std::string& result, Swept what) {
    const auto swept = sweep_result(points, result, what);
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
    double least_x = largest_x;
    for (const auto& curve : swept->curves) {
        for (const auto& p : curve.points) least_x = std::min(least_x, p.x);
    }
    figure.log_x = swept->x_unit == Unit::hertz && least_x > 0 && largest_x >= 10 * least_x;
    figure.x_label = axis_label(swept->axis, sx.unit);
    figure.y_label = axis_label(swept->result, sy.unit);
    const auto shown = nearest_to_limits(*swept);
    Curve others{"", CurveRole::grid, {}, {}};
    std::size_t left = 0;
    for (std::size_t c = 0; c < swept->curves.size(); ++c) {
        const auto& each = swept->curves[c];
        const bool own = shown.contains(c);
        Curve curve{each.name, CurveRole::sweep, {}, {}};
        for (const auto& p : each.points)
            curve.x.push_back(p.x * sx.factor), curve.y.push_back(p.y * sy.factor);
        if (own) {
            figure.curves.push_back(std::move(curve));
            continue;
        }
        ++left;
        others.x.insert(others.x.end(), curve.x.begin(), curve.x.end());
        others.y.insert(others.y.end(), curve.y.begin(), curve.y.end());
        others.x.push_back(others.x.back()), others.y.push_back(std::numeric_limits<double>::quiet_NaN());
    }
    if (rules) add_bounds(figure, *swept, rules, sx, sy);
    if (left > 0) {
        others.name = std::to_string(left) + (judged(*swept) ? " more, farther from their limits" : " more");
        figure.curves.push_back(std::move(others));
    }
    return figure;
}

std::optional<Figure> pattern_figure(const std::vector<const PointRecord*>& all, const std::string& title) {
    std::vector<const PointRecord*> points;
    for (const auto* point : all) {
        if (point->kind == PointKind::point && point->standing != Standing::superseded)
            points.push_back(point);
    }
    const auto plane = plane_of(points);
    if (!plane) return std::nullopt;
    Figure figure;
    figure.title = title;
    Curve way{"the way through the pattern", CurveRole::trace, {}, {}};
    Curve failed{"FAIL", CurveRole::spots, {}, {}}, none{"NONE", CurveRole::dots, {}, {}};
    const auto unit_of = [&](std::size_t axis) {
        const auto value = number_of(points.front()->axes[axis].second);
        return std::string(pretty(value->unit));
    };
    figure.x_label = axis_label(points.front()->axes[plane->first].first, unit_of(plane->first));
    figure.y_label = axis_label(points.front()->axes[plane->second].first, unit_of(plane->second));
    for (const auto* point : points) {
        const double x = number_of(point->axes[plane->first].second)->value;
        const double y = number_of(point->axes[plane->second].second)->value;
        way.x.push_back(x), way.y.push_back(y);
        const auto has = [&](Verdict verdict) {
            return std::any_of(point->findings.begin(), point->findings.end(),
                               [&](const Finding& f) { return f.verdict == verdict; });
        };
        Curve* sign = has(Verdict::fail) ? &failed : has(Verdict::none) ? &none : nullptr;
        if (sign) sign->x.push_back(x), sign->y.push_back(y);
    }
    figure.curves.push_back(std::move(way));
    for (auto* sign : {&failed, &none}) {
        if (!sign->x.empty()) figure.curves.push_back(std::move(*sign));
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

}  // namespace rt::lab
