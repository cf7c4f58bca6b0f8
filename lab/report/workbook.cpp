#include "lab/report/workbook.hpp"

#include <xlsxwriter.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/axes.hpp"
#include "lab/report/plain_text.hpp"

namespace rt::lab {
namespace {

// Excel's own limits: 31 characters, none of []:*?/\, no two alike whatever the case.
std::string sheet_name(const std::string& wanted, std::set<std::string>& taken) {
    std::string plain;
    for (const char c : plain_text(wanted))
        plain += std::string_view("[]:*?/\\'").find(c) == std::string_view::npos && c >= 32 ? c : '-';
    if (plain.empty()) plain = "test";
    constexpr std::size_t most = 31;
    std::string name = plain.substr(0, most);
    for (int i = 2; !taken.insert(lower(name)).second; ++i) {
        const std::string number = "-" + std::to_string(i);
        name = plain.substr(0, most - number.size()) + number;
    }
    return name;
}

class Book {
  public:
    explicit Book(const std::filesystem::path& file)
        : file_(file.string()), book_(workbook_new(file_.c_str())) {
        if (!book_) fail();
        heading_ = workbook_add_format(book_);
        format_set_bold(heading_);
        format_set_text_wrap(heading_);
        format_set_bottom(heading_, LXW_BORDER_THIN);
        number_ = workbook_add_format(book_);
        format_set_num_format(number_, "0.00");
        small_ = workbook_add_format(book_);
        format_set_num_format(small_, "0.0000E+00");
        constexpr std::pair<Verdict, lxw_color_t> colours[] = {{Verdict::pass, 0x1B5E3A},
                                                               {Verdict::marginal, 0x7A4B00},
                                                               {Verdict::fail, 0xA01414},
                                                               {Verdict::none, 0x434C54}};
        for (const auto& [verdict, colour] : colours) {
            verdict_[verdict] = workbook_add_format(book_);
            format_set_bold(verdict_[verdict]);
            format_set_font_color(verdict_[verdict], colour);
        }
    }
    Book(const Book&) = delete;
    Book& operator=(const Book&) = delete;
    ~Book() {
        if (book_) workbook_close(book_);
    }
    void close() {
        for (const auto& [sheet, widths] : widths_) {
            for (std::size_t i = 0; i < widths.size(); ++i)
                worksheet_set_column(sheet, column(i), column(i), std::clamp(widths[i] + 1.5, 8.0, 60.0),
                                     nullptr);
        }
        const lxw_error code = workbook_close(std::exchange(book_, nullptr));
        if (code != LXW_NO_ERROR) throw Error(ErrorKind::output, file_, lxw_strerror(code));
    }

    lxw_worksheet* sheet(const std::string& name) {
        lxw_worksheet* out = workbook_add_worksheet(book_, name.c_str());
        if (!out) fail();
        worksheet_freeze_panes(out, 1, 0);
        // On paper: as wide as the sheet, the headings on every page.
        worksheet_set_landscape(out);
        worksheet_fit_to_pages(out, 1, 0);
        worksheet_repeat_rows(out, 0, 0);
        return out;
    }
    void headings(lxw_worksheet* sheet, const std::vector<std::string>& names) {
        for (std::size_t i = 0; i < names.size(); ++i) text(sheet, 0, i, names[i], heading_);
        if (!names.empty()) worksheet_autofilter(sheet, 0, 0, 0, column(names.size() - 1));
    }
    void text(lxw_worksheet* sheet, std::size_t row, std::size_t at, const std::string& value,
              lxw_format* format = nullptr) {
        widen(sheet, at, static_cast<double>(letters(value)) * (format == heading_ ? 1.15 : 1));
        // Texts are written as texts: one that begins with = is no formula. Cells hold 32767 characters.
        worksheet_write_string(sheet, static_cast<lxw_row_t>(row), column(at),
                               plain_text(value.substr(0, 32000)).c_str(), format);
    }
    void number(lxw_worksheet* sheet, std::size_t row, std::size_t at, std::optional<double> value,
                Unit unit) {
        if (!value || !std::isfinite(*value)) return;
        const double size = std::abs(*value);
        lxw_format* format = is_decibel(unit)                           ? number_
                             : size > 0 && (size < 1e-3 || size >= 1e7) ? small_
                                                                        : nullptr;
        worksheet_write_number(sheet, static_cast<lxw_row_t>(row), column(at), *value, format);
        widen(sheet, at, format ? 10 : std::min<double>(static_cast<double>(exact(*value).size()), 12));
    }
    void verdict(lxw_worksheet* sheet, std::size_t row, std::size_t at, Verdict v) {
        text(sheet, row, at, name(v), verdict_[v]);
    }
    lxw_chart* chart() { return workbook_add_chart(book_, LXW_CHART_SCATTER_STRAIGHT_WITH_MARKERS); }
    static lxw_col_t column(std::size_t at) { return static_cast<lxw_col_t>(at); }

