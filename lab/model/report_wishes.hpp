// What a campaign wants of reports: what stands around the results, and the row that each run adds to a
// table.
#pragma once

#include <filesystem>
#include <string>
#include <utility>
#include <vector>

#include "core/quantity/unit.hpp"

namespace rt::lab {

struct ReportHead {
    std::vector<std::pair<std::string, std::string>> texts;  // company, heading ... as written; lists by line
    std::string logo;                                        // as named in the campaign; "" for none
    std::vector<std::string> templates;
};

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

}  // namespace rt::lab
