#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/measure/results/rows.hpp"
#include "core/stats/proportion.hpp"

namespace rt {
namespace {

constexpr std::array extremes_parameters{result_parameter, over_parameter};
constexpr std::array extremes_traces{Product{"values", Unit::none, "the result of each point"}};
constexpr std::array extremes_products{
    Product{"greatest", Unit::none, "greatest value"},
    Product{"greatest_at", Unit::none, "value of the axis there"},
    Product{"least", Unit::none, "least value"},
    Product{"least_at", Unit::none, "value of the axis there"},
};

Outcome measure_extremes(Capture capture, const Parameters& p) {
    const ResultTable table = take<ResultTable>(std::move(capture), "results.extremes");
    const ResultCurve curve = values_of(table, p, false);
    const auto less = [](const ResultPoint& a, const ResultPoint& b) { return a.y < b.y; };
    const auto [low, high] = std::minmax_element(curve.points.begin(), curve.points.end(), less);
    // A bound may hide what is more extreme than the extreme found.
    const bool more =
        std::any_of(curve.points.begin(), curve.points.end(), [](const auto& q) { return q.at_least; });
    const bool less_still =
        std::any_of(curve.points.begin(), curve.points.end(), [](const auto& q) { return q.at_most; });
    if (high->at_most || low->at_least) fail_signal("of the extreme value only a bound is known");
    Outcome outcome;
    outcome.traces.push_back(trace_of(curve));
    outcome.add("greatest", high->y, curve.y_unit, more ? Known::at_least : Known::exactly);
    outcome.add("least", low->y, curve.y_unit, less_still ? Known::at_most : Known::exactly);
    const bool quantities = !curve.over.empty() && curve.x_unit != Unit::none;
    if (quantities) {
        outcome.add("greatest_at", high->x, curve.x_unit);
        outcome.add("least_at", low->x, curve.x_unit);
    }
    outcome.notes.push_back("greatest at " + high->place + ", least at " + low->place);
    Table list{"values", "Values by size", {{"point", Unit::none}, {curve.result, curve.y_unit}}, {}};
    std::vector<ResultPoint> sorted = curve.points;
    std::stable_sort(sorted.begin(), sorted.end(), [&](const auto& a, const auto& b) { return less(b, a); });
    for (const auto& point : sorted) list.rows.push_back({point.place, point.y});
    outcome.tables.push_back(std::move(list));
    return outcome;
}

constexpr std::array yield_parameters{
    ParameterInfo{"confidence", ParameterKind::quantity, Unit::percent, "95 %",
                  "of the lower bound, one-sided"},
    ParameterInfo{"over", ParameterKind::text, Unit::none, "",
                  "axis that the conclusion runs over, for the table"},
};
constexpr std::array yield_products{
    Product{"yield", Unit::percent, "share of the points that passed, marginal ones among them"},
    Product{"yield_lower_bound", Unit::percent, "the least that the true share is, with the confidence"},
    Product{"passed", Unit::count, "points with verdict PASS"},
    Product{"marginal", Unit::count, "MARGINAL"},
    Product{"failed", Unit::count, "FAIL"},
    Product{"without_verdict", Unit::count, "NONE, or not valid"},
    Product{"total", Unit::count, "all points that rules judge"},
};

Outcome measure_yield(Capture capture, const Parameters& p) {
    const ResultTable table = take<ResultTable>(std::move(capture), "results.yield");
    const double confidence = p.required("confidence") / 100;
    std::uint64_t passed = 0, marginal = 0, failed = 0, none = 0;
    Table list{"points", "Points", {{"point", Unit::none}, {"verdict", Unit::none}}, {}};
    for (const auto& row : table.rows) {
        std::string verdict = row.invalid.empty() ? row.verdict : "NONE";
        if (verdict.empty())
            fail_signal("the point " + row.point + " was judged by no rule: it has no part in a yield");
        passed += verdict == "PASS", marginal += verdict == "MARGINAL", failed += verdict == "FAIL";
        none += verdict == "NONE";
        list.rows.push_back({row.point, std::move(verdict)});
    }
    const std::uint64_t total = passed + marginal + failed + none;
    if (total == 0) fail_signal("there are no points to conclude from");
    if (none == total) fail_signal("none of the points has a verdict");
    Outcome outcome;
    const auto good = passed + marginal;
    // Points without verdict may be good ones: the true share is at least so much.
    outcome.add("yield", 100 * static_cast<double>(good) / static_cast<double>(total), Unit::percent,
                none ? Known::at_least : Known::exactly);
    const double bound = 1 - proportion_upper_bound(total - good, total, confidence);
    outcome.add("yield_lower_bound", 100 * bound, Unit::percent);
    for (const auto& [name, count] : {std::pair{"passed", passed},
                                      {"marginal", marginal},
                                      {"failed", failed},
                                      {"without_verdict", none},
                                      {"total", total}})
        outcome.add(name, static_cast<double>(count), Unit::count);
    outcome.tables.push_back(std::move(list));
    return outcome;
}

}  // namespace

// Extreme values and the points at which they were found.
Procedure results_extremes() {
    return {"results.extremes",
            "Greatest and least value of a result",
            "Over all points, with the places. Where only a bound of a value is known, what may be hidden "
            "behind it makes the extreme a bound "
            "too.",
            extremes_parameters,
            extremes_traces,
            extremes_products,
            results_setup,
            measure_extremes,
            preset_named};
}

// Share of points that passed; lower bound after Clopper and Pearson (Biometrika 26, 1934).
Procedure results_yield() {
    return {"results.yield",
            "Share of the points that passed",
            "Counts the worst verdict of each point. Points without verdict count as not passed, and make "
            "the share a lower bound. The bound "
            "with confidence is exact (Clopper and Pearson).",
            yield_parameters,
            {},
            yield_products,
            [](const Parameters&) -> CaptureSetup { return ResultTableSetup{}; },
            measure_yield,
            preset_named};
}

}  // namespace rt
