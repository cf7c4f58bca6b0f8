// One row a run, appended to a CSV file that grows over many runs and benches.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "lab/formats/config.hpp"
#include "lab/tally/record.hpp"

namespace rt {

extern const SectionInfo table_section, column_section;

// What one column, or one column for each point of a test, holds.
struct TableColumn {
    std::string label;
    std::string fact;    // "unit.serial", "started", "verdict" ...
    std::string test;    // or a result of this test ...
    std::string result;  // by name; "verdict" and "margin" of its worst finding
    Unit unit = Unit::none;
    std::string unit_text;    // as the label says it
    bool each_point = false;  // a column for each point, named after it
};

struct GrowingTable {
    std::filesystem::path file;
    std::vector<TableColumn> columns;
};

// Throws Error(input) for columns that say nothing, or too much.
GrowingTable read_growing_table(const ConfigSection& section, const std::filesystem::path& campaign);

// The headings and the cells of a run. A result that the run does not have is an empty cell.
struct TableRow {
    std::vector<std::string> headings, cells;
};
TableRow table_row(const GrowingTable& table, const RunRecord& run);

// Appends one line while no other process does, with the headings above the first; flushed. Throws
// Error(input) when the file has other headings, Error(output) when it cannot be written.
void append_row(const std::filesystem::path& file, const TableRow& row);

}  // namespace rt
