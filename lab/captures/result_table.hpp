// Tables of results as text.
#pragma once

#include <string>

#include "core/signal/result_table.hpp"

namespace rt::lab {

// What such a table is kept as: "# axes: 1", then point,verdict,invalid,time [s], the axes and the results
// with their units in brackets. ">=" and "<=" stand before values of which only a bound is known.
std::string table_text(const ResultTable& table);

}  // namespace rt::lab
