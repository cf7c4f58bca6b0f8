// Columns of counts in a table of text.
#pragma once

#include <algorithm>
#include <array>
#include <string>
#include <utility>

#include "core/signal/counts.hpp"
#include "lab/captures/table_text.hpp"

namespace rt::lab {

inline constexpr std::array count_columns{std::pair{"packets_sent", &Counts::packets_sent},
                                          std::pair{"packets_received", &Counts::packets_received},
                                          std::pair{"bits", &Counts::bits},
                                          std::pair{"bit_errors", &Counts::bit_errors}};

inline bool is_count(const CsvColumn& column) {
    return std::any_of(count_columns.begin(), count_columns.end(),
                       [&](const auto& known) { return column.name == known.first; });
}

// Whether another column has the same name.
inline bool is_twice(const CsvTable& csv, const CsvColumn& column) {
    return std::count_if(csv.columns().begin(), csv.columns().end(),
                         [&](const CsvColumn& other) { return other.name == column.name; }) > 1;
}

// Throws Error(input) for sent without received, bits without errors, and the other way round.
inline void require_count_pairs(const CsvTable& csv) {
    for (const auto& [one, other] : {std::pair{"packets_sent", "packets_received"}, {"bits", "bit_errors"}}) {
        if (csv.find(one)) csv.required(other);
        if (csv.find(other)) csv.required(one);
    }
}

// Adds up what the row counts.
inline void add_counts(const CsvTable& csv, std::size_t row, Counts& sum) {
    for (const auto& [name, member] : count_columns) {
        if (const CsvColumn* column = csv.find(name)) sum.*member += whole(csv, *column, row);
    }
}

}  // namespace rt::lab
