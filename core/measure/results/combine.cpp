#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/results/rows.hpp"

namespace rt {
namespace {

constexpr std::array combine_parameters{result_parameter,
                                        ParameterInfo{"second_result", ParameterKind::text, Unit::none, "",
                                                      "name of the result of b, where it is another one"},
                                        over_parameter};
constexpr std::array combine_inputs{InputInfo{"a", "results of the first test"},
                                    InputInfo{"b", "results of the second test"}};
constexpr std::array combine_traces{Product{"values", Unit::none, "what the two give, point by point"}};
constexpr std::array combine_products{
    Product{"greatest", Unit::none, "greatest of the values"},
    Product{"least", Unit::none, "least of them"},
    Product{"mean", Unit::none, "arithmetic mean of them"},
};

struct Pair {
    ResultCurve a, b;
};

// The points of both with the same value of the axis, in the order of a.
Pair paired(Inputs inputs, const Parameters& p, const char* procedure) {
    const ResultTable one = take<ResultTable>(inputs.take("a"), procedure);
    const ResultTable other = take<ResultTable>(inputs.take("b"), procedure);
    Pair out{values_of(one, p), {}};
    Parameters second = p;
    if (p.has("second_result")) second.set("result", p.text("second_result"));
    out.b = values_of(other, second);
    if (out.a.points.size() != out.b.points.size()) {
        fail_signal(fmt::format("a has {} points, b {}: they cannot be combined point by point",
                                out.a.points.size(), out.b.points.size()));
    }
    if (out.a.over != out.b.over)
        fail_signal("a runs over " + in_quotes(out.a.over) + ", b over " + in_quotes(out.b.over));
    if (out.a.over.empty()) return out;
    const auto axis_text = [&](const ResultTable& t, std::size_t row) {
        const auto axis = t.find_axis(out.a.over);
        return axis ? t.rows[row].axes[*axis].text : std::string();
    };
    std::vector<ResultPoint> ordered;
    for (std::size_t i = 0; i < out.a.points.size(); ++i) {
        std::vector<std::size_t> same;
        for (std::size_t k = 0; k < out.b.points.size(); ++k) {
            if (axis_text(other, k) == axis_text(one, i)) same.push_back(k);
        }
        if (same.size() != 1) {
            fail_signal("b has " +
                        (same.empty() ? std::string("no point") : std::to_string(same.size()) + " points") +
                        " at " + out.a.over + " " + axis_text(one, i));
        }
        ordered.push_back(out.b.points[same.front()]);
    }
    out.b.points = std::move(ordered);
    return out;
}

Outcome outcome_of(ResultCurve curve) {
    Outcome outcome;
    const auto [low, high] = std::minmax_element(curve.points.begin(), curve.points.end(),
                                                 [](const auto& a, const auto& b) { return a.y < b.y; });
    double mean = 0;
    for (const auto& point : curve.points) mean += point.y / static_cast<double>(curve.points.size());
    outcome.add("greatest", high->y, curve.y_unit);
    outcome.add("least", low->y, curve.y_unit);
    outcome.add("mean", mean, curve.y_unit);
    if (curve.points.size() > 1)
        outcome.notes.push_back("greatest at " + high->place + ", least at " + low->place);
    outcome.traces.push_back(trace_of(curve));
    return outcome;
}

// b in the unit of a. Throws Error(input) where that is not possible.
double in_unit(double value, Unit from, Unit to) {
    const auto converted = convert({value, from}, to);
    if (!converted)
        fail_input(std::string("the results have the units ") + symbol(to) + " and " + symbol(from) +
                   ", which do not convert");
    return converted->value;
}

Outcome measure_difference(Inputs inputs, const Parameters& p) {
    Pair pair = paired(std::move(inputs), p, "results.difference");
    for (std::size_t i = 0; i < pair.a.points.size(); ++i)
        pair.a.points[i].y -= in_unit(pair.b.points[i].y, pair.b.y_unit, pair.a.y_unit);
    pair.a.result += " minus " + (pair.b.result == pair.a.result ? "that of the other" : pair.b.result);
    if (is_decibel(pair.a.y_unit)) pair.a.y_unit = Unit::db;
    return outcome_of(std::move(pair.a));
}

Outcome measure_sum(Inputs inputs, const Parameters& p) {
    Pair pair = paired(std::move(inputs), p, "results.sum");
    const Unit unit = pair.a.y_unit;
    const bool powers = is_decibel(unit) && dimension(unit) != Dimension::level_difference;
    for (std::size_t i = 0; i < pair.a.points.size(); ++i) {
        double& y = pair.a.points[i].y;
        // The other may be a plain number of decibels: a gain, or a loss, that is added to a level.
        if (powers && pair.b.y_unit == Unit::db) {
            y += pair.b.points[i].y;
            continue;
        }
        const double other = in_unit(pair.b.points[i].y, pair.b.y_unit, unit);
        y = powers ? 10 * std::log10(std::pow(10, y / 10) + std::pow(10, other / 10)) : y + other;
    }
    pair.a.result += " plus " + (pair.b.result == pair.a.result ? "that of the other" : pair.b.result);
    Outcome outcome = outcome_of(std::move(pair.a));
    if (powers && pair.b.y_unit != Unit::db) outcome.notes.push_back("levels are added as powers");
    return outcome;
}

Outcome measure_ratio(Inputs inputs, const Parameters& p) {
    Pair pair = paired(std::move(inputs), p, "results.ratio");
    if (is_decibel(pair.a.y_unit) || is_decibel(pair.b.y_unit))
        fail_input("levels in decibels have a difference, not a ratio: use results.difference");
    for (std::size_t i = 0; i < pair.a.points.size(); ++i) {
        const double other = in_unit(pair.b.points[i].y, pair.b.y_unit, pair.a.y_unit);
        if (other == 0) fail_signal("b is 0 at " + pair.b.points[i].place + ": there is no ratio");
        pair.a.points[i].y /= other;
    }
    pair.a.result += " over " + (pair.b.result == pair.a.result ? "that of the other" : pair.b.result);
    pair.a.y_unit = Unit::none;
    return outcome_of(std::move(pair.a));
}

Procedure combination(const char* name, const char* title, const char* about,
                      Outcome (*measure)(Inputs, const Parameters&)) {
    return {name,           title,
            about,          combine_parameters,
            combine_traces, combine_products,
            results_setup,  nullptr,
            preset_named,   nullptr,
            false,          combine_inputs,
            measure};
}

}  // namespace

Procedure results_sum() {
    return combination("results.sum", "Sum of two tests",
                       "Point by point over the axis that both share. Levels of power are added as powers, a "
                       "level and a plain number of "
                       "decibels as decibels, everything else as it is.",
                       measure_sum);
}

Procedure results_difference() {
    return combination("results.difference", "Difference of two tests",
                       "a minus b, point by point over the axis that both share; of levels in decibels.",
                       measure_difference);
}

Procedure results_ratio() {
    return combination("results.ratio", "Ratio of two tests",
                       "a over b, point by point over the axis that both share; of linear units.",
                       measure_ratio);
}

}  // namespace rt
