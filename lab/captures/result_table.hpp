// Tables of results as text.
#pragma once

#include <string>

#include "core/outcome/outcome.hpp"
#include "core/signal/result_table.hpp"

namespace rt::lab {

// The columns that these results need and the table lacks.
void add_columns(ResultTable& table, const std::vector<Result>& results);
// A cell for a result, bounds told; an empty one for none, and for one in another unit than its column.
ResultTable::Cell cell_of(const ResultTable::Column& column, const Result* result);

// What such a table is kept as: "# axes: 1", then point,verdict,invalid,time [s], the axes and the results
// with their units in brackets. ">=" and "<=" stand before values of which only a bound is known.
std::string table_text(const ResultTable& table);

}  // namespace rt::lab
