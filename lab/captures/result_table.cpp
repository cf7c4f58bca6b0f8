#include "lab/captures/result_table.hpp"

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/captures/kind.hpp"
#include "lab/captures/table_text.hpp"

namespace rt::lab {
namespace {

using Column = ResultTable::Column;
using Cell = ResultTable::Cell;

// Brackets always, so that no end of a name is taken for a unit.
std::string heading_of(const Column& column) {
    return csv_cell(column.name + " [" + symbol(column.unit) + "]");
}

std::string text_of(const Cell& cell) {
    if (!cell.value) return "";
    return (cell.at_least ? ">=" : cell.at_most ? "<=" : "") + exact(*cell.value);
}

Column column_of(const CsvColumn& column) {
    return {column.name, column.unit ? column.unit->unit : Unit::none};
}

Cell cell_of(const CsvTable& csv, const CsvColumn& column, std::size_t row) {
    std::string_view text = column.cells[row];
    Cell out;
    if (text.empty()) return out;
    out.at_least = text.starts_with(">="), out.at_most = text.starts_with("<=");
    if (out.at_least || out.at_most) text.remove_prefix(2);
    const auto value = to_double(trim(text));
    if (!value) fail_input(csv.place(column, row), in_quotes(column.cells[row]) + " is not a number");
    const double scale = column.unit ? column.unit->factor * std::pow(10, column.unit->exponent) : 1;
    out.value = *value * scale;
    return out;
}

// Before the name of the rule in a heading.
constexpr std::string_view verdict_by = "verdict ";

void require_verdict(const CsvTable& csv, const CsvColumn& column, std::size_t row) {
    const std::string& text = column.cells[row];
    if (text.empty() || text == "PASS" || text == "MARGINAL" || text == "FAIL" || text == "NONE") return;
    fail_input(csv.place(column, row),
               in_quotes(text) + " is no verdict: write PASS, MARGINAL, FAIL, NONE or nothing");
}

ResultTable read_table(const CsvTable& csv, const std::string& file) {
    ResultTable out;
    out.distrust = distrust_of(csv);
    const auto& columns = csv.columns();
    const std::vector<std::string> first{"point", "verdict", "invalid", "time"};
    for (std::size_t i = 0; i < first.size(); ++i) {
        if (i >= columns.size() || columns[i].name != first[i])
            fail_input(file, "a table of results begins with the columns point, verdict, invalid, time [s]");
    }
    const auto axes = to_double(csv.remark("axes"));
    std::size_t skip = first.size();
    for (; skip < columns.size() && columns[skip].heading.starts_with(verdict_by); ++skip)
        out.rules.push_back(columns[skip].heading.substr(verdict_by.size()));
    const std::size_t room = columns.size() - skip;
    if (!axes || *axes < 0 || *axes > static_cast<double>(room))
        fail_input(file, "write how many of the columns behind time are axes: # axes: 1");
    const auto count = static_cast<std::size_t>(*axes);
    for (std::size_t i = 0; i < room; ++i)
        (i < count ? out.axes : out.results).push_back(column_of(columns[skip + i]));
    for (std::size_t row = 0; row < csv.rows(); ++row) {
        ResultTable::Row one{columns[0].cells[row], columns[1].cells[row], columns[2].cells[row], {}, {}, {}};
        require_verdict(csv, columns[1], row);
        for (std::size_t i = first.size(); i < skip; ++i) {
            require_verdict(csv, columns[i], row);
            one.verdicts.push_back(columns[i].cells[row]);
        }
        if (!columns[3].cells[row].empty()) one.at_s = csv.number(columns[3], row);
        for (std::size_t i = 0; i < room; ++i) {
            const CsvColumn& column = columns[skip + i];
            if (i >= count) {
                one.cells.push_back(cell_of(csv, column, row));
                continue;
            }
            ResultTable::AxisValue value{column.cells[row], {}};
            if (column.unit || to_double(column.cells[row])) {
                value.value = csv.number(column, row);
                value.text = format_exact({*value.value, out.axes[i].unit});
            }
            one.axes.push_back(std::move(value));
        }
        out.rows.push_back(std::move(one));
    }
    require_valid(out, file);
    return out;
}

class ResultTableKind : public KindOf<ResultTable> {
    const char* instrument() const override { return ""; }
    Figures figures() const override { return Figures::few; }
    ResultTable ask(InstrumentRole&, const ResultTableSetup&) const override {
        throw Error(ErrorKind::internal, "", "results are gathered, no instrument gives them");
    }
    double seconds_of(const Instrument&, const ResultTableSetup&) const override { return 0; }
    std::string text_of(const ResultTableSetup& s) const override {
        return s.result.empty() ? "verdicts" : s.result;
    }
    std::optional<Band> band_of(const ResultTableSetup&) const override { return std::nullopt; }
    std::optional<Unit> unit_of(const ResultTableSetup&) const override { return std::nullopt; }
    void complete(ResultTable&, std::optional<double>) const override {}
    WrittenCapture keep(const std::filesystem::path& stem, const ResultTable& data) const override {
        return keep_text(stem, ".csv", table_text(data));
    }
    std::optional<ResultTable> from_table(std::string_view heading, std::string_view text,
                                          const std::string& file, const CaptureHints&) const override {
        if (!heading.starts_with("point,verdict,invalid")) return std::nullopt;
        return read_table(CsvTable(text, file), file);
    }
};

}  // namespace

void add_columns(ResultTable& table, const std::vector<Result>& results) {
    for (const auto& result : results) {
        if (!table.find_result(result.name)) table.results.push_back({result.name, result.value.unit});
    }
}

ResultTable::Cell cell_of(const ResultTable::Column& column, const Result* result) {
    if (!result || result->value.unit != column.unit) return {};
    return {result->value.value, result->known == Known::at_least, result->known == Known::at_most};
}

std::string table_text(const ResultTable& table) {
    std::string out = distrust_line(table.distrust) + "# axes: " + std::to_string(table.axes.size()) +
                      "\npoint,verdict,invalid,time [s]";
    for (const auto& rule : table.rules) out += "," + csv_cell(std::string(verdict_by) + rule);
    for (const auto& column : table.axes) out += "," + heading_of(column);
    for (const auto& column : table.results) out += "," + heading_of(column);
    out += "\n";
    for (const auto& row : table.rows) {
        out += csv_cell(row.point) + "," + row.verdict + "," + csv_cell(row.invalid) + "," +
               (row.at_s ? exact(*row.at_s) : "");
        for (const auto& verdict : row.verdicts) out += "," + verdict;
        for (const auto& value : row.axes)
            out += "," + (value.value ? exact(*value.value) : csv_cell(value.text));
        for (const auto& cell : row.cells) out += "," + text_of(cell);
        out += "\n";
    }
    return out;
}

template <>
const CaptureKind& kind_of<ResultTable>() {
    static const ResultTableKind kind;
    return kind;
}

}  // namespace rt::lab
