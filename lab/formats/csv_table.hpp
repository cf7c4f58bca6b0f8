// Small tables as CSV: remarks, one heading line with units, rows. Errors name row and column.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "core/quantity/unit.hpp"

namespace rt::lab {

// "level [dBuV]", "level (dBuV)", "level_dBuV", "level dBuV" and "level/dBuV" give "dBuV"; "level" gives
// nothing.
std::string_view heading_unit(std::string_view heading);

// Comma, semicolon or tab: what stands between the cells of a heading.
char csv_separator(std::string_view heading);

// The cells of a line, without spaces around them; quotation marks around one may enclose separators, two
// stand for one.
std::vector<std::string> csv_cells(std::string_view line, char separator);

// A decimal number that is written in a unit, in that unit without prefix; nothing for what is no reading.
// The prefix is applied to the text, so that it is rounded once.
std::optional<double> scaled_number(std::string_view text, const Spelling& unit);

// A cell of a CSV file: in quotation marks where commas, quotation marks or line ends need them.
std::string csv_cell(std::string text);

struct CsvColumn {
    std::string name;     // without its unit
    std::string heading;  // as written
    std::optional<Spelling> unit;
    std::vector<std::string> cells;
};

class CsvTable {
  public:
    // Cells stand between commas, semicolons or tabs, whichever the heading uses. Throws Error(input) for no
    // heading, an unknown unit in brackets, rows that are too short. `example` is a heading that is named
    // where there is none.
    CsvTable(std::string_view text, std::string file, const char* example = "");

    struct Remark {
        std::string name, value;
        std::size_t row = 0;
    };
    const std::vector<Remark>& remarks() const { return remarks_; }

    // Remarks "# name: value"; capitals in the name do not count, `name` has none.
    std::string remark(std::string_view name) const;
    const std::vector<CsvColumn>& columns() const { return columns_; }
    std::size_t rows() const { return lines_.size(); }
    const CsvColumn* find(std::string_view name) const;
    // Throws Error(input) with the nearest name.
    const CsvColumn& required(std::string_view name) const;
    // The cell as a number, in the unit of the column without prefix. Throws Error(input) with the place.
    double number(const CsvColumn& column, std::size_t row) const;
    std::string place(const CsvColumn& column, std::size_t row) const;
    std::string place(const CsvColumn& column) const;  // of its heading

  private:
    std::string place(std::size_t row, std::size_t column) const;
    void take_heading(std::string_view line);
    void take_row(std::string_view line);

    std::string file_;
    std::vector<Remark> remarks_;
    std::vector<CsvColumn> columns_;
    char separator_ = ',';
    std::size_t row_ = 0;             // the one being read, from 1
    std::size_t heading_ = 0;         // that of the heading
    std::vector<std::size_t> lines_;  // of each row
};

}  // namespace rt::lab
