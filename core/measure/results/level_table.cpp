// results.level-table: what a source lacks of its level over frequency becomes a table that it is corrected
// by.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/dsp/least_squares.hpp"
#include "core/measure/results/rows.hpp"

namespace rt {
namespace {

constexpr std::array level_table_parameters{
    result_parameter,
    over_parameter,
    ParameterInfo{"wanted", ParameterKind::quantity, Unit::dbm, "",
                  "level that is wanted at every frequency"},
    ParameterInfo{"most", ParameterKind::quantity, Unit::db, "20 dB",
                  "no correction can be larger than this, by its size"},
    ParameterInfo{"most_step", ParameterKind::quantity, Unit::db, "6 dB",
                  "nor differ by more from the one before: between frequencies straight lines are taken"},
    ParameterInfo{"row", ParameterKind::text, Unit::none, "{Hz},{correction}",
                  "a row as the source takes it: {Hz}, {kHz}, {MHz}, {GHz}, {level}, {correction}"},
    ParameterInfo{"join", ParameterKind::text, Unit::none, ",",
                  "what stands between rows where the source takes the table as one; rows: it takes them one "
                  "by one"},
};
constexpr std::array level_table_traces{
    Product{"values", Unit::dbm, "the level as measured, with the one that is wanted"},
    Product{"corrections", Unit::db, "what is added to the source's level"}};
constexpr std::array level_table_products{
    Product{"rows", Unit::count, "rows of the table"},
    Product{"greatest_correction", Unit::db, "greatest correction, by its size"},
    Product{"level_slope", Unit::db, "change of the level for each gigahertz: a line by least squares"},
    Product{"level_span", Unit::db, "highest level less the lowest"},
};

Outcome measure_level_table(Capture capture, const Parameters& p) {
    const ResultTable table = take<ResultTable>(std::move(capture), "results.level-table");
    const ResultCurve curve = curve_of(table, p);
    if (curve.x_unit != Unit::hertz || curve.y_unit != Unit::dbm)
        fail_input("results.level-table needs levels in dBm over an axis of frequencies");
    if (curve.points.size() < 2) fail_signal("a table over frequency needs two frequencies and more");
    const double wanted = p.required("wanted"), most = p.required("most"),
                 most_step = p.required("most_step");
    Table rows{"device_table",
               "Level correction",
               {{"frequency", Unit::hertz},
                {"measured", Unit::dbm},
                {"wanted", Unit::dbm},
                {"correction", Unit::db},
                {"row"}},
               {}};
    Trace corrections;
    corrections.name = "corrections", corrections.title = "Correction of the source",
    corrections.y_unit = Unit::db;
    double greatest = 0, low = curve.points.front().y, high = low;
    for (const auto& [hz, level, at_least, at_most, place, at_s] : curve.points) {
        const double correction = wanted - level;
        const std::string at = format({hz, Unit::hertz});
        if (std::abs(correction) > most)
            fail_signal(fmt::format("{} at {} lacks {} of {}: more than is possible; no table is made",
                                    format({level, Unit::dbm}, 4), at, format({correction, Unit::db}, 3),
                                    format({wanted, Unit::dbm}, 4)));
        if (!corrections.y.empty() && std::abs(correction - corrections.y.back()) > most_step)
            fail_signal(
                fmt::format("the level changes by {} up to {}: more than straight lines can follow; no "
                            "table is made",
                            format({std::abs(correction - corrections.y.back()), Unit::db}, 3), at));
        greatest = std::max(greatest, std::abs(correction));
        low = std::min(low, level), high = std::max(high, level);
        corrections.x.push_back(hz), corrections.y.push_back(correction);
        rows.rows.push_back(
            {hz, level, wanted, correction,
             table_row(p.text("row"), {{"{Hz}", fmt::format("{:.12g}", hz)},
                                       {"{kHz}", fmt::format("{:.12g}", hz / 1e3)},
                                       {"{MHz}", fmt::format("{:.12g}", hz / 1e6)},
                                       {"{GHz}", fmt::format("{:.12g}", hz / 1e9)},
                                       {"{level}", fmt::format("{:.4g}", wanted)},
                                       {"{correction}", fmt::format("{:.3f}", correction)}})});
    }
    Outcome outcome;
    outcome.add("rows", static_cast<double>(rows.rows.size()), Unit::count);
    outcome.add("greatest_correction", greatest, Unit::db);
    std::vector<double> ghz, levels_dbm;
    for (const auto& point : curve.points) ghz.push_back(point.x / 1e9), levels_dbm.push_back(point.y);
    outcome.add("level_slope", line_through(ghz, levels_dbm).slope, Unit::db);
    outcome.add("level_span", high - low, Unit::db);
    Trace levels = trace_of(curve);
    levels.companions.push_back({"wanted", std::vector<double>(levels.y.size(), wanted)});
    outcome.traces.push_back(std::move(levels));
    outcome.traces.push_back(std::move(corrections));
    outcome.tables.push_back(std::move(rows));
    return outcome;
}

}  // namespace

// What a source lacks of the wanted level at each frequency, to be added to it there; between frequencies
// straight lines, so that steps larger than these can follow are refused. The slope is by least squares.
Procedure results_level_table() {
    return {
        "results.level-table",
        "Level of a source over frequency, and its correction",
        "Compares a level measured at each frequency by a power sensor with the wanted one. The difference "
        "is a table that a source or a network analyser is corrected by: with provides a later test sets "
        "\"analyser.level_table\" = \"calibration:NAME\". What cannot be right makes no table.",
        level_table_parameters,
        level_table_traces,
        level_table_products,
        results_setup,
        measure_level_table,
        preset_results};
}

}  // namespace rt
