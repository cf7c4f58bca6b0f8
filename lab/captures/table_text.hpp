// What kinds share that are kept as a small table of text.
#pragma once

#include <cmath>
#include <optional>
#include <string>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/csv_table.hpp"

namespace rt::lab {

// The remark above a table that says why it cannot be trusted; empty when it can.
inline std::string distrust_line(const std::optional<std::string>& distrust) {
    return distrust ? "# distrust: " + *distrust + "\n" : "";
}

// That remark of a table that is read; "trouble" in those of older runs.
inline std::optional<std::string> distrust_of(const CsvTable& csv) {
    for (const char* key : {"distrust", "trouble"}) {
        const std::string why = csv.remark(key);
        if (!why.empty()) return why;
    }
    return std::nullopt;
}

inline std::uint64_t whole(const CsvTable& csv, const CsvColumn& column, std::size_t row) {
    const double value = csv.number(column, row);
    if (value < 0 || value != std::floor(value) || value > 9e15) {
        fail_input(csv.place(column, row),
                   in_quotes(column.cells[row]) + " is no count: write a whole number");
    }
    return static_cast<std::uint64_t>(value);
}

}  // namespace rt::lab
