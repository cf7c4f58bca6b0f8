// One row a run, appended to a CSV file that grows over many runs and benches.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "lab/model/record.hpp"
#include "lab/model/report_wishes.hpp"

namespace rt::lab {

// The headings and the cells of a run. A result that the run does not have is an empty cell.
struct TableRow {
    std::vector<std::string> headings, cells;
};
TableRow table_row(const GrowingTable& table, const RunRecord& run);

// Appends one line while no other process does, with the headings above the first; flushed. Throws
// Error(input) when the file has other headings, Error(output) when it cannot be written.
void append_row(const std::filesystem::path& file, const TableRow& row);

}  // namespace rt::lab
