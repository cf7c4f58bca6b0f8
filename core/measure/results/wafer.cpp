// What the points of a wafer come to: yield, how a result goes over the radius, dies that stand out, the map.
#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/dsp/least_squares.hpp"
#include "core/measure/results/rows.hpp"
#include "core/signal/wafer_map.hpp"
#include "core/stats/median.hpp"
#include "core/stats/proportion.hpp"

namespace rt {
namespace {

constexpr std::array wafer_parameters{
    result_parameter,
    over_parameter,
    ParameterInfo{"confidence", ParameterKind::quantity, Unit::percent, "95 %",
                  "of the lower bound of the yield, one-sided"},
    ParameterInfo{"rule", ParameterKind::text, Unit::none, "",
                  "rule whose verdicts make the yield; without it the worst verdict of each die"},
    ParameterInfo{"apart", ParameterKind::quantity, Unit::none, "4",
                  "robust standard deviations from the fit beyond which a die stands out"},
};
constexpr std::array wafer_traces{
    Product{"histogram", Unit::count, "dies by value"},
    Product{"radial", Unit::none, "the result over the distance from the middle"}};
constexpr std::array wafer_products{
    Product{"yield", Unit::percent, "share of the tested dies that passed, marginal ones among them"},
    Product{"yield_lower_bound", Unit::percent, "the least that the true share is, with the confidence"},
    Product{"passed", Unit::count, "dies with verdict PASS or MARGINAL"},
    Product{"failed", Unit::count, "FAIL"},
    Product{"lost", Unit::count, "NONE, or not valid: contacts lost, nothing there"},
    Product{"outliers", Unit::count, "dies that stand apart from the fit, whatever their verdict"},
    Product{"outliers_that_pass", Unit::count, "those of them that pass their limits"},
    Product{"mean", Unit::none, "of the dies with a value"},
    Product{"standard_deviation", Unit::none, "of a sample, with n - 1"},
    Product{"middle_value", Unit::none, "of the fit a + b r^2, in the middle of the wafer"},
    Product{"edge_value", Unit::none, "of the fit, at the outermost die"},
    Product{"radial_change", Unit::none, "edge value less middle value"},
};
CaptureSetup map_setup(const Parameters&) {
    return WaferMapSetup{};
}
constexpr std::array wafer_inputs{InputInfo{"points", "results of the dies"},
                                  InputInfo{"map", "wafer map", true, map_setup}};

struct DieValue {
    const WaferMap::Die* die;
    std::string verdict;
    std::optional<double> value;
    double residual = 0;
    bool outlier = false;
};

std::size_t column_named(const std::vector<ResultTable::Column>& columns, const std::string& wanted,
                         const char* what) {
    std::vector<std::string> names;
    for (const auto& column : columns) names.push_back(column.name);
    const auto at = std::find(names.begin(), names.end(), wanted);
    if (at == names.end())
        fail_input(std::string("the points have no ") + what + " " + in_quotes(wanted) +
                   suggestion(wanted, names));
    return static_cast<std::size_t>(at - names.begin());
}

// Each die once; those that the map does not have, and those of it that are missing, are named.
std::vector<DieValue> dies_of(const ResultTable& table, const WaferMap& map, const Parameters& p,
                              Unit& unit) {
    if (table.axes.empty()) fail_input("the points have no axis of dies");
    require_valid_rows(table);
    const std::size_t axis = p.text("over").empty() ? 0 : column_named(table.axes, p.text("over"), "axis");
    if (p.text("result").empty() && table.results.size() != 1)
        fail_input("which result is meant? Give the parameter result");
    const std::size_t result =
        p.text("result").empty() ? 0 : column_named(table.results, p.text("result"), "result");
    unit = table.results[result].unit;
    std::optional<std::size_t> rule;
    if (const std::string wanted = p.text("rule"); !wanted.empty()) {
        const auto at = std::find(table.rules.begin(), table.rules.end(), wanted);
        if (at == table.rules.end())
            fail_input("parameter rule: the points are not judged by " + in_quotes(wanted) +
                       suggestion(wanted, table.rules));
        rule = static_cast<std::size_t>(at - table.rules.begin());
    }
    std::vector<DieValue> out;
    std::map<std::string, std::size_t> seen;
    std::string foreign, twice, missing;
    const auto list = [](std::string& names, const std::string& name) {
        names += (names.empty() ? "" : " and ") + name;
    };
    for (const auto& row : table.rows) {
        const std::string name = row.axes[axis].text;
        const WaferMap::Die* die = map.find(name);
        if (!die || !die->tested) {
            list(foreign, name);
            continue;
        }
        if (!seen.emplace(name, out.size()).second) {
            list(twice, name);
            continue;
        }
        DieValue value{die, row.invalid.empty() ? (rule ? row.verdicts[*rule] : row.verdict) : "NONE", {}};
        const auto& cell = row.cells[result];
        if (row.invalid.empty() && cell.value && !cell.at_least && !cell.at_most) value.value = cell.value;
        out.push_back(std::move(value));
    }
    for (const auto& die : map.dies) {
        if (die.tested && !seen.contains(die.name())) list(missing, die.name());
    }
    if (!foreign.empty())
        fail_signal("the map has no die to test called " + foreign +
                    ": it is of another wafer, or the map is");
    if (!twice.empty()) fail_signal("more than one point stands at die " + twice);
    if (!missing.empty()) fail_signal("there is no point at die " + missing);
    return out;
}

// a + b r^2 by least squares, once more without what lies apart from it.
struct RadialFit {
    double a = 0, b = 0, deviation = 0;  // robust, of the residuals
};

RadialFit fit(std::vector<DieValue>& dies, const WaferMap& map, double apart) {
    RadialFit out;
    for (int round = 0; round < 3; ++round) {
        LeastSquares equations(2);
        std::size_t count = 0;
        double scale = 0;
        for (const auto& die : map.dies) scale = std::max(scale, map.radius_m(die));
        scale = scale > 0 ? scale : 1;
        for (const auto& die : dies) {
            if (!die.value || die.outlier) continue;
            const double r = map.radius_m(*die.die) / scale;
            const double row[]{1, r * r};
            equations.add(row, *die.value);
            ++count;
        }
        if (count < 3) break;
        const auto x = equations.solve();
        out.a = x[0], out.b = x[1] / (scale * scale);
        std::vector<double> sizes;
        for (auto& die : dies) {
            if (!die.value) continue;
            const double r = map.radius_m(*die.die);
            die.residual = *die.value - out.a - out.b * r * r;
            sizes.push_back(std::abs(die.residual));
        }
        out.deviation = 1.4826 * median(sizes);
        // Values that are all the same but one leave no scatter to count in.
        const double least = 1e-9 * (std::abs(out.a) + 1e-300);
        for (auto& die : dies) {
            if (die.value) die.outlier = std::abs(die.residual) > apart * std::max(out.deviation, least);
        }
    }
    return out;
}

Trace histogram(const std::vector<double>& values, const std::string& result, Unit unit) {
    const auto [low, high] = std::minmax_element(values.begin(), values.end());
    const auto bars =
        static_cast<std::size_t>(std::clamp(std::sqrt(static_cast<double>(values.size())), 5.0, 30.0));
    const double step =
        *high > *low ? (*high - *low) / static_cast<double>(bars) : std::max(std::abs(*high), 1e-12) * 0.01;
    Trace out;
    out.name = "histogram", out.title = "Dies", out.shape = Shape::bars;
    out.x_title = result, out.x_unit = unit, out.y_unit = Unit::count;
    for (std::size_t i = 0; i < bars; ++i)
        out.x.push_back(*low + (static_cast<double>(i) + 0.5) * step), out.y.push_back(0);
    for (const double v : values) out.y[std::min(bars - 1, static_cast<std::size_t>((v - *low) / step))] += 1;
    return out;
}

DieMap map_of(const std::vector<DieValue>& dies, const WaferMap& map, const std::string& title, Unit unit) {
    DieMap out;
    out.name = "map", out.title = title, out.unit = unit;
    out.pitch_x = map.pitch_x_m, out.pitch_y = map.pitch_y_m;
    for (const auto& die : map.dies) {
        DieMap::Die cell{die.column, die.row, {}, DieMap::State::plain, false, die.reference};
        const auto at =
            std::find_if(dies.begin(), dies.end(), [&](const DieValue& d) { return d.die == &die; });
        if (at != dies.end()) {
            cell.value = at->value, cell.outlier = at->outlier;
            cell.state = at->verdict == "PASS"       ? DieMap::State::passed
                         : at->verdict == "MARGINAL" ? DieMap::State::marginal
                         : at->verdict == "FAIL"     ? DieMap::State::failed
                         : at->verdict == "NONE"     ? DieMap::State::lost
                                                     : DieMap::State::plain;
        }
        out.dies.push_back(cell);
    }
    return out;
}

// What each rule leaves: the same as the yield, rule by rule.
Table yields_of(const ResultTable& table, double confidence) {
    Table out{"yields",
              "Yield by rule",
              {{"rule"},
               {"passed", Unit::count},
               {"failed", Unit::count},
               {"lost", Unit::count},
               {"yield", Unit::percent},
               {"at least", Unit::percent}},
              {}};
    for (std::size_t i = 0; i < table.rules.size(); ++i) {
        std::uint64_t passed = 0, failed = 0, lost = 0;
        for (const auto& row : table.rows) {
            const std::string& verdict = row.invalid.empty() ? row.verdicts[i] : "NONE";
            passed += verdict == "PASS" || verdict == "MARGINAL", failed += verdict == "FAIL";
            lost += verdict == "NONE" || verdict.empty();
        }
        const std::uint64_t total = passed + failed + lost;
        if (total == 0) continue;
        out.rows.push_back({table.rules[i], static_cast<double>(passed), static_cast<double>(failed),
                            static_cast<double>(lost),
                            100 * static_cast<double>(passed) / static_cast<double>(total),
                            100 * proportion_lower_bound(passed, total, confidence)});
    }
    return out;
}

Outcome measure_wafer(Inputs inputs, const Parameters& p) {
    const char* const who = "results.wafer";
    const auto table = take<ResultTable>(inputs.take("points"), who);
    const auto map = take<WaferMap>(inputs.take("map"), who);
    Unit unit = Unit::none;
    std::vector<DieValue> dies = dies_of(table, map, p, unit);
    const double apart = p.required("apart");
    if (!(apart > 0)) fail_input("parameter apart: must be above 0");
    const RadialFit radial = fit(dies, map, apart);
    std::uint64_t passed = 0, failed = 0, lost = 0, outliers = 0, passing = 0;
    std::vector<double> values;
    Table list{
        "outliers", "Dies that stand out", {{"die"}, {"value", unit}, {"verdict"}, {"deviations"}}, {}};
    std::string lost_names;
    double edge = 0;
    bool judged = true;
    for (const auto& die : dies) {
        const bool good = die.verdict == "PASS" || die.verdict == "MARGINAL";
        passed += good, failed += die.verdict == "FAIL", lost += die.verdict == "NONE";
        judged = judged && !die.verdict.empty();
        if (die.verdict == "NONE") lost_names += (lost_names.empty() ? "" : " and ") + die.die->name();
        if (!die.value) continue;
        values.push_back(*die.value);
        edge = std::max(edge, map.radius_m(*die.die));
        if (!die.outlier) continue;
        ++outliers, passing += good;
        list.rows.push_back({die.die->name(), *die.value, die.verdict,
                             radial.deviation > 0 ? die.residual / radial.deviation : 0.0});
    }
    if (values.empty()) fail_signal("no die has a value");
    Outcome outcome;
    if (judged) {
        const std::uint64_t total = passed + failed + lost;
        outcome.add("yield", 100 * static_cast<double>(passed) / static_cast<double>(total), Unit::percent,
                    lost ? Known::at_least : Known::exactly);
        outcome.add("yield_lower_bound",
                    100 * proportion_lower_bound(passed, total, p.required("confidence") / 100),
                    Unit::percent);
    } else {
        outcome.notes.emplace_back("no yield: the dies are judged by no rule");
    }
    outcome.add("passed", static_cast<double>(passed), Unit::count);
    outcome.add("failed", static_cast<double>(failed), Unit::count);
    outcome.add("lost", static_cast<double>(lost), Unit::count);
    if (!lost_names.empty()) outcome.notes.push_back("without verdict: die " + lost_names);
    double sum = 0, square = 0;
    for (const double v : values) sum += v;
    const auto n = static_cast<double>(values.size());
    for (const double v : values) square += (v - sum / n) * (v - sum / n);
    const Unit difference = is_decibel(unit) ? Unit::db : unit;
    outcome.add("mean", sum / n, unit);
    if (values.size() > 1) outcome.add("standard_deviation", std::sqrt(square / (n - 1)), difference);
    if (values.size() > 3) {
        outcome.add("outliers", static_cast<double>(outliers), Unit::count);
        outcome.add("outliers_that_pass", static_cast<double>(passing), Unit::count);
        outcome.add("middle_value", radial.a, unit);
        outcome.add("edge_value", radial.a + radial.b * edge * edge, unit);
        outcome.add("radial_change", radial.b * edge * edge, difference);
    } else {
        outcome.notes.emplace_back(
            "fewer than four dies have a value: no fit over the radius, nothing stands out");
    }
    std::string name = p.text("result").empty() ? table.results.front().name : p.text("result");
    std::replace(name.begin(), name.end(), '_', ' ');
    outcome.maps.push_back(map_of(dies, map, name, unit));
    Trace over;
    over.name = "radial", over.title = name, over.x_title = "Distance from the middle",
    over.x_unit = Unit::metre;
    over.y_unit = unit, over.shape = Shape::dots;
    for (const auto& die : dies) {
        if (die.value) over.x.push_back(map.radius_m(*die.die)), over.y.push_back(*die.value);
    }
    outcome.traces.push_back(std::move(over));
    outcome.traces.push_back(histogram(values, name, unit));
    outcome.tables.push_back(std::move(list));
    if (!table.rules.empty()) outcome.tables.push_back(yields_of(table, p.required("confidence") / 100));
    return outcome;
}

}  // namespace

// Yield after Clopper and Pearson (Biometrika 26, 1934); outliers by 1.4826 times the median absolute
// deviation (F. Hampel, 1974) from a parabola over the radius, which is found without them.
Procedure results_wafer() {
    return {"results.wafer",
            "A result over the dies of a wafer",
            "Yield, spread, a fit a + b r^2 over the distance from the middle with pitches as they are, dies "
            "that "
            "stand apart from it though they may pass, map and histogram. Dies that the map does not have, "
            "that are "
            "missing or there twice leave no conclusion and are named. Dies without verdict make the yield a "
            "lower bound.",
            wafer_parameters,
            wafer_traces,
            wafer_products,
            results_setup,
            nullptr,
            preset_named,
            nullptr,
            false,
            wafer_inputs,
            measure_wafer};
}

}  // namespace rt
