// Files that hold many points at once: tables of counts with columns of settings, tables of results with
// several axes.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/signal/capture.hpp"

namespace rt::lab {

struct PointTable {
    struct Point {
        std::vector<ResultTable::AxisValue> axes;  // as `axes`
        Capture capture;
        std::size_t rows = 1;  // of the file that were added up, all with these values
    };
    std::vector<ResultTable::Column> axes;
    std::vector<Point> points;  // in the order of the file

    std::string text(const Point& point, std::size_t axis) const;  // "6 Mbit/s"
    std::string label(const Point& point) const;                   // "rate=6 Mbit/s level=-90 dBm"
};

// Columns with a unit ("level [dBm]", "channel []") or with words in them name settings; packets_sent,
// packets_received, bits and bit_errors are counts; "comment" says nothing. Throws Error(input) with the
// place for a column of bare numbers that is none of these: it may be a count that nobody understands.
// Nothing for a file that is no such table: of another kind, or without columns of settings.
std::optional<PointTable> read_count_table(const std::filesystem::path& file);

// A table of results with more axes than the one that is concluded over: a table of that axis alone for each
// combination of the others. Nothing when there are no others, or the axis is not there.
std::optional<PointTable> grouped(const ResultTable& table, const std::string& over);

}  // namespace rt::lab
