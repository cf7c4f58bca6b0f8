#include "core/signal/result_table.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"

namespace rt {

static std::optional<std::size_t> position(const std::vector<ResultTable::Column>& columns,
                                           std::string_view name) {
    const auto at =
        std::find_if(columns.begin(), columns.end(), [&](const auto& c) { return c.name == name; });
    if (at == columns.end()) return std::nullopt;
    return static_cast<std::size_t>(at - columns.begin());
}

std::optional<std::size_t> ResultTable::find_axis(std::string_view name) const {
    return position(axes, name);
}

std::optional<std::size_t> ResultTable::find_result(std::string_view name) const {
    return position(results, name);
}

void require_valid(const ResultTable& table, const std::string& place) {
    for (std::size_t i = 0; i < table.rows.size(); ++i) {
        const auto& row = table.rows[i];
        const std::string where = "row " + std::to_string(i + 1);
        if (row.axes.size() != table.axes.size() || row.cells.size() != table.results.size() ||
            row.verdicts.size() != table.rules.size())
            fail_input(place, where + " has other columns than the table");
        for (const auto& cell : row.cells) {
            if (cell.value && !std::isfinite(*cell.value))
                fail_input(place, where + " holds a value that is no number");
        }
    }
}

}  // namespace rt
