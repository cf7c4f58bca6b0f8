#include "lab/formats/csv_table.hpp"

#include <fmt/core.h>

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {

std::string_view heading_unit(std::string_view heading) {
    const auto open = heading.find_last_of("[(");
    const auto close = heading.find_last_of("])");
    if (open != std::string_view::npos && close != std::string_view::npos && open < close) {
        return trim(heading.substr(open + 1, close - open - 1));
    }
    const auto word = trim(heading);
    if (const auto slash = word.find('/');
        slash != std::string_view::npos && parse_unit(trim(word.substr(slash + 1)))) {
        return trim(word.substr(slash + 1));
    }
    // The longest end that is a unit: level_dbuv_per_m ends in dbuv_per_m, not in m.
    for (auto before = word.find_first_of("_ "); before != std::string_view::npos;
         before = word.find_first_of("_ ", before + 1)) {
        if (parse_unit(word.substr(before + 1))) return word.substr(before + 1);
    }
    return {};
}

char csv_separator(std::string_view heading) {
    for (const char candidate : {',', ';', '\t'}) {
        if (heading.find(candidate) != std::string_view::npos) return candidate;
    }
    return ',';
}

std::vector<std::string> csv_cells(std::string_view line, char separator) {
    std::vector<std::string> out(1);
    bool quoted = false;
    for (std::size_t i = 0; i < line.size(); ++i) {
        const char c = line[i];
        if (quoted && c == '"' && i + 1 < line.size() && line[i + 1] == '"') {
            out.back() += line[++i];
        } else if (c == '"' && (quoted || trim(out.back()).empty())) {
            quoted = !quoted;
        } else if (c == separator && !quoted) {
            out.emplace_back();
        } else {
            out.back() += c;
        }
    }
    for (auto& cell : out) cell = std::string(trim(cell));
    return out;
}

std::optional<double> scaled_number(std::string_view text, const Spelling& unit) {
    auto value = to_reading(text);
    if (value && unit.exponent != 0) {
        const auto mark = text.find_first_of("eE");  // it may have its own exponent
        const int own =
            mark == std::string_view::npos ? 0 : static_cast<int>(*to_double(text.substr(mark + 1)));
        value = to_double(std::string(text.substr(0, mark)) + "e" + std::to_string(own + unit.exponent));
    }
    if (value) *value *= unit.factor;
    return value;
}

std::string csv_cell(std::string text) {
    // Spreadsheets take such a text for a formula; numbers are none.
    const bool formula =
        !text.empty() && std::string_view("=+-@\t\r").find(text.front()) != std::string_view::npos;
    if (formula && !to_double(text)) text.insert(0, 1, '\'');
    if (text.find_first_of(",\"\n\r") == std::string::npos) return text;
    for (std::size_t at = 0; (at = text.find('"', at)) != std::string::npos; at += 2) text.insert(at, 1, '"');
    return '"' + text + '"';
}

CsvTable::CsvTable(std::string_view text, std::string file, const char* example) : file_(std::move(file)) {
    if (text.starts_with("\xEF\xBB\xBF")) text.remove_prefix(3);  // byte order mark of some spreadsheets
    while (!text.empty()) {
        const auto end = std::min(text.find('\n'), text.size());
        const auto line = trim(text.substr(0, end));
        text.remove_prefix(std::min(end + 1, text.size()));
        ++row_;
        if (line.empty()) continue;
        if (line.front() == '#') {
            const auto colon = line.find(':');
            if (colon != std::string_view::npos)
                remarks_.push_back({std::string(trim(line.substr(1, colon - 1))),
                                    std::string(trim(line.substr(colon + 1))), row_});
        } else if (columns_.empty()) {
            take_heading(line);
        } else {
            take_row(line);
        }
    }
    if (columns_.empty())
        fail_input(file_, std::string("is empty: write a heading ") + (*example ? "such as " : "") + example +
                              (*example ? " " : "") + "and rows");
}

void CsvTable::take_heading(std::string_view line) {
    heading_ = row_;
    separator_ = csv_separator(line);
    for (const auto& written : csv_cells(line, separator_)) {
        const std::string_view cell = written;
        const auto unit = heading_unit(cell);
        const auto spelling = unit.empty() ? std::nullopt : parse_unit(unit);
        if (!unit.empty() && !spelling)
            fail_input(place(row_, columns_.size() + 1), "unknown unit " + in_quotes(unit));
        auto name = trim(cell.substr(0, cell.size()));
        if (!unit.empty()) name = trim(cell.substr(0, cell.rfind(unit)));
        if (name.ends_with("[]")) name.remove_suffix(1);  // without a unit, whatever the name ends in
        while (!name.empty() && std::string_view("[(_/ ").find(name.back()) != std::string_view::npos)
            name.remove_suffix(1);
        columns_.push_back({std::string(name), written, spelling, {}});
    }
}

void CsvTable::take_row(std::string_view line) {
    std::size_t column = 0;
    const auto take = [&](std::string_view cell) {
        if (column < columns_.size()) {
            columns_[column].cells.emplace_back(trim(cell));
        } else if (!trim(cell).empty()) {
            // Something behind the last column is a decimal comma or a shifted row.
            fail_input(
                place(row_, column + 1),
                fmt::format("the row has more cells than the heading's {}: write decimals with a point",
                            columns_.size()));
        }
        ++column;
    };
    if (line.find('"') != std::string_view::npos) {
        for (const auto& cell : csv_cells(line, separator_)) take(cell);
    } else {
        for (;;) {
            const auto end = line.find(separator_);
            take(line.substr(0, end));
            if (end == std::string_view::npos) break;
            line.remove_prefix(end + 1);
        }
    }
    if (column < columns_.size())
        fail_input(place(row_, column + 1),
                   fmt::format("the cell is missing: the heading has {} columns", columns_.size()));
    lines_.push_back(row_);
}

std::string CsvTable::remark(std::string_view name) const {
    for (const auto& remark : remarks_) {
        if (lower(remark.name) == name) return remark.value;
    }
    return {};
}

const CsvColumn* CsvTable::find(std::string_view name) const {
    for (const auto& column : columns_) {
        if (column.name == name) return &column;
    }
    return nullptr;
}

const CsvColumn& CsvTable::required(std::string_view name) const {
    if (const auto* column = find(name)) return *column;
    std::vector<std::string> names;
    for (const auto& column : columns_) names.push_back(column.name);
    fail_input(file_, "has no column " + in_quotes(name) + suggestion(name, names));
}

std::string CsvTable::place(std::size_t row, std::size_t column) const {
    return fmt::format("{}, row {}, column {}", file_, row, column);
}

std::string CsvTable::place(const CsvColumn& column, std::size_t row) const {
    return place(lines_[row], static_cast<std::size_t>(&column - columns_.data()) + 1);
}

std::string CsvTable::place(const CsvColumn& column) const {
    return place(heading_, static_cast<std::size_t>(&column - columns_.data()) + 1);
}

double CsvTable::number(const CsvColumn& column, std::size_t row) const {
    const std::string& cell = column.cells[row];
    if (cell.empty()) fail_input(place(column, row), "the cell is empty");
    const auto value = column.unit ? scaled_number(cell, *column.unit) : to_reading(cell);
    if (!value) fail_input(place(column, row), in_quotes(cell) + " is not a number");
    return *value;
}

}  // namespace rt::lab
