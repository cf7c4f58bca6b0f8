#include "core/stats/anomaly.hpp"

#include <algorithm>
#include <cmath>

namespace rt {
namespace {

constexpr double many = 6;         // robust standard deviations
constexpr double sigma = 1.4826;   // of a normal distribution, from the median absolute deviation
constexpr double least_part = 20;  // of the span

double median_of(std::vector<double> values) {
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    if (values.size() % 2) return *middle;
    return (*middle + *std::max_element(values.begin(), middle)) / 2;
}

// Robust standard deviation about `middle`.
double deviation_about(double middle, std::vector<double> values) {
    for (double& value : values) value = std::abs(value - middle);
    return sigma * median_of(std::move(values));
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
    const double far = std::max(many * deviation_about(middle, medians), greatest / least_part);
    for (const Whole& w : wholes) {
        const double away = w.median - middle;
        if (w.points >= 5 && usual_span > 0 && w.span <= usual_span / 100) {
            out.push_back({AnomalyKind::dead, w.curve, 0, w.span, usual_span});
        } else if (wholes.size() >= 4 && std::abs(away) > far) {
            out.push_back({AnomalyKind::outlying, w.curve, 0, away, far});
        }
    }
}

void look_at_trend(const SweepCurve& curve, std::size_t number, Trend trend, std::vector<Anomaly>& out) {
    // Against the furthest before, so that a slow decline is seen too.
    const double sign = trend == Trend::rising ? 1 : -1;
    const auto worst = [&](const CurvePoint& p) { return sign > 0 ? p.low : -p.high; };
    const auto best = [&](const CurvePoint& p) { return sign > 0 ? p.high : -p.low; };
    const CurvePoint* top = nullptr;
    for (std::size_t i = 0; i < curve.points.size(); ++i) {
        const CurvePoint& point = curve.points[i];
        if (!std::isfinite(point.y)) continue;
        if (top && point.x > top->x && best(point) < worst(*top)) {
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
    const double usual = many * deviation_about(median_of(inner), inner);
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
