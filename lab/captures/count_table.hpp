// A table of counts whose further columns tell its rows apart: each combination of their values is a point.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/signal/counts.hpp"
#include "core/signal/result_table.hpp"

namespace rt::lab {

struct CountTable {
    struct Point {
        std::vector<ResultTable::AxisValue> axes;  // as `axes`
        Counts counts;
        std::size_t rows = 1;  // of the file that were added up, all with these values
    };
    std::vector<ResultTable::Column> axes;
    std::vector<Point> points;  // in the order of the file

    std::string text(const Point& point, std::size_t axis) const;  // "6 Mb/s"
    std::string label(const Point& point) const;                   // "rate=6 Mb/s level=-90 dBm"
};

// Columns with a unit ("level [dBm]", "channel []") or with words in them name settings; packets_sent,
// packets_received, bits and bit_errors are counts; "comment" says nothing. Throws Error(input)
// with the place for a column of bare numbers that is none of these: it may be a count that nobody
// understands. Nothing for a file that is no such table: of another kind, or without columns of settings.
std::optional<CountTable> read_count_table(const std::filesystem::path& file);

}  // namespace rt::lab
