#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/text.hpp"
#include "lab/report/axes.hpp"
#include "lab/report/figure.hpp"

namespace rt::lab {
namespace {

constexpr double gap = std::numeric_limits<double>::quiet_NaN();

double largest(const std::vector<double>& values) {
    double out = 0;
    for (const double v : values) out = std::isfinite(v) ? std::max(out, std::abs(v)) : out;
    return out;
}

// The line between `low` and `high`, sampled where it bends on the drawn axis; pieces end in steps.
void append_line(Curve& curve, const LimitLine& line, double low, double high, double shift, bool mirror,
                 double factor) {
    for (const auto& piece : line.pieces()) {
        const double from = std::max(piece.from, low), to = std::min(piece.to, high);
        if (!(to > from)) continue;
        constexpr int steps = 40;
        const int count = piece.level_from == piece.level_to ? 1 : steps;
        for (int i = 0; i <= count; ++i) {
            const double share = static_cast<double>(i) / count;
            const double x = from > 0 ? from * std::pow(to / from, share) : from + (to - from) * share;
            curve.x.push_back((mirror ? -x : x) * factor);
            curve.y.push_back(piece.level(std::clamp(x, from, to)) + shift);
        }
        // A gap only where the next piece does not continue.
        const auto* next = &piece + 1;
        if (&piece != &line.pieces().back() && next->from == piece.to) continue;
        curve.x.push_back((mirror ? -to : to) * factor);
        curve.y.push_back(gap);
    }
}

// Both parts of a mask put together: the level that counts at every offset.
void append_mask(Curve& curve, const Mask& mask, double reference, double low, double high, double factor) {
    constexpr int steps = 1200;
    for (int i = 0; i <= steps; ++i) {
        const double offset = low + (high - low) * i / steps;
        const auto level = mask.at(offset, reference);
        curve.x.push_back(offset * factor);
        curve.y.push_back(level ? level->level : gap);
    }
}

Curve limit_curve(RuleRef ref, double low, double high, double reference, double factor) {
    Curve curve;
    curve.name = ref.book->standard + ": " + ref.rule->title;
    curve.role = CurveRole::limit;
    if (const auto* line = ref.rule->line()) append_line(curve, *line, low, high, 0, false, factor);
    if (const auto* mask = ref.rule->mask()) append_mask(curve, *mask, reference, low, high, factor);
    return curve;
}

// A bound on the peak of a curve, at both sides of zero where the curve is.
Curve bound_curve(RuleRef ref, const Bound& bound, const Trace& trace, std::pair<double, double> across,
                  double x_factor, double y_factor) {
    Curve curve;
    curve.name = ref.book->standard + ": " + ref.rule->title;
    curve.role = CurveRole::limit;
    const auto across_at = [&](double level) {
        for (const double x : {across.first, across.second, across.second}) {
            curve.x.push_back(x * x_factor);
            curve.y.push_back(level * y_factor);
        }
        curve.y.back() = gap;
    };
    const bool both = std::any_of(trace.y.begin(), trace.y.end(), [](double v) { return v < 0; });
    if (bound.min) across_at(*bound.min);
    if (bound.max) across_at(*bound.max);
    if (bound.max && !bound.min && both) across_at(-*bound.max);
    return curve;
}

std::string x_name(bool offset) {
    return offset ? "Offset from the carrier" : "Frequency";
}

std::string axis_name(const std::string& title, const std::string& unit) {
    return unit.empty() ? title : title + " in " + unit;
}

std::string y_name(const Trace& trace, const std::string& unit) {
    std::string text = axis_name(trace.title, unit);
    if (trace.detector) text += std::string(", ") + name(*trace.detector);
    if (trace.resolution_bandwidth_hz)
        text += ", RBW " + format({*trace.resolution_bandwidth_hz, Unit::hertz}, 4);
    return text;
}

std::string marker_text(const Finding& finding) {
    return std::string(name(finding.verdict)) + ": margin " + margin_text(finding) + " at " +
           place_text(finding);
}

}  // namespace

namespace {

constexpr double two_pi = 6.283185307179586;

void add_arc(Curve& curve, double x, double y, double radius, double from, double to) {
    constexpr int steps = 120;
    for (int i = 0; i <= steps; ++i) {
        const double at = from + (to - from) * i / steps;
        curve.x.push_back(x + radius * std::cos(at)), curve.y.push_back(y + radius * std::sin(at));
    }
    curve.x.push_back(0), curve.y.push_back(std::nan(""));
}

// Lines of equal resistance and reactance, counted from the reference (P. Smith, Electronics, 1939).
Curve impedance_lines() {
    Curve out{"", CurveRole::grid, {-1, 1, 0}, {0, 0, std::nan("")}};
    for (const double r : {0.0, 0.2, 0.5, 1.0, 2.0, 5.0})
        add_arc(out, r / (1 + r), 0, 1 / (1 + r), 0, two_pi);
    for (const double x : {0.2, 0.5, 1.0, 2.0, 5.0}) {
        // From where it leaves the unit circle to infinite impedance at (1, 0).
        const double half = std::atan(x);
        for (const double sign : {1.0, -1.0})
            add_arc(out, 1, sign / x, 1 / x, -sign * two_pi / 4, -sign * (two_pi / 4 + 2 * half));
    }
    return out;
}

Curve magnitude_lines(double reach) {
    Curve out{
        "", CurveRole::grid, {-reach, reach, 0, 0, 0, 0}, {0, 0, std::nan(""), -reach, reach, std::nan("")}};
    for (int i = 1; i <= 4; ++i) add_arc(out, 0, 0, reach * i / 4, 0, two_pi);
    return out;
}

Figure plane_figure(const Trace& trace, const std::string& title) {
    Figure figure;
    figure.title = title;
    figure.plane = true;
    double most = 0;
    for (std::size_t i = 0; i < trace.x.size(); ++i)
        most = std::max(most, std::hypot(trace.x[i], trace.y[i]));
    if (trace.shape == Shape::smith) {
        figure.x_label = "lines: resistance and reactance of 0, 0.2, 0.5, 1, 2, 5 times the reference";
        figure.curves.push_back(impedance_lines());
    } else {
        const double decade = std::pow(10, std::floor(std::log10(std::max(most, 1e-12))));
        const double reach = decade * (most <= 2 * decade   ? 2
                                       : most <= 4 * decade ? 4
                                       : most <= 8 * decade ? 8
                                                            : 10);
        figure.x_label =
            "outermost circle: magnitude " + format({reach, Unit::none}) + ", four circles evenly spaced";
        figure.curves.push_back(magnitude_lines(reach));
    }
    figure.curves.push_back({trace.title, CurveRole::trace, trace.x, trace.y});
    return figure;
}

}  // namespace

// Above the lines: what was measured as a bar between its ends, and beside it the limits from where it
// begins.
static void add_interval(Figure& figure, const Trace& trace, const std::vector<RuleRef>& rules,
                         const Scale& scale, const Scale& upright) {
    double low = 1e300, high = -1e300;
    const auto reach = [&](const std::vector<double>& values) {
        for (const double y : values)
            if (std::isfinite(y)) low = std::min(low, y), high = std::max(high, y);
    };
    reach(trace.y);
    for (const auto& companion : trace.companions) reach(companion.y);
    const double step = (high - low) * 0.11;
    double level = high + step;
    const auto bar = [&](const std::string& name, CurveRole role, double from, double to) {
        Curve curve{name, role, {}, {}};
        const double tick = step / 4;
        for (const auto& [x, y] : {std::pair(from, level - tick),
                                   {from, level + tick},
                                   {from, level},
                                   {to, level},
                                   {to, level + tick},
                                   {to, level - tick}})
            curve.x.push_back(x * scale.factor), curve.y.push_back(y * upright.factor);
        figure.curves.push_back(std::move(curve));
        level += step;
    };
    const auto [from, to] = *trace.interval;
    // Down to where it begins and ends.
    Curve ends{"", CurveRole::grid, {}, {}};
    for (const double x : {from, to}) {
        for (const double y : {low, level, gap}) {
            ends.x.push_back(x * scale.factor);
            ends.y.push_back(y * upright.factor);
        }
    }
    figure.curves.push_back(std::move(ends));
    bar(words(trace.shows) + " " + format({to - from, trace.x_unit}, 4), CurveRole::interval, from, to);
    for (const auto& ref : rules) {
        const Bound* bound = ref.rule->bound();
        if (!bound || ref.rule->applies_to != trace.shows || ref.rule->unit != trace.x_unit) continue;
        for (const auto& [limit, sign] : {std::pair(bound->min, "≥ "), {bound->max, "≤ "}}) {
            if (limit && from + *limit <= trace.x.back())
                bar(ref.book->standard + ": " + sign + format({*limit, trace.x_unit}, 4), CurveRole::limit,
                    from, from + *limit);
        }
    }
}

Figure trace_figure(const Trace& trace, const std::string& title, const std::vector<RuleRef>& rules,
                    const std::vector<Finding>& findings) {
    if (trace.shape == Shape::smith || trace.shape == Shape::polar) return plane_figure(trace, title);
    const auto judges = [&](RuleRef r) { return r.rule->applies_to == trace.name; };
    const bool offset =
        std::any_of(rules.begin(), rules.end(), [&](RuleRef r) { return judges(r) && r.rule->mask(); });
    const double centre = offset ? trace.centre_hz.value_or(0) : 0;
    // Around a single reading a part of the limit is drawn.
    const double beside = trace.spots ? trace.x.front() / 10 : 0;
    const double low = trace.x.front() - centre - beside, high = trace.x.back() - centre + beside;
    const Scale scale = scale_of(std::max(std::abs(low), std::abs(high)), trace.x_unit);
    double most = largest(trace.y);
    for (const auto& companion : trace.companions) most = std::max(most, largest(companion.y));
    const Scale upright = scale_of(most, trace.y_unit);
    Figure figure;
    figure.together = trace.together;
    figure.title = trace.shows.empty() ? title : title + ", " + words(trace.shows);
    figure.x_label = axis_name(trace.x_title.empty() ? x_name(offset) : trace.x_title, scale.unit);
    figure.y_label = y_name(trace, upright.unit);
    if (!trace.companions.empty() && trace.y_unit == Unit::volt)
        figure.y_label = axis_name("Voltage", upright.unit);
    if (!trace.companions.empty() && trace.y_unit == Unit::ampere)
        figure.y_label = axis_name("Current", upright.unit);
    figure.log_x = trace.log_x && !offset && low > 0;
    figure.square = trace.shape == Shape::dots && trace.x_unit == trace.y_unit;
    figure.decibels = is_decibel(trace.y_unit);
    // Bars may hang below.
    const bool above = trace.y.empty() || *std::min_element(trace.y.begin(), trace.y.end()) >= 0;
    figure.from_zero = above && (trace.y_unit == Unit::percent || trace.shape == Shape::bars);
    Curve curve{trace.title, CurveRole::trace, {}, {}};
    if (trace.shape == Shape::dots) curve.role = CurveRole::dots;
    if (trace.spots) curve.role = CurveRole::spots;
    if (trace.shape == Shape::bars) curve.role = CurveRole::bars;
    // Of very many dots some tell as much as all.
    const std::size_t step = curve.role == CurveRole::dots ? trace.x.size() / 3000 + 1 : 1;
    for (std::size_t i = 0; i < trace.x.size(); i += step) {
        curve.x.push_back((trace.x[i] - centre) * scale.factor);
        curve.y.push_back(trace.y[i] * upright.factor);
    }
    const std::vector<double> curve_x = trace.companions.empty() ? std::vector<double>{} : curve.x;
    const bool line = curve.role == CurveRole::trace;
    figure.curves.push_back(line ? thinned(curve, figure.log_x, 1200) : std::move(curve));
    for (const auto& companion : trace.companions) {
        Curve other{companion.title, CurveRole::companion, curve_x, companion.y};
        for (double& y : other.y) y *= upright.factor;
        figure.curves.push_back(thinned(other, figure.log_x, 1200));
    }
    for (const auto& ref : rules) {
        // Limits are drawn in the unit of the trace; one in another unit would not compare by eye.
        if (const auto* bound = ref.rule->bound();
            bound && ref.rule->applies_to == trace.shows && ref.rule->unit == trace.y_unit) {
            figure.curves.push_back(
                bound_curve(ref, *bound, trace, {low, high}, scale.factor, upright.factor));
        }
        if (!judges(ref) || ref.rule->bound() || ref.rule->unit != trace.y_unit) continue;
        figure.curves.push_back(limit_curve(ref, low, high, trace.reference_level.value_or(0), scale.factor));
    }
    if (!trace.ideal.x.empty()) {
        figure.curves.front().name = "received";
        Curve ideal{"ideal", CurveRole::ideal, trace.ideal.x, trace.ideal.y};
        for (double& x : ideal.x) x *= scale.factor;
        for (double& y : ideal.y) y *= upright.factor;
        figure.curves.push_back(std::move(ideal));
    }
    if (trace.interval) add_interval(figure, trace, rules, scale, upright);
    // A line or mask for another curve of the same capture has its worst place there.
    const auto elsewhere = [&](const Finding& finding) {
        return std::any_of(rules.begin(), rules.end(), [&](RuleRef r) {
            return r.full_id() == finding.rule && !r.rule->bound() && !judges(r) &&
                   r.rule->applies_to != trace.shows;
        });
    };
    for (const auto& finding : findings) {
        if (finding.verdict == Verdict::none || !finding.at || finding.unit != trace.y_unit) continue;
        if (elsewhere(finding)) continue;
        figure.markers.push_back({finding.at->value * scale.factor, *finding.value, marker_text(finding)});
    }
    return figure;
}

Figure rules_figure(const std::vector<RuleRef>& rules) {
    double low = std::numeric_limits<double>::infinity(), high = 0;
    bool offset = false;
    for (const auto& ref : rules) {
        if (const auto* line = ref.rule->line()) {
            low = std::min(low, line->from());
            high = std::max(high, std::isinf(line->to()) ? 2 * line->from() : line->to());
        }
        if (const auto* mask = ref.rule->mask()) {
            const auto& part = mask->relative ? mask->relative : mask->absolute;
            offset = true;
            high = std::max(
                high, std::isinf(part->to()) ? ref.rule->cover_to.value_or(2 * part->from()) : part->to());
            low = -high;
        }
    }
    const Scale scale = scale_of(high, Unit::hertz);
    Figure figure;
    figure.decibels = true;
    figure.log_x = !offset && low > 0 && high / low > 5;
    figure.x_label = x_name(offset) + " in " + scale.unit;
    const Rule& first = *rules.front().rule;
    figure.y_label =
        "Limit in " + std::string(pretty(first.unit)) +
        (offset && first.mask()->relative ? " for a reference level of 0 " + std::string(pretty(first.unit))
                                          : "");
    figure.title = rules.size() == 1 ? rules.front().book->standard + ": " + first.title : "Limits";
    for (const auto& ref : rules) figure.curves.push_back(limit_curve(ref, low, high, 0, scale.factor));
    return figure;
}

Curve thinned(const Curve& curve, bool log_x, std::size_t columns) {
    if (curve.x.size() <= 2 * columns) return curve;
    const auto place = [&](double x) { return log_x ? std::log(x) : x; };
    const double left = place(curve.x.front()), width = place(curve.x.back()) - left;
    Curve out{curve.name, curve.role, {}, {}};
    const auto keep = [&](std::size_t i) {
        out.x.push_back(curve.x[i]);
        out.y.push_back(curve.y[i]);
    };
    std::size_t begin = 0;
    while (begin < curve.x.size()) {
        const auto column = [&](std::size_t i) {
            return static_cast<std::size_t>((place(curve.x[i]) - left) / width *
                                            static_cast<double>(columns));
        };
        const std::size_t here = column(begin);
        std::size_t end = begin, lowest = begin, highest = begin;
        for (; end < curve.x.size() && column(end) == here; ++end) {
            if (curve.y[end] < curve.y[lowest]) lowest = end;
            if (curve.y[end] > curve.y[highest]) highest = end;
        }
        keep(std::min(lowest, highest));
        if (lowest != highest) keep(std::max(lowest, highest));
        begin = end;
    }
    return out;
}

}  // namespace rt::lab
