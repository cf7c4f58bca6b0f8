// results.stability: how a frequency holds over points that lie apart in time.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/dsp/stability.hpp"
#include "core/measure/results/rows.hpp"

namespace rt {
namespace {

constexpr std::array stability_parameters{
    result_parameter,
    ParameterInfo{
        "second", ParameterKind::text, Unit::none, "",
        "result with the same frequency a little later in each point, for the short term: frequency_second"},
    ParameterInfo{"third", ParameterKind::text, Unit::none, "", "and the one after it: frequency_third"},
    ParameterInfo{"least_points", ParameterKind::whole_number, Unit::none, "18",
                  "fewer points give no verdict: the definition has 18"},
};
constexpr std::array stability_traces{
    Product{"values", Unit::hertz, "the frequency over the time, with the line through all"}};
constexpr std::array stability_products{
    Product{"mean_slope", Unit::none, "medium term: slope of the line a minute, relative to the mean"},
    Product{"residual", Unit::none, "medium term: root mean square distance from that line, the same"},
    Product{"short_term", Unit::none,
            "root mean square of the change from second to third, over the square root of 2"},
    Product{"mean_period", Unit::second, "mean time from point to point"},
    Product{"period_deviation", Unit::second, "standard deviation of these times"},
    Product{"points", Unit::count, "points that it is drawn from"},
};

// Values of another result, in the order of the table.
std::vector<double> others(const ResultTable& table, const Parameters& p, const char* parameter) {
    Parameters other(p.known());
    other.set("result", p.text(parameter));
    std::vector<double> out;
    for (const auto& point : values_of(table, other).points) out.push_back(point.y);
    return out;
}

Outcome measure_stability(Capture capture, const Parameters& p) {
    const ResultTable table = take<ResultTable>(std::move(capture), "results.stability");
    const ResultCurve curve = values_of(table, p);
    if (curve.y_unit != Unit::hertz)
        fail_input("results.stability needs a result in Hz: " + curve.result + " is none");
    const auto needed = static_cast<std::size_t>(p.required("least_points"));
    if (curve.points.size() < std::max<std::size_t>(needed, 3))
        fail_signal(fmt::format("stability needs {} points, there are {}", std::max<std::size_t>(needed, 3),
                                curve.points.size()));
    for (const auto& row : table.rows) {
        if (!row.at_s) fail_signal("the point " + row.point + " does not say when it was measured");
    }
    std::vector<ResultPoint> points = curve.points;
    std::stable_sort(points.begin(), points.end(),
                     [](const auto& a, const auto& b) { return a.at_s < b.at_s; });
    const double first = points.front().at_s;
    if (!(points.back().at_s > first)) fail_signal("all points were measured at one time");
    std::vector<double> time, hz;
    for (const auto& point : points) time.push_back(point.at_s - first), hz.push_back(point.y);
    const MediumTerm medium = medium_term(time, hz);
    Trace trace = trace_of(curve);
    trace.x_title = "Time", trace.x_unit = Unit::second;
    trace.x.clear(), trace.y.clear();
    Trace::Companion drawn{"straight line through all", {}};
    for (std::size_t i = 0; i < hz.size(); ++i) {
        if (!trace.x.empty() && time[i] <= trace.x.back()) continue;
        trace.x.push_back(time[i]), trace.y.push_back(hz[i]);
        drawn.y.push_back(medium.mean_hz * (1 + medium.mean_slope * time[i] / 60) + medium.offset_hz);
    }
    trace.companions.push_back(std::move(drawn));
    Outcome outcome;
    outcome.traces.push_back(std::move(trace));
    outcome.add("mean_slope", medium.mean_slope, Unit::none);
    outcome.add("residual", medium.residual, Unit::none);
    if (p.text("second").empty() || p.text("third").empty()) {
        outcome.lacking["short_term"] = "parameters second and third name no results";
    } else {
        outcome.add("short_term", short_term(others(table, p, "second"), others(table, p, "third")),
                    Unit::none);
    }
    outcome.add("mean_period", medium.mean_period_s, Unit::second);
    outcome.add("period_deviation", medium.period_deviation_s, Unit::second);
    outcome.add("points", static_cast<double>(points.size()), Unit::count);
    outcome.observed_s = points.back().at_s - first;
    return outcome;
}

}  // namespace

// Medium-term stability as C/S T.007 defines it for 18 bursts, over points of a run: slope a minute of the
// line by least squares and root mean square distance from it, relative to the mean; short term by two
// windows of each point.
Procedure results_stability() {
    return {"results.stability",
            "Stability of a frequency over points in time",
            "A straight line is fitted to a frequency over the times at which the points began: its slope a "
            "minute and "
            "what is left of it, relative to the mean (C/S T.007, medium term), the change from one window "
            "of each "
            "point to the next (short term), and the times from point to point. Fewer points than the "
            "definition has "
            "give no verdict.",
            stability_parameters,
            stability_traces,
            stability_products,
            results_setup,
            measure_stability,
            preset_named};
}

}  // namespace rt
