#include "core/stats/anomaly.hpp"

#include <algorithm>
#include <cmath>
#include <optional>

namespace rt {
namespace {

constexpr double far_off = 6;            // robust standard deviations
constexpr double normal_sigma = 1.4826;  // of a normal distribution, from the median absolute deviation
constexpr double least_part = 20;        // of the span

double median_of(std::vector<double> values) {
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    if (values.size() % 2) return *middle;
    return (*middle + *std::max_element(values.begin(), middle)) / 2;
}

// Robust standard deviation about `middle`.
double deviation_about(double middle, std::vector<double> values) {
    for (double& value : values) value = std::abs(value - middle);
    return normal_sigma * median_of(std::move(values));
}

struct Whole {
    std::size_t curve = 0;
    double median = 0, span = 0;
    std::size_t points = 0;
};

std::vector<Whole> whole_curves(std::span<const SweepCurve> curves) {
    std::vector<Whole> out;
    for (std::size_t c = 0; c < curves.size(); ++c) {
        std::vector<double> values;
        for (const auto& point : curves[c].points) {
            if (std::isfinite(point.y)) values.push_back(point.y);
        }
        if (values.size() < 3) continue;
        const auto [least, most] = std::minmax_element(values.begin(), values.end());
        const double span = *most - *least;
        const std::size_t count = values.size();
        out.push_back({c, median_of(std::move(values)), span, count});
    }
    return out;
}

void look_at_wholes(std::span<const SweepCurve> curves, std::vector<Anomaly>& out) {
    const auto wholes = whole_curves(curves);
    if (wholes.size() < 3) return;
    std::vector<double> medians, spans;
    for (const Whole& w : wholes) medians.push_back(w.median), spans.push_back(w.span);
    const double usual_span = median_of(spans), greatest = *std::max_element(spans.begin(), spans.end());
    const double middle = median_of(medians);
    const double far = std::max(far_off * deviation_about(middle, medians), greatest / least_part);
    for (const Whole& w : wholes) {
        const double away = w.median - middle;
        if (w.points >= 5 && usual_span > 0 && w.span <= usual_span / 100) {
            out.push_back({AnomalyKind::dead, w.curve, 0, w.span, usual_span});
        } else if (wholes.size() >= 4 && std::abs(away) > far) {
            out.push_back({AnomalyKind::outlying, w.curve, 0, away, far});
        }
    }
}

// Where a curve passes the middle between its least and its greatest value; nothing for a flat one.
std::optional<double> middle_of(const SweepCurve& curve, double least, double most) {
    const double middle = (least + most) / 2;
    for (std::size_t i = 1; i < curve.points.size(); ++i) {
        const auto &a = curve.points[i - 1], &b = curve.points[i];
        if ((a.y < middle) == (b.y < middle)) continue;
        return a.x + (b.x - a.x) * (middle - a.y) / (b.y - a.y);
    }
    return std::nullopt;
}

// Curves that should all go one way: which end below the others, and which lie beside them.
void look_at_shapes(std::span<const SweepCurve> curves, Trend trend, std::vector<Anomaly>& out) {
    struct Shape {
        std::size_t curve = 0;
        double most = 0, place = 0, step = 0;
    };
    std::vector<Shape> shapes;
    for (std::size_t c = 0; c < curves.size(); ++c) {
        const auto& points = curves[c].points;
        const bool told = std::any_of(out.begin(), out.end(), [&](const Anomaly& a) {
            return a.curve == c && a.kind == AnomalyKind::dead;
        });
        const bool whole =
            std::all_of(points.begin(), points.end(), [](const CurvePoint& p) { return std::isfinite(p.y); });
        if (points.size() < 5 || told || !whole) continue;
        const auto [least, most] = std::minmax_element(
            points.begin(), points.end(), [](const auto& a, const auto& b) { return a.y < b.y; });
        const auto place = middle_of(curves[c], least->y, most->y);
        if (!place) continue;
        const double step = (points.back().x - points.front().x) / static_cast<double>(points.size() - 1);
        shapes.push_back({c, most->y, *place, step});
    }
    if (shapes.size() < 4) return;
    std::vector<double> mosts, places;
    for (const Shape& s : shapes) mosts.push_back(s.most), places.push_back(s.place);
    const double most = median_of(mosts), place = median_of(places);
    const double short_of = std::max(far_off * deviation_about(most, mosts), std::abs(most) / 10);
    const double spread = far_off * deviation_about(place, places);
    for (const Shape& s : shapes) {
        if (trend == Trend::rising && s.most < most - short_of)
            out.push_back({AnomalyKind::saturated, s.curve, 0, s.most - most, short_of});
        const double beside = std::max(spread, s.step);
        if (std::abs(s.place - place) > beside)
            out.push_back({AnomalyKind::shifted, s.curve, 0, s.place - place, beside});
    }
}

void look_at_trend(const SweepCurve& curve, std::size_t number, Trend trend, std::vector<Anomaly>& out) {
    // Against the furthest before, so that a slow decline is seen too.
    const double sign = trend == Trend::rising ? 1 : -1;
    const auto worst = [&](const CurvePoint& p) { return sign > 0 ? p.low : -p.high; };
    const auto best = [&](const CurvePoint& p) { return sign > 0 ? p.high : -p.low; };
    // Where nothing is known of how sure the values are, small ripple is none.
    double least = 1e300, most = -1e300;
    bool sure = false;
    for (const auto& point : curve.points) {
        if (!std::isfinite(point.y)) continue;
        least = std::min(least, point.y), most = std::max(most, point.y);
        sure = sure || point.high > point.low;
    }
    const double ripple = sure || most < least ? 0 : (most - least) / least_part;
    const CurvePoint* top = nullptr;
    for (std::size_t i = 0; i < curve.points.size(); ++i) {
        const CurvePoint& point = curve.points[i];
        if (!std::isfinite(point.y)) continue;
        if (top && point.x > top->x && best(point) < worst(*top) - ripple) {
            out.push_back({AnomalyKind::not_monotonic, number, i, point.y - top->y,
                           std::abs(best(*top) - worst(*top))});
            top = &point;  // what follows is seen against this
            continue;
        }
        if (!top || worst(point) > worst(*top)) top = &point;
    }
}

void look_at_points(const SweepCurve& curve, std::size_t number, std::vector<Anomaly>& out) {
    std::vector<std::size_t> at;
    for (std::size_t i = 0; i < curve.points.size(); ++i) {
        if (std::isfinite(curve.points[i].y)) at.push_back(i);
    }
    if (at.size() < 7) return;
    std::vector<double> away(at.size(), 0.0), inner;
    double least = 1e300, most = -1e300;
    for (std::size_t i = 0; i < at.size(); ++i) {
        const CurvePoint& now = curve.points[at[i]];
        least = std::min(least, now.y), most = std::max(most, now.y);
        if (i == 0 || i + 1 == at.size()) continue;
        const CurvePoint &before = curve.points[at[i - 1]], &after = curve.points[at[i + 1]];
        const double width = after.x - before.x, share = width > 0 ? (now.x - before.x) / width : 0.5;
        away[i] = now.y - (before.y + (after.y - before.y) * share);
        inner.push_back(away[i]);
    }
    const double usual = far_off * deviation_about(median_of(inner), inner);
    const auto odd = [&](std::size_t i) {
        const CurvePoint& now = curve.points[at[i]];
        return std::abs(away[i]) >
               std::max({usual, (most - least) / least_part, now.high - now.low, 1e-12 * std::abs(most)});
    };
    std::size_t passed = 0;  // points up to here are explained
    for (std::size_t i = 1; i + 1 < at.size(); ++i) {
        if (i < passed || !odd(i)) continue;
        const bool last = i + 2 >= at.size();
        const bool pair = !last && odd(i + 1) && away[i] * away[i + 1] < 0;
        const double ratio = pair ? std::abs(away[i + 1] / away[i]) : 0;
        if (pair && ratio > 0.7 && ratio < 1.43) {
            const double jump = curve.points[at[i + 1]].y - curve.points[at[i]].y;
            out.push_back({AnomalyKind::step, number, at[i + 1], jump, usual});
            passed = i + 2;
        } else if (pair && ratio >= 1.43) {
            continue;  // the next one is the odd one, this its neighbour
        } else {
            out.push_back({AnomalyKind::outlier, number, at[i], away[i], usual});
            passed = i + 2;
        }
    }
}

}  // namespace

const char* name(AnomalyKind kind) {
    switch (kind) {
        case AnomalyKind::dead:
            return "dead curve";
        case AnomalyKind::outlying:
            return "outlying curve";
        case AnomalyKind::saturated:
            return "saturates early";
        case AnomalyKind::shifted:
            return "shifted curve";
        case AnomalyKind::not_monotonic:
            return "not monotonic";
        case AnomalyKind::step:
            return "step";
        case AnomalyKind::outlier:
            break;
    }
    return "outlier";
}

std::vector<Anomaly> find_anomalies(std::span<const SweepCurve> curves, Trend trend) {
    std::vector<Anomaly> out;
    look_at_wholes(curves, out);
    if (trend != Trend::none) {
        std::vector<Anomaly> shapes = out;
        look_at_shapes(curves, trend, shapes);
        shapes.erase(shapes.begin(), shapes.begin() + static_cast<std::ptrdiff_t>(out.size()));
        // What the shape says of a curve says more than that it lies apart.
        std::erase_if(out, [&](const Anomaly& a) {
            return a.kind == AnomalyKind::outlying &&
                   std::any_of(shapes.begin(), shapes.end(),
                               [&](const Anomaly& b) { return b.curve == a.curve; });
        });
        out.insert(out.end(), shapes.begin(), shapes.end());
    }
    for (std::size_t c = 0; c < curves.size(); ++c) {
        const bool whole =
            std::any_of(out.begin(), out.end(), [&](const Anomaly& a) { return a.curve == c; });
        if (trend != Trend::none) {
            look_at_trend(curves[c], c, trend, out);
        } else if (!whole) {
            look_at_points(curves[c], c, out);
        }
    }
    return out;
}

}  // namespace rt
