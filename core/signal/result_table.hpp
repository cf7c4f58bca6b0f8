// Results of several points side by side: what conclusions are drawn from.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/quantity/unit.hpp"

namespace rt {

// What has to be gathered: nothing is asked of an instrument.
struct ResultTableSetup {
    std::string result;  // the one that is concluded from; "" for verdicts alone
};

struct ResultTable {
    using Setup = ResultTableSetup;
    static constexpr const char* kind = "results";
    static constexpr const char* needed = "a table of results";

    struct Column {
        std::string name;
        Unit unit = Unit::none;
    };
    // A value and what it says of the true one.
    struct Cell {
        std::optional<double> value;  // in the unit of its column; nothing where the point has none
        bool at_least = false, at_most = false;
    };
    struct AxisValue {
        std::string text;             // "idle", "8 dBm"
        std::optional<double> value;  // of a quantity
    };
    struct Row {
        std::string point;                    // its label
        std::string verdict;                  // of its worst finding: "PASS" ... ; "" when nothing judged it
        std::string invalid;                  // why nothing of it counts; "" when it does
        std::optional<double> at_s;           // when it began, since the first of the table
        std::vector<AxisValue> axes;          // as `axes`
        std::vector<Cell> cells;              // as `results`
        std::vector<std::string> verdicts{};  // as `rules`; "" where that rule did not judge it
    };

    std::vector<Column> axes;               // of the sweep, in its order
    std::vector<Column> results;            // all that any of the points has
    std::vector<Row> rows;                  // in the order of the run
    std::vector<std::string> rules{};       // that judged any of the points
    std::optional<std::string> distrust{};  // why it cannot be trusted, if it cannot

    // Position of the axis or result called so; nothing when there is none.
    std::optional<std::size_t> find_axis(std::string_view name) const;
    std::optional<std::size_t> find_result(std::string_view name) const;
};

// Throws Error(input) naming the first row whose cells are not those of the columns.
void require_valid(const ResultTable& table, const std::string& place);

// Any numbers can be results.
inline std::string implausible(const ResultTable&) {
    return {};
}

}  // namespace rt
