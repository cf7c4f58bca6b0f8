#include "lab/captures/point_table.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/quantity/quantity.hpp"
#include "lab/captures/table_text.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

constexpr std::array counts_called{"packets_sent", "packets_received", "bits", "bit_errors"};

bool is_count(const CsvColumn& column) {
    return std::find(counts_called.begin(), counts_called.end(), column.name) != counts_called.end();
}

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
    const std::string text = read_file(file);
    if (text.find("packets_sent") == std::string::npos && text.find("bit_errors") == std::string::npos)
        return std::nullopt;
    const CsvTable csv(text, file.string());
    if (csv.find("verdict") || csv.remark("planned") != "") return std::nullopt;
    PointTable out;
    std::vector<const CsvColumn*> settings;
    for (const auto& column : csv.columns()) {
        const auto same = [&](const CsvColumn& other) { return other.name == column.name; };
        if (std::count_if(csv.columns().begin(), csv.columns().end(), same) > 1)
            fail_input(csv.place(column), "two columns are called " + in_quotes(column.name));
        if (is_count(column) || column.name == "comment") continue;
        if (names_settings(csv, column)) settings.push_back(&column);
    }
    if (settings.empty()) return std::nullopt;
    if (csv.rows() == 0) fail_input(file.string(), "has a heading but no rows");
    for (const auto& [one, other] : {std::pair{"packets_sent", "packets_received"}, {"bits", "bit_errors"}}) {
        if (csv.find(one)) csv.required(other);
        if (csv.find(other)) csv.required(one);
    }
    for (const CsvColumn* column : settings)
        out.axes.push_back({column->name, column->unit ? column->unit->unit : Unit::none});
    const auto distrust = distrust_of(csv);
    std::map<std::string, std::size_t> known;
    for (std::size_t row = 0; row < csv.rows(); ++row) {
        PointTable::Point point{{}, Counts{}};
        for (const CsvColumn* column : settings) point.axes.push_back(setting(csv, *column, row));
        const auto add = [&](const char* name, std::uint64_t& sum) {
            if (const CsvColumn* column = csv.find(name)) sum += whole(csv, *column, row);
        };
        const auto [at, fresh] = known.emplace(out.label(point), out.points.size());
        if (fresh) {
            Counts none;
            none.distrust = distrust;
            point.capture = none;
            out.points.push_back(std::move(point));
        } else {
            ++out.points[at->second].rows;
        }
        Counts& sum = std::get<Counts>(out.points[at->second].capture);
        Counts one;
        add("packets_sent", one.packets_sent), add("packets_received", one.packets_received);
        add("bits", one.bits), add("bit_errors", one.bit_errors);
        require_valid(one, csv.place(*settings.front(), row));
        sum.packets_sent += one.packets_sent, sum.packets_received += one.packets_received;
        sum.bits += one.bits, sum.bit_errors += one.bit_errors;
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
