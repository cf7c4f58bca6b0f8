#include "core/measure/results/rows.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {
namespace {

// The column that `wanted` names, or the only one there is.
std::size_t chosen(const std::vector<ResultTable::Column>& columns, const std::string& wanted,
                   const char* what) {
    std::vector<std::string> names;
    for (const auto& column : columns) names.push_back(column.name);
    for (std::size_t i = 0; i < names.size(); ++i) {
        if (names[i] == wanted) return i;
    }
    if (!wanted.empty())
        fail_input(std::string("the points have no ") + what + " " + in_quotes(wanted) +
                   suggestion(wanted, names));
    if (columns.size() == 1) return 0;
    std::string list;
    for (const auto& name : names) list += (list.empty() ? "" : ", ") + name;
    fail_input(columns.empty() ? std::string("the points have no ") + what
                               : std::string("which ") + what + " is meant? The points have " + list);
}

// An axis of the points that counts, where there is one: conclusions without an axis look at all alike.
std::optional<std::size_t> axis_of(const ResultTable& table, const Parameters& p) {
    const std::string wanted = p.text("over");
    if (wanted.empty() && table.axes.size() != 1) return std::nullopt;
    return chosen(table.axes, wanted, "axis");
}

}  // namespace

void require_valid_rows(const ResultTable& table) {
    if (table.rows.empty()) fail_signal("there are no points to conclude from");
    // Without a valid one there is no column of results to look for.
    const auto valid = [](const ResultTable::Row& row) { return row.invalid.empty(); };
    if (std::none_of(table.rows.begin(), table.rows.end(), valid))
        fail_signal("no point is valid; " + table.rows.front().point + ": " + table.rows.front().invalid);
}

ResultCurve values_of(const ResultTable& table, const Parameters& p, bool exact) {
    require_valid_rows(table);
    const std::size_t result = chosen(table.results, p.text("result"), "result");
    constexpr std::size_t none = static_cast<std::size_t>(-1);
    const std::size_t axis = axis_of(table, p).value_or(none);
    ResultCurve out;
    out.result = table.results[result].name;
    out.y_unit = table.results[result].unit;
    if (axis != none) out.over = table.axes[axis].name, out.x_unit = table.axes[axis].unit;
    for (const auto& row : table.rows) {
        if (!row.invalid.empty()) fail_signal("the point " + row.point + " is not valid: " + row.invalid);
        const auto& cell = row.cells[result];
        if (!cell.value) fail_signal("the point " + row.point + " has no " + out.result);
        if (exact && (cell.at_least || cell.at_most)) {
            fail_signal("of " + out.result + " at " + row.point + " only a bound is known (" +
                        (cell.at_least ? "at least " : "at most ") + format({*cell.value, out.y_unit}) + ")");
        }
        ResultPoint point{static_cast<double>(out.points.size() + 1),
                          *cell.value,
                          cell.at_least,
                          cell.at_most,
                          row.point,
                          row.at_s.value_or(0)};
        if (axis != none && row.axes[axis].value) point.x = *row.axes[axis].value;
        out.points.push_back(std::move(point));
    }
    return out;
}

// Over a result in place of the axis: each point where its own value of that lies.
static ResultCurve curve_over(const ResultTable& table, std::size_t x, const Parameters& p, bool exact) {
    ResultCurve out = values_of(table, p, exact);
    out.over = table.results[x].name, out.x_unit = table.results[x].unit;
    for (std::size_t i = 0; i < out.points.size(); ++i) {
        const auto& cell = table.rows[i].cells[x];
        if (!cell.value || cell.at_least || cell.at_most)
            fail_signal("the point " + table.rows[i].point + " has no known " + out.over);
        out.points[i].x = *cell.value;
    }
    return out;
}

static ResultCurve ascending(ResultCurve out);

ResultCurve curve_of(const ResultTable& table, const Parameters& p, bool exact) {
    require_valid_rows(table);
    if (const std::string by = p.text("by"); !by.empty())
        return ascending(curve_over(table, chosen(table.results, by, "result"), p, exact));
    const std::size_t axis = chosen(table.axes, p.text("over"), "axis");
    for (const auto& row : table.rows) {
        if (!row.axes[axis].value)
            fail_input("the axis " + in_quotes(table.axes[axis].name) +
                       " has words, not quantities: " + row.axes[axis].text);
    }
    ResultCurve out = values_of(table, p, exact);
    out.over = table.axes[axis].name, out.x_unit = table.axes[axis].unit;
    for (std::size_t i = 0; i < out.points.size(); ++i) out.points[i].x = *table.rows[i].axes[axis].value;
    return ascending(std::move(out));
}

static ResultCurve ascending(ResultCurve out) {
    std::stable_sort(out.points.begin(), out.points.end(),
                     [](const auto& a, const auto& b) { return a.x < b.x; });
    for (std::size_t i = 1; i < out.points.size(); ++i) {
        if (out.points[i].x == out.points[i - 1].x) {
            fail_signal("two points stand at " + out.over + " " + format({out.points[i].x, out.x_unit}) +
                        ", " + out.points[i - 1].place + " and " + out.points[i].place);
        }
    }
    return out;
}

void require_decided(const ResultTable& table, const ResultCurve& curve, double level) {
    const auto column = table.find_result("decided_limit");
    if (!column || curve.result.find("_error_") == std::string::npos) return;
    const double percent = curve.y_unit == Unit::percent ? level : 100 * level;
    for (const auto& row : table.rows) {
        const auto& limit = row.cells[*column].value;
        if (!limit || std::abs(*limit - percent) <= 1e-9 * percent) continue;
        fail_signal(row.point + " was counted until " + format({*limit, Unit::percent}) +
                    " was decided: nothing can be concluded from it at " + format({percent, Unit::percent}));
    }
}

Trace trace_of(const ResultCurve& curve) {
    Trace trace;
    trace.name = "values";
    trace.title = curve.result;
    std::replace(trace.title.begin(), trace.title.end(), '_', ' ');
    trace.x_title = curve.over.empty() ? "Point" : curve.over;
    trace.x_unit = curve.x_unit;
    trace.y_unit = curve.y_unit;
    for (const auto& point : curve.points) trace.x.push_back(point.x), trace.y.push_back(point.y);
    bool rises = true;
    for (std::size_t i = 1; i < trace.x.size(); ++i) rises = rises && trace.x[i] > trace.x[i - 1];
    if (!rises) {  // repeats at one value, or an axis that runs down: the points are counted
        trace.x_title = "Point";
        trace.x_unit = Unit::none;
        for (std::size_t i = 0; i < trace.x.size(); ++i) trace.x[i] = static_cast<double>(i + 1);
    }
    return trace;
}

std::string table_row(std::string row, const std::vector<std::pair<const char*, std::string>>& holes) {
    std::string names;
    for (const auto& [hole, text] : holes) {
        names += (names.empty() ? "" : ", ") + std::string(hole);
        for (auto at = row.find(hole); at != std::string::npos; at = row.find(hole, at + text.size()))
            row.replace(at, std::string_view(hole).size(), text);
    }
    if (row.find('{') != std::string::npos)
        fail_input("parameter row: write " + names + " in braces, nothing else");
    return row;
}

CaptureSetup results_setup(const Parameters& parameters) {
    return ResultTableSetup{parameters.text("result")};
}

}  // namespace rt
