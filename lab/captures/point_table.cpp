#include "lab/captures/point_table.hpp"

#include <algorithm>
#include <fstream>
#include <map>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/quantity/quantity.hpp"
#include "lab/captures/count_columns.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

// Whether its cells are settings; throws for one that may be anything.
bool names_settings(const CsvTable& csv, const CsvColumn& column) {
    if (column.unit || column.heading.ends_with("[]")) return true;
    const auto number = [](const std::string& cell) { return to_double(cell).has_value(); };
    if (std::any_of(column.cells.begin(), column.cells.end(), number))
        fail_input(csv.place(column),
                   "the column " + in_quotes(column.heading) +
                       " is not understood: write its unit behind it where it is a setting (" + column.name +
                       " [] without one), and take it out where it is not");
    return true;
}

ResultTable::AxisValue setting(const CsvTable& csv, const CsvColumn& column, std::size_t row) {
    const std::string& cell = column.cells[row];
    if (trim(cell).empty()) fail_input(csv.place(column, row), "a setting is missing");
    if (!column.unit && !to_double(cell)) return {std::string(trim(cell)), {}};
    const double value = csv.number(column, row);
    return {format_exact({value, column.unit ? column.unit->unit : Unit::none}), value};
}

// Whether counts are named where the heading is: long tables of another kind are not read for it.
bool names_counts(const std::filesystem::path& file) {
    std::string beginning(1 << 16, '\0');
    std::ifstream in(file, std::ios::binary);
    in.read(beginning.data(), static_cast<std::streamsize>(beginning.size()));
    beginning.resize(static_cast<std::size_t>(in.gcount()));
    return beginning.find("packets_sent") != std::string::npos ||
           beginning.find("bit_errors") != std::string::npos;
}

}  // namespace

std::string PointTable::text(const Point& point, std::size_t axis) const {
    const auto& value = point.axes[axis];
    return value.value ? format({*value.value, axes[axis].unit}) : printable(value.text);
}

std::string PointTable::label(const Point& point) const {
    std::string out;
    for (std::size_t i = 0; i < axes.size(); ++i) out += (i ? " " : "") + axes[i].name + "=" + text(point, i);
    return out;
}

std::optional<PointTable> read_count_table(const std::filesystem::path& file) {
    if (lower(file.extension().string()) != ".csv") return std::nullopt;
    if (!names_counts(file)) return std::nullopt;
    const CsvTable csv(read_file(file), file.string());
    if (csv.find("verdict") || csv.remark("planned") != "") return std::nullopt;
    PointTable out;
    std::vector<const CsvColumn*> settings;
    for (const auto& column : csv.columns()) {
        if (is_twice(csv, column))
            fail_input(csv.place(column), "two columns are called " + in_quotes(column.name));
        if (is_count(column) || column.name == "comment") continue;
        if (names_settings(csv, column)) settings.push_back(&column);
    }
    if (settings.empty()) return std::nullopt;
    if (csv.rows() == 0) fail_input(file.string(), "has a heading but no rows");
    require_count_pairs(csv);
    for (const CsvColumn* column : settings)
        out.axes.push_back({column->name, column->unit ? column->unit->unit : Unit::none});
    const auto distrust = distrust_of(csv);
    std::map<std::string, std::size_t> known;
    for (std::size_t row = 0; row < csv.rows(); ++row) {
        PointTable::Point point{{}, Counts{}};
        for (const CsvColumn* column : settings) point.axes.push_back(setting(csv, *column, row));
        const auto [at, fresh] = known.emplace(out.label(point), out.points.size());
        if (fresh) {
            Counts none;
            none.distrust = distrust;
            point.capture = none;
            out.points.push_back(std::move(point));
        } else {
            ++out.points[at->second].rows;
        }
        Counts one;
        add_counts(csv, row, one);
        require_valid(one, csv.place(*settings.front(), row));
        add_counts(csv, row, std::get<Counts>(out.points[at->second].capture));
    }
    return out;
}

std::optional<PointTable> grouped(const ResultTable& table, const std::string& over) {
    const auto axis = table.find_axis(over);
    if (!axis || table.axes.size() < 2) return std::nullopt;
    PointTable out;
    for (std::size_t i = 0; i < table.axes.size(); ++i) {
        if (i != *axis) out.axes.push_back(table.axes[i]);
    }
    std::map<std::string, std::size_t> known;
    for (const auto& row : table.rows) {
        PointTable::Point point{{}, ResultTable{}};
        for (std::size_t i = 0; i < row.axes.size(); ++i) {
            if (i != *axis) point.axes.push_back(row.axes[i]);
        }
        const auto [at, fresh] = known.emplace(out.label(point), out.points.size());
        if (fresh) {
            ResultTable part;
            part.axes = {table.axes[*axis]}, part.results = table.results, part.rules = table.rules;
            part.distrust = table.distrust;
            point.capture = std::move(part);
            out.points.push_back(std::move(point));
        }
        auto& part = std::get<ResultTable>(out.points[at->second].capture);
        part.rows.push_back(row);
        part.rows.back().axes = {row.axes[*axis]};
    }
    return out;
}

}  // namespace rt::lab