  private:
    void widen(lxw_worksheet* sheet, std::size_t at, double wide) {
        auto& widths = widths_[sheet];
        if (widths.size() <= at) widths.resize(at + 1, 0.0);
        widths[at] = std::max(widths[at], wide);
    }
    [[noreturn]] void fail() const { throw Error(ErrorKind::output, file_, "the workbook cannot be made"); }
    std::string file_;
    lxw_workbook* book_;
    lxw_format *heading_, *number_, *small_;
    std::map<Verdict, lxw_format*> verdict_;
    std::map<lxw_worksheet*, std::vector<double>> widths_;  // in letters, by column
};

// Names in charts are formulas when they begin with an equals sign.
std::string chart_text(const std::string& text) {
    const std::string plain = plain_text(text);
    return plain.starts_with("=") ? " " + plain : plain;
}

std::string headed(const std::string& name, Unit unit) {
    const std::string sign = symbol(unit);
    return sign.empty() ? name : name + " [" + sign + "]";
}

void add_findings(Book& book, const RunRecord& run, std::set<std::string>& taken) {
    lxw_worksheet* sheet = book.sheet(sheet_name("Findings", taken));
    book.headings(sheet, {"Verdict", "Test", "Point", "Rule", "Clause", "Value", "Limit", "Unit", "Margin",
                          "Margin unit", "At", "At unit", "Uncertainty", "Guard", "Chance of a wrong pass",
                          "Reason", "Not per the standard"});
    std::size_t row = 0;
    for (const auto& point : run.points) {
        for (const auto& f : point.findings) {
            ++row;
            book.verdict(sheet, row, 0, f.verdict);
            book.text(sheet, row, 1, point.test);
            book.text(sheet, row, 2, point.label);
            book.text(sheet, row, 3, f.rule);
            book.text(sheet, row, 4, f.clause);
            book.number(sheet, row, 5, f.value, f.unit);
            book.number(sheet, row, 6, f.limit, f.unit);
            book.text(sheet, row, 7, symbol(f.unit));
            book.number(sheet, row, 8, f.margin, f.margin_unit());
            book.text(sheet, row, 9, symbol(f.margin_unit()));
            if (f.at) {
                book.number(sheet, row, 10, f.at->value, f.at->unit);
                book.text(sheet, row, 11, symbol(f.at->unit));
            }
            book.number(sheet, row, 12, f.uncertainty, f.margin_unit());
            book.number(sheet, row, 13, f.guard, f.margin_unit());
            book.number(sheet, row, 14, f.wrong_pass, Unit::none);
            book.text(sheet, row, 15, f.reason);
            std::string changed;
            for (const auto& text : f.deviations) changed += (changed.empty() ? "" : "; ") + text;
            book.text(sheet, row, 16, changed);
        }
    }
}

// The sheet of one test, and where its chart finds its numbers.
void add_test(Book& book, const TestRecord& test, const std::vector<const PointRecord*>& points,
              std::set<std::string>& taken) {
    std::vector<std::string> axes;
    std::vector<std::pair<std::string, Unit>> results;
    for (const auto* point : points) {
        for (const auto& [axis, value] : point->axes) {
            if (std::find(axes.begin(), axes.end(), axis) == axes.end()) axes.push_back(axis);
        }
        for (const auto& r : point->results) {
            const std::pair key{r.name, r.value.unit};
            if (std::find(results.begin(), results.end(), key) == results.end()) results.push_back(key);
        }
    }
    // An axis is a column of numbers when all its values are numbers of one unit.
    std::map<std::string, std::optional<Unit>> numeric;
    for (const auto& axis : axes) {
        std::optional<Unit> unit;
        bool all = true;
        for (const auto* point : points) {
            for (const auto& [name, value] : point->axes) {
                if (name != axis) continue;
                const auto q = number_of(value);
                all = all && q && (!unit || *unit == q->unit);
                if (q) unit = q->unit;
            }
        }
        numeric[axis] = all ? unit : std::nullopt;
    }
    const std::string title = sheet_name(test.name, taken);
    lxw_worksheet* sheet = book.sheet(title);
    std::vector<std::string> names{"No.", "Point"};
    for (const auto& axis : axes) names.push_back(numeric[axis] ? headed(axis, *numeric[axis]) : axis);
    for (const auto& [name, unit] : results) names.push_back(headed(words(name), unit));
    names.insert(names.end(), {"Verdict", "Begun", "Capture"});
    book.headings(sheet, names);
    std::size_t row = 0;
    for (const auto* point : points) {
        ++row;
        book.number(sheet, row, 0, static_cast<double>(point->position), Unit::none);
        book.text(sheet, row, 1, point->label);
        std::size_t at = 2;
        for (const auto& axis : axes) {
            for (const auto& [name, value] : point->axes) {
                if (name != axis) continue;
                if (numeric[axis]) {
                    book.number(sheet, row, at, number_of(value)->value, *numeric[axis]);
                } else {
                    book.text(sheet, row, at, value);
                }
            }
            ++at;
        }
        for (const auto& [name, unit] : results) {
            for (const auto& r : point->results) {
                if (r.name == name && r.value.unit == unit) book.number(sheet, row, at, r.value.value, unit);
            }
            ++at;
        }
        const auto worst = std::min_element(point->findings.begin(), point->findings.end(), reads_before);
        if (worst != point->findings.end()) book.verdict(sheet, row, at, worst->verdict);
        book.text(sheet, row, at + 1, point->started);
        book.text(sheet, row, at + 2, point->capture.file);
    }
    // The last axis of numbers with more than two rows gets a chart of the first result.
    for (std::size_t k = axes.size(); k-- > 0;) {
        if (!numeric[axes[k]] || points.size() < 3 || results.empty()) continue;
        std::set<std::string> values;
        for (const auto* point : points) {
            for (const auto& [name, value] : point->axes) {
                if (name == axes[k]) values.insert(value);
            }
        }
        if (values.size() < 3) continue;
        lxw_chart* chart = book.chart();
        lxw_chart_series* series = chart_add_series(chart, nullptr, nullptr);
        const auto x = Book::column(2 + k), y = Book::column(2 + axes.size());
        chart_series_set_categories(series, title.c_str(), 1, x, static_cast<lxw_row_t>(row), x);
        chart_series_set_values(series, title.c_str(), 1, y, static_cast<lxw_row_t>(row), y);
        chart_series_set_name(series, chart_text(words(results.front().first)).c_str());
        chart_title_set_name(chart, chart_text(test.title.empty() ? title : test.title).c_str());
        chart_axis_set_name(chart->x_axis, chart_text(names[2 + k]).c_str());
        chart_axis_set_name(chart->y_axis, chart_text(names[2 + axes.size()]).c_str());
        chart_legend_set_position(chart, LXW_CHART_LEGEND_NONE);
        worksheet_insert_chart(sheet, static_cast<lxw_row_t>(row + 2), 1, chart);
        break;
    }
}

}  // namespace

void write_workbook(const RunRecord& run, const std::filesystem::path& file) {
    auto half = file;
    half += ".part";
    {
        Book book(half);
        std::set<std::string> taken;
        add_findings(book, run, taken);
        std::map<std::string, std::vector<const PointRecord*>> by_test;
        for (const auto& point : run.points) by_test[point.test].push_back(&point);
        for (const auto& test : run.tests) add_test(book, test, by_test[test.name], taken);
        book.close();
    }
    std::error_code error;
    std::filesystem::rename(half, file, error);
    if (error) throw Error(ErrorKind::output, file.string(), "cannot be written: " + error.message());
}

}  // namespace rt::lab
