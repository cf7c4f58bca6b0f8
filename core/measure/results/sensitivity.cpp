// results.sensitivity: the lowest level at which a receiver still meets its criterion.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/results/rows.hpp"

namespace rt {
namespace {

constexpr std::array sensitivity_parameters{
    result_parameter,
    over_parameter,
    ParameterInfo{"by", ParameterKind::text, Unit::none, "",
                  "result that is the level, such as received_level; the axis itself is without it"},
    ParameterInfo{"at_most", ParameterKind::text, Unit::none, "", "the criterion holds up to this: 10 %"},
    ParameterInfo{"at_least", ParameterKind::text, Unit::none, "", "the criterion holds from this: 5 Mb/s"},
};
constexpr std::array sensitivity_traces{Product{"values", Unit::none, "the result over the level"}};
constexpr std::array sensitivity_products{
    Product{
        "sensitivity", Unit::dbm,
        "level at which the criterion is crossed, on a straight line between the lowest level from which it "
        "holds throughout and the next lower one"},
    Product{"carrier_to_interferer", Unit::db,
            "the same where the level is that ratio: the lowest at which the criterion still holds"},
    Product{"rejection", Unit::db, "the same with the other sign: how much stronger the interferer may be"},
    Product{"step", Unit::db, "between these two"},
    Product{"holes", Unit::count, "levels above at which the criterion does not hold though it does below"},
    Product{"best", Unit::none, "the result where it is best"},
    Product{"saturates_from", Unit::dbm, "lowest level from which the result stays within 5 % of its best"},
};

struct Criterion {
    bool at_most = true;
    double value = 0;
    std::string text;
    bool holds(double y) const { return at_most ? y <= value : y >= value; }
};

Criterion criterion_of(const Parameters& p, const ResultCurve& curve) {
    const std::string most = p.text("at_most"), least = p.text("at_least");
    if (most.empty() == least.empty())
        fail_input("results.sensitivity needs either at_most or at_least: the criterion of " + curve.result);
    Criterion out{!most.empty(), parse_quantity(most.empty() ? least : most, curve.y_unit).value, ""};
    out.text = curve.result;
    std::replace(out.text.begin(), out.text.end(), '_', ' ');
    out.text += (out.at_most ? " at most " : " at least ") + format({out.value, curve.y_unit});
    return out;
}

// The level found. A ratio to an interferer has names of its own, and one with the other sign.
void add_found(Outcome& out, const Parameters& p, double x, Unit unit, Known known = Known::exactly) {
    const std::string by = p.text("by").empty() ? p.text("over") : p.text("by");
    if (by != "carrier_to_interferer") {
        out.add("sensitivity", x, unit, known);
        return;
    }
    const Known other = known == Known::at_least  ? Known::at_most
                        : known == Known::at_most ? Known::at_least
                                                  : Known::exactly;
    out.add("carrier_to_interferer", x, unit, known);
    out.add("rejection", -x, unit, other);
}

void add_best(Outcome& out, const ResultCurve& curve, bool falling) {
    const auto& points = curve.points;
    const auto less = [](const ResultPoint& a, const ResultPoint& b) { return a.y < b.y; };
    const double best = falling ? std::min_element(points.begin(), points.end(), less)->y
                                : std::max_element(points.begin(), points.end(), less)->y;
    out.add("best", best, curve.y_unit);
    // Ratios that fall to nothing have no plateau to be within a share of.
    if (falling || !(best > 0)) return;
    std::size_t from = points.size();
    while (from > 0 && points[from - 1].y >= 0.95 * best) --from;
    if (from < points.size()) out.add("saturates_from", points[from].x, curve.x_unit);
}

Outcome measure_sensitivity(Capture capture, const Parameters& p) {
    const ResultTable table = take<ResultTable>(std::move(capture), "results.sensitivity");
    const ResultCurve curve = curve_of(table, p, true);
    if (curve.x_unit != Unit::dbm && curve.x_unit != Unit::db)
        fail_input(in_quotes(curve.over) +
                   " is no level: give the axis of levels, or by a result in dBm or dB");
    const Criterion criterion = criterion_of(p, curve);
    require_decided(table, curve, criterion.value);
    const auto& points = curve.points;
    Outcome out;
    Trace trace = trace_of(curve);
    trace.companions.push_back({"criterion", std::vector<double>(trace.x.size(), criterion.value)});
    out.traces.push_back(std::move(trace));
    // Down from the highest level, as long as it holds.
    std::size_t lowest = points.size();
    while (lowest > 0 && criterion.holds(points[lowest - 1].y)) --lowest;
    std::size_t holes = 0;
    bool below = false;
    for (const auto& point : points) {
        const bool holds = criterion.holds(point.y);
        holes += below && !holds;
        below = below || holds;
    }
    if (lowest == points.size()) {
        // The true one lies above all that was tried, if anywhere.
        add_found(out, p, points.back().x, curve.x_unit, Known::at_least);
        out.notes.push_back("at the highest level, " + points.back().place + ", the criterion (" +
                            criterion.text + ") does not hold");
    } else if (lowest == 0) {
        add_found(out, p, points.front().x, curve.x_unit, Known::at_most);
        out.notes.push_back("the criterion (" + criterion.text + ") holds at all levels: measure lower ones");
    } else {
        const auto &fails = points[lowest - 1], &holds = points[lowest];
        const double share = (criterion.value - fails.y) / (holds.y - fails.y);
        add_found(out, p, fails.x + (holds.x - fails.x) * share, curve.x_unit);
        out.add("step", holds.x - fails.x, Unit::db);
        out.notes.push_back(fmt::format("{}; on a straight line between {} ({}) and {} ({})", criterion.text,
                                        format({fails.x, curve.x_unit}), format({fails.y, curve.y_unit}, 4),
                                        format({holds.x, curve.x_unit}), format({holds.y, curve.y_unit}, 4)));
    }
    out.add("holes", static_cast<double>(holes), Unit::count);
    if (holes > 0)
        out.notes.emplace_back(
            "the curve is not monotonic: the criterion holds at lower levels and not above");
    add_best(out, curve, criterion.at_most);
    return out;
}

}  // namespace

Procedure results_sensitivity() {
    return {
        "results.sensitivity",
        "Sensitivity of a receiver",
        "The lowest level from which the criterion holds at every higher level too, interpolated straight "
        "between it and the next lower one. A receiver that never meets it has a sensitivity of at least "
        "the "
        "highest level: that fails a limit below, and passes none.",
        sensitivity_parameters,
        sensitivity_traces,
        sensitivity_products,
        results_setup,
        measure_sensitivity,
        preset_named};
}

}  // namespace rt
