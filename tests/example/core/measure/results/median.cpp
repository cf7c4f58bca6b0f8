#include <algorithm>
#include <array>

#include "core/measure/results/rows.hpp"

namespace rt {
namespace {

constexpr std::array median_parameters{result_parameter, over_parameter};
constexpr std::array median_traces{Product{"values", Unit::none, "the result of each point"}};
constexpr std::array median_products{Product{"median", Unit::none, "the middle one of the values by size"}};

Outcome measure_median(Capture capture, const Parameters& p) {
    const auto table = take<ResultTable>(std::move(capture), "results.median");
    const ResultCurve curve = values_of(table, p);
    std::vector<double> values;
    for (const auto& point : curve.points) values.push_back(point.y);
    std::sort(values.begin(), values.end());
    const std::size_t n = values.size();
    Outcome outcome;
    outcome.traces.push_back(trace_of(curve));
    outcome.add("median", (values[(n - 1) / 2] + values[n / 2]) / 2, curve.y_unit);
    return outcome;
}

}  // namespace

// A conclusion: the middle one of the results of all points.
Procedure results_median() {
    return {"results.median",
            "Median of a result",
            "The middle one of the values, or the mean of the two in the middle.",
            median_parameters,
            median_traces,
            median_products,
            results_setup,
            measure_median,
            preset_results};
}

}  // namespace rt
