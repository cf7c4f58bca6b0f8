// results.gain-table: gain indices measured over frequency become a table for the unit.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <optional>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/results/rows.hpp"

namespace rt {
namespace {

constexpr std::array gain_table_parameters{
    result_parameter,
    ParameterInfo{"index_axis", ParameterKind::text, Unit::none, "index",
                  "axis with the gain indices, as numbers"},
    ParameterInfo{"frequency_axis", ParameterKind::text, Unit::none, "frequency",
                  "axis with the frequencies"},
    ParameterInfo{
        "form", ParameterKind::choice, Unit::none, "index",
        "index: for each target the index that comes nearest from below; correction: what each index "
        "lacks of its nominal level",
        "index correction"},
    ParameterInfo{"targets", ParameterKind::text, Unit::none, "",
                  "levels that the unit is to reach, \"0 dBm, 2 dBm, 4 dBm\" (form index)"},
    ParameterInfo{"nominal_first", ParameterKind::quantity, Unit::dbm, "",
                  "nominal level of the lowest index (form "
                  "correction)"},
    ParameterInfo{"nominal_step", ParameterKind::quantity, Unit::db, "",
                  "nominal step of an index (form correction)"},
    ParameterInfo{
        "frequencies", ParameterKind::text, Unit::none, "",
        "frequencies of the table, \"2402 MHz, 2406 MHz\", by straight lines between measured ones; "
        "without it those that were measured"},
    ParameterInfo{"least", ParameterKind::quantity, Unit::dbm, "", "no reading can lie below this"},
    ParameterInfo{"most", ParameterKind::quantity, Unit::dbm, "", "or above this"},
    ParameterInfo{"least_step", ParameterKind::quantity, Unit::db, "0 dB",
                  "each index is above the one before by more than this"},
    ParameterInfo{"most_step", ParameterKind::quantity, Unit::db, "", "and by at most this"},
    ParameterInfo{"row", ParameterKind::text, Unit::none, "{MHz}:{level}:{index}",
                  "a row as the unit takes it: {MHz}, {kHz}, {Hz}, {level}, {index}, {correction}"},
    ParameterInfo{
        "join", ParameterKind::text, Unit::none, ",",
        "what stands between rows where the unit takes the table as one; rows: it takes them one by one"},
};
constexpr std::array gain_table_traces{Product{"levels", Unit::dbm, "level of each index over frequency"}};
constexpr std::array gain_table_products{
    Product{"rows", Unit::count, "rows of the table"},
    Product{"smallest_step", Unit::db, "smallest step from an index to the next"},
    Product{"greatest_step", Unit::db, "greatest step"},
    Product{"shortfall", Unit::db, "farthest that the chosen index stays below its target"},
    Product{"greatest_correction", Unit::db, "greatest correction, by its size"},
};

// Levels by frequency and index: complete, or it says what is missing.
struct Readings {
    std::vector<double> hz;
    std::vector<int> indices;
    std::vector<std::vector<double>> level;  // by frequency, then index
};

std::size_t axis_of(const ResultTable& table, const std::string& name) {
    if (const auto found = table.find_axis(name)) return *found;
    std::vector<std::string> names;
    for (const auto& axis : table.axes) names.push_back(axis.name);
    fail_input("the points have no axis " + in_quotes(name) + suggestion(name, names));
}

Readings readings_of(const ResultTable& table, const ResultCurve& curve, const Parameters& p) {
    const std::size_t index_axis = axis_of(table, p.text("index_axis"));
    const std::size_t frequency_axis = axis_of(table, p.text("frequency_axis"));
    std::map<double, std::map<int, double>> by;
    for (std::size_t i = 0; i < table.rows.size(); ++i) {
        const auto& axes = table.rows[i].axes;
        const auto index = to_double(axes[index_axis].text);
        if (!index || *index != std::floor(*index) || std::abs(*index) > 1e6)
            fail_input("axis " + p.text("index_axis") + ": " + in_quotes(axes[index_axis].text) +
                       " is no gain index: write whole numbers");
        if (!axes[frequency_axis].value || table.axes[frequency_axis].unit != Unit::hertz)
            fail_input("axis " + p.text("frequency_axis") + " has no frequencies");
        if (!by[*axes[frequency_axis].value].emplace(static_cast<int>(*index), curve.points[i].y).second)
            fail_signal("index " + axes[index_axis].text + " was measured more than once at " +
                        axes[frequency_axis].text);
    }
    Readings out;
    for (const auto& [index, level] : by.begin()->second) out.indices.push_back(index);
    for (const auto& [hz, levels] : by) {
        out.hz.push_back(hz);
        out.level.emplace_back();
        for (const int index : out.indices) {
            const auto at = levels.find(index);
            if (at == levels.end() || levels.size() != out.indices.size())
                fail_signal(fmt::format("not every index was measured at {}", format({hz, Unit::hertz})));
            out.level.back().push_back(at->second);
        }
    }
    if (out.indices.size() < 2) fail_signal("a table needs two gain indices and more");
    return out;
}

// Throws Error(signal) for readings that cannot be those of a gain that rises with its index.
void require_plausible(const Readings& r, const ResultCurve& curve, const Parameters& p, Outcome& outcome) {
    const auto least = p.number("least"), most = p.number("most"), most_step = p.number("most_step");
    const double least_step = p.required("least_step");
    double smallest = 1e300, greatest = -1e300;
    const auto at = [&](std::size_t f, std::size_t i) {
        return fmt::format("index {} at {}", r.indices[i], format({r.hz[f], Unit::hertz}));
    };
    const auto value = [&](double y) { return format({y, curve.y_unit}, 4); };
    for (std::size_t f = 0; f < r.hz.size(); ++f) {
        for (std::size_t i = 0; i < r.indices.size(); ++i) {
            const double y = r.level[f][i];
            if ((least && y < *least) || (most && y > *most))
                fail_signal(at(f, i) + " gives " + value(y) + ": beyond what is possible; no table is made");
            if (i == 0) continue;
            const double step = (y - r.level[f][i - 1]) / (r.indices[i] - r.indices[i - 1]);
            smallest = std::min(smallest, step), greatest = std::max(greatest, step);
            if (!(step > least_step))
                fail_signal(at(f, i) + " is not above the index before it: " + value(r.level[f][i - 1]) +
                            ", then " + value(y) + "; no table is made");
            if (most_step && step > *most_step)
                fail_signal(at(f, i) + " is " + format({step, Unit::db}, 3) +
                            " above the index before it, more than is possible; no table is made");
        }
    }
    outcome.add("smallest_step", smallest, Unit::db);
    outcome.add("greatest_step", greatest, Unit::db);
}

std::vector<double> list_of(const std::string& text, Unit unit, const char* name) {
    std::vector<double> out;
    for (const auto part : split(text, ',')) {
        if (trim(part).empty()) continue;
        try {
            out.push_back(parse_quantity(trim(part), unit).value);
        } catch (const Error& error) {
            fail_input(std::string("parameter ") + name + ": " + error.message());
        }
    }
    return out;
}

// Levels of all indices at a frequency, by straight lines. Throws Error(input) beyond those that were
// measured.
std::vector<double> levels_at(const Readings& r, double hz) {
    const auto above = std::lower_bound(r.hz.begin(), r.hz.end(), hz);
    if (above == r.hz.end() || (above == r.hz.begin() && *above != hz))
        fail_input("parameter frequencies: " + format({hz, Unit::hertz}) +
                   " lies outside of what was measured, " + format({r.hz.front(), Unit::hertz}) + " to " +
                   format({r.hz.back(), Unit::hertz}));
    const auto high = static_cast<std::size_t>(above - r.hz.begin());
    if (*above == hz) return r.level[high];
    const double part = (hz - r.hz[high - 1]) / (r.hz[high] - r.hz[high - 1]);
    std::vector<double> out;
    for (std::size_t i = 0; i < r.indices.size(); ++i)
        out.push_back(r.level[high - 1][i] + part * (r.level[high][i] - r.level[high - 1][i]));
    return out;
}

std::string row_text(const std::string& row, double hz, double level, int index, double correction) {
    return table_row(row, {{"{MHz}", fmt::format("{:.9g}", hz / 1e6)},
                           {"{kHz}", fmt::format("{:.12g}", hz / 1e3)},
                           {"{Hz}", fmt::format("{:.12g}", hz)},
                           {"{level}", fmt::format("{:.4g}", level)},
                           {"{index}", std::to_string(index)},
                           {"{correction}", fmt::format("{:.2f}", correction)}});
}

Outcome measure_gain_table(Capture capture, const Parameters& p) {
    const ResultTable table = take<ResultTable>(std::move(capture), "results.gain-table");
    const ResultCurve curve = values_of(table, p);
    const bool by_index = p.text("form") == "index";
    Outcome outcome;
    const Readings r = readings_of(table, curve, p);
    require_plausible(r, curve, p, outcome);
    auto hz = list_of(p.text("frequencies"), Unit::hertz, "frequencies");
    if (hz.empty()) hz = r.hz;
    const auto targets = list_of(p.text("targets"), curve.y_unit, "targets");
    if (by_index && targets.empty())
        fail_input("parameter targets: write the levels, as in \"0 dBm, 2 dBm\"");
    Table rows{"device_table",
               "Gain table",
               {{"frequency", Unit::hertz},
                {by_index ? "target" : "nominal", curve.y_unit},
                {"index", Unit::none},
                {"level", curve.y_unit},
                {"correction", Unit::db},
                {"row"}},
               {}};
    double shortfall = 0, greatest = 0;
    const auto add = [&](double f, double wanted, std::size_t i, double level) {
        const double correction = wanted - level;
        rows.rows.push_back({f, wanted, static_cast<double>(r.indices[i]), level, correction,
                             row_text(p.text("row"), f, wanted, r.indices[i], correction)});
        shortfall = std::max(shortfall, correction);
        greatest = std::max(greatest, std::abs(correction));
    };
    for (const double f : hz) {
        const auto levels = levels_at(r, f);
        if (!by_index) {
            const double first = p.required("nominal_first"), step = p.required("nominal_step");
            for (std::size_t i = 0; i < levels.size(); ++i)
                add(f, first + step * (r.indices[i] - r.indices.front()), i, levels[i]);
            continue;
        }
        for (const double target : targets) {
            const auto above = std::upper_bound(levels.begin(), levels.end(), target);
            if (above == levels.begin())
                fail_signal(fmt::format(
                    "the target {} at {} lies below the lowest index, which gives {}; no table is "
                    "made",
                    format({target, curve.y_unit}), format({f, Unit::hertz}),
                    format({levels.front(), curve.y_unit}, 4)));
            const auto i = static_cast<std::size_t>(above - levels.begin()) - 1;
            add(f, target, i, levels[i]);
        }
    }
    outcome.add("rows", static_cast<double>(rows.rows.size()), Unit::count);
    if (by_index) {
        outcome.add("shortfall", shortfall, Unit::db);
        outcome.lacking["greatest_correction"] = "form is index";
    } else {
        outcome.add("greatest_correction", greatest, Unit::db);
        outcome.lacking["shortfall"] = "form is correction";
    }
    Trace trace;
    trace.name = "levels", trace.title = fmt::format("Level of index {}", r.indices[0]), trace.x = r.hz,
    trace.y_unit = curve.y_unit;
    for (std::size_t f = 0; f < r.hz.size(); ++f) trace.y.push_back(r.level[f][0]);
    for (std::size_t i = 1; i < r.indices.size(); ++i) {
        Trace::Companion one{fmt::format("Index {}", r.indices[i]), {}};
        for (std::size_t f = 0; f < r.hz.size(); ++f) one.y.push_back(r.level[f][i]);
        trace.companions.push_back(std::move(one));
    }
    if (r.hz.size() > 1) outcome.traces.push_back(std::move(trace));
    outcome.tables.push_back(std::move(rows));
    return outcome;
}

}  // namespace

// A gain table out of levels measured at each index and frequency: it must rise from index to index and stay
// within what is possible, or there is none.
Procedure results_gain_table() {
    return {
        "results.gain-table",
        "Gain table for the unit",
        "Checks that levels rise with the index and are possible, takes frequencies between measured ones by "
        "straight lines, and chooses the index nearest below each target, or what each index lacks of its "
        "nominal "
        "level. Readings that are not plausible make no table. With provides a later test writes it: "
        "\"unit.gain_table\" = \"calibration:NAME\".",
        gain_table_parameters,
        gain_table_traces,
        gain_table_products,
        results_setup,
        measure_gain_table,
        preset_results};
}

}  // namespace rt
