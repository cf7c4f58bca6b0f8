#include "lab/formats/exported_spectrum.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <vector>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/csv_table.hpp"
#include "lab/formats/text_encoding.hpp"

namespace rt::lab {
namespace {

using Cells = std::vector<std::string>;

// An empty text is no unit here.
std::optional<Spelling> unit_in(std::string_view text) {
    const auto unit = text.empty() ? std::nullopt : parse_unit(text);
    return unit && unit->unit == Unit::none ? std::nullopt : unit;
}

struct SeenForm {
    std::string separator;  // ",", ";", "tab", "spaces"
    bool comma = false;     // decimal
};

struct Line {
    std::size_t row = 0;  // from 1
    std::string_view text;
};

// Rows of numbers one below the other, with as many cells each; lines by index.
struct Block {
    std::size_t first = 0, last = 0, cells = 0;
    std::size_t rows() const { return last - first + 1; }
};
constexpr std::size_t least_rows = 3;

std::vector<Line> lines_of(std::string_view text) {
    std::vector<Line> out;
    for (std::size_t row = 1; !text.empty(); ++row) {
        const auto end = std::min(text.find('\n'), text.size());
        const auto line = trim(text.substr(0, end));
        if (!line.empty()) out.push_back({row, line});
        text.remove_prefix(std::min(end + 1, text.size()));
    }
    return out;
}

Cells cells_of(std::string_view line, const SeenForm& form) {
    Cells out;
    if (form.separator == "spaces") {
        for (const auto word : split(line, ' ')) {
            if (!trim(word).empty()) out.emplace_back(trim(word));
        }
        return out;
    }
    out = csv_cells(line, form.separator == "tab" ? '\t' : form.separator.front());
    while (out.size() > 1 && out.back().empty()) out.pop_back();
    return out;
}

std::string with_point(std::string text, const SeenForm& form) {
    if (form.comma) std::replace(text.begin(), text.end(), ',', '.');
    return text;
}

std::optional<double> number(const std::string& cell, const SeenForm& form) {
    if (form.comma && cell.find('.') != std::string::npos) return std::nullopt;
    return to_reading(with_point(cell, form));
}

bool is_row(const Cells& cells, const SeenForm& form) {
    return !cells.empty() && std::all_of(cells.begin(), cells.end(),
                                         [&](const auto& cell) { return number(cell, form).has_value(); });
}

std::vector<Block> blocks_of(const std::vector<Line>& lines, const SeenForm& form) {
    std::vector<Block> out;
    std::optional<Block> open;
    const auto close = [&] {
        if (open && open->rows() >= least_rows) out.push_back(*open);
        open.reset();
    };
    for (std::size_t i = 0; i < lines.size(); ++i) {
        const Cells cells = cells_of(lines[i].text, form);
        if (!is_row(cells, form)) {
            close();
            continue;
        }
        if (open && open->cells != cells.size()) close();
        if (!open) open = Block{i, i, cells.size()};
        open->last = i;
    }
    close();
    return out;
}

// The form by which most rows are numbers; of equals the one with more columns.
std::pair<SeenForm, std::vector<Block>> found_form(const std::vector<Line>& lines,
                                                   const SpectrumLayout& layout) {
    std::pair<SeenForm, std::vector<Block>> best;
    std::size_t most = 0;
    for (const char* separator : {";", "tab", ",", "spaces"}) {
        for (const bool comma : {false, true}) {
            if (comma && *separator == ',') continue;
            if (!layout.separator.empty() && layout.separator != separator) continue;
            if (!layout.decimal.empty() && (layout.decimal == "comma") != comma) continue;
            const SeenForm form{separator, comma};
            auto blocks = blocks_of(lines, form);
            std::size_t score = 0;
            for (const auto& block : blocks)
                score += block.rows() * (block.cells > 1 ? 1000 + block.cells : 1);
            if (score > most) most = score, best = {form, std::move(blocks)};
        }
    }
    return best;
}

class Exported {
  public:
    Exported(std::string_view text, const std::string& file, const SpectrumLayout& layout)
        : file_(file), layout_(layout), lines_(lines_of(text)) {
        std::vector<Block> blocks;
        std::tie(form_, blocks) = found_form(lines_, layout);
        if (blocks.empty())
            fail_input(
                file,
                "holds no three rows of numbers one below the other: write frequency [Hz],level [dBuV] "
                "above rows of numbers, or state separator and decimal in a layout");
        block_ = chosen(blocks);
        require_whole(blocks);
        read_preamble();
        read_heading();
    }

    Spectrum spectrum();
    const SpectrumLayout& layout() const { return layout_; }

  private:
    struct Column {
        std::string name, unit;
    };
    std::string place(std::size_t line) const { return fmt::format("{}, row {}", file_, lines_[line].row); }
    Block chosen(const std::vector<Block>& blocks) const;
    void require_whole(const std::vector<Block>& blocks) const;
    void read_preamble();
    void read_heading();
    std::string stated(std::initializer_list<const char*> keys) const;
    std::optional<double> stated_quantity(std::initializer_list<const char*> keys, Unit unit) const;
    std::string column_text(std::size_t column) const;
    std::size_t find_column(const std::string& wanted, const char* what) const;
    std::optional<std::size_t> frequency_column();
    std::size_t level_column(std::optional<std::size_t> frequency) const;
    Spelling unit_of(std::size_t column, const std::string& from_layout, const std::string& from_preamble,
                     const char* what, const char* example) const;
    void take_stated(Spectrum& out);
    void require_agreement(const Spectrum& out) const;

    std::string file_;
    SpectrumLayout layout_;
    std::vector<Line> lines_;
    SeenForm form_;
    Block block_;
    std::map<std::string, std::string> preamble_;
    std::vector<Column> columns_;
};

Block Exported::chosen(const std::vector<Block>& blocks) const {
    const auto number = static_cast<std::size_t>(layout_.block);
    if (number > blocks.size())
        fail_input(file_, fmt::format("holds {} block{} of rows, no {}th", blocks.size(),
                                      blocks.size() == 1 ? "" : "s", number));
    if (number > 0) return blocks[number - 1];
    if (blocks.size() == 1) return blocks.front();
    std::string all;
    for (const auto& block : blocks)
        all += fmt::format("{}rows {} to {}", all.empty() ? "" : ", ", lines_[block.first].row,
                           lines_[block.last].row);
    fail_input(file_, "holds " + std::to_string(blocks.size()) + " blocks of rows (" + all +
                          "): state which, --block 1; what stands between them, in row " +
                          std::to_string(lines_[blocks.front().last + 1].row) +
                          ", is no row of numbers as long");
}

// What follows a block begins another one or ends the file, but is no row that was cut or damaged.
void Exported::require_whole(const std::vector<Block>& blocks) const {
    const auto suspicious = [&](std::size_t line) {
        const Cells cells = cells_of(lines_[line].text, form_);
        return !cells.empty() && number(cells.front(), form_).has_value();
    };
    const auto refuse = [&](std::size_t line) {
        fail_input(place(line), in_quotes(printable(std::string(lines_[line].text.substr(0, 60)))) +
                                    " is no row of " + std::to_string(block_.cells) +
                                    " numbers like those beside it: the file is cut or damaged");
    };
    if (block_.first > 0 && suspicious(block_.first - 1)) refuse(block_.first - 1);
    for (std::size_t line = block_.last + 1; line < lines_.size(); ++line) {
        const auto other = std::find_if(blocks.begin(), blocks.end(),
                                        [&](const Block& b) { return line >= b.first && line <= b.last; });
        if (other != blocks.end()) break;
        if (suspicious(line)) refuse(line);
    }
}

// "RBW;9;kHz", "Detector: Peak", "Start=150000".
void Exported::read_preamble() {
    const auto take = [&](std::string_view line) {
        Cells cells = cells_of(line, form_);
        if (cells.size() < 2 || form_.separator == "spaces") {
            const auto mark = line.find_first_of(":=\t");
            if (mark == std::string_view::npos) return;
            cells = {std::string(trim(line.substr(0, mark))), std::string(trim(line.substr(mark + 1)))};
        }
        std::string key;
        for (const char c : lower(cells[0]))
            if ((c >= 'a' && c <= 'z') || (c >= '0' && c <= '9')) key += c;
        std::string value = with_point(cells[1], form_);
        if (value.starts_with('"') && value.ends_with('"') && value.size() > 1)
            value = value.substr(1, value.size() - 2);
        if (cells.size() > 2 && number(cells[1], form_)) value += " " + cells[2];
        if (!key.empty() && !value.empty()) preamble_.emplace(key, value);
    };
    // What stands nearest to the block says most; what is above all blocks, of all of them.
    for (std::size_t line = block_.first; line-- > 0;) {
        if (!is_row(cells_of(lines_[line].text, form_), form_)) take(lines_[line].text);
    }
}

void Exported::read_heading() {
    columns_.assign(block_.cells, {});
    if (block_.first == 0) return;
    const auto cells_above = [&](std::size_t by) -> Cells {
        if (block_.first < by) return {};
        std::string_view line = lines_[block_.first - by].text;
        if (line.starts_with('#') || line.starts_with('%') || line.starts_with('!'))
            line = trim(line.substr(1));
        Cells cells = cells_of(line, form_);
        return cells.size() == block_.cells ? cells : Cells{};
    };
    const auto bare = [](std::string cell) {
        if (cell.size() > 2 && (cell.front() == '[' || cell.front() == '('))
            cell = cell.substr(1, cell.size() - 2);
        return cell;
    };
    const Cells nearest = cells_above(1);
    const bool units = !nearest.empty() && std::all_of(nearest.begin(), nearest.end(), [&](const auto& cell) {
        return unit_in(bare(cell)).has_value();
    });
    const Cells names = units ? cells_above(2) : nearest;
    bool is_heading = units;
    for (std::size_t i = 0; i < block_.cells; ++i) {
        Column& column = columns_[i];
        if (units) column.unit = bare(nearest[i]);
        if (names.empty()) continue;
        const auto unit = heading_unit(names[i]);
        if (column.unit.empty() && unit_in(unit)) column.unit = unit;
        column.name = std::string(trim(unit.empty() || !unit_in(unit)
                                           ? std::string_view(names[i])
                                           : std::string_view(names[i]).substr(0, names[i].rfind(unit))));
        while (!column.name.empty() &&
               std::string_view("[(_/ ").find(column.name.back()) != std::string_view::npos)
            column.name.pop_back();
        is_heading = is_heading || !column.unit.empty() || lower(column.name).starts_with("freq");
    }
    // A line of the preamble that has as many cells is no heading.
    if (!is_heading) columns_.assign(block_.cells, {});
}

std::string Exported::stated(std::initializer_list<const char*> keys) const {
    for (const char* key : keys) {
        if (const auto at = preamble_.find(key); at != preamble_.end()) return at->second;
    }
    return {};
}

std::optional<double> Exported::stated_quantity(std::initializer_list<const char*> keys, Unit unit) const {
    const std::string text = stated(keys);
    if (text.empty()) return std::nullopt;
    try {
        return parse_quantity(to_double(text) ? text + " " + symbol(unit) : text, unit).value;
    } catch (const Error&) {
        return std::nullopt;  // "auto", or another thing of that name: nothing is stated
    }
}

std::string Exported::column_text(std::size_t column) const {
    const Column& c = columns_[column];
    return std::to_string(column + 1) + (c.name.empty() ? "" : " " + in_quotes(printable(c.name)));
}

std::size_t Exported::find_column(const std::string& wanted, const char* what) const {
    if (const auto number = to_double(wanted); number && *number >= 1 &&
                                               *number <= static_cast<double>(columns_.size()) &&
                                               *number == std::floor(*number))
        return static_cast<std::size_t>(*number) - 1;
    std::string all;
    for (std::size_t i = 0; i < columns_.size(); ++i) {
        if (!columns_[i].name.empty() && lower(columns_[i].name) == lower(wanted)) return i;
        all += (all.empty() ? "" : ", ") + column_text(i);
    }
    fail_input(file_,
               std::string("has no column ") + in_quotes(wanted) + " for the " + what + ": it has " + all);
}

std::optional<std::size_t> Exported::frequency_column() {
    if (!layout_.frequency_column.empty()) return find_column(layout_.frequency_column, "frequency");
    if (layout_.start) return std::nullopt;
    for (std::size_t i = 0; i < columns_.size(); ++i) {
        const auto unit = unit_in(columns_[i].unit);
        if ((unit && dimension(unit->unit) == Dimension::frequency) ||
            lower(columns_[i].name).starts_with("freq"))
            return i;
    }
    if (columns_.size() > 1) return 0;
    const auto start = stated_quantity({"start", "startfrequency", "fstart"}, Unit::hertz),
               stop = stated_quantity({"stop", "stopfrequency", "fstop"}, Unit::hertz);
    if (!start || !stop)
        fail_input(file_, "has one column and no frequencies: state start and stop in a layout");
    layout_.start = Quantity{*start, Unit::hertz}, layout_.stop = Quantity{*stop, Unit::hertz};
    return std::nullopt;
}

std::size_t Exported::level_column(std::optional<std::size_t> frequency) const {
    if (!layout_.level_column.empty()) return find_column(layout_.level_column, "level");
    std::vector<std::size_t> others, levels;
    for (std::size_t i = 0; i < columns_.size(); ++i) {
        if (i == frequency) continue;
        others.push_back(i);
        const auto unit = unit_in(columns_[i].unit);
        if (unit && (is_decibel(unit->unit) || convert({1, unit->unit}, Unit::dbuv))) levels.push_back(i);
    }
    if (others.empty()) fail_input(file_, "has frequencies and no levels");
    if (others.size() == 1) return others.front();
    if (levels.size() == 1) return levels.front();
    std::string all;
    for (const auto i : others) all += (all.empty() ? "" : ", ") + column_text(i);
    fail_input(file_,
               "has several columns that could be the level (" + all + "): state which, --level " +
                   (columns_[others.front()].name.empty() ? std::to_string(others.front() + 1) + ":dBuV"
                                                          : in_quotes(columns_[others.front()].name)));
}

Spelling Exported::unit_of(std::size_t column, const std::string& from_layout,
                           const std::string& from_preamble, const char* what, const char* example) const {
    const std::string in_file = unit_in(columns_[column].unit) ? columns_[column].unit
                                : unit_in(from_preamble)       ? from_preamble
                                                               : "";
    const std::string text = from_layout.empty() ? in_file : from_layout;
    const auto unit = unit_in(text);
    if (!unit)
        fail_input(file_, std::string("does not say the unit of the ") + what + " in column " +
                              column_text(column) + ": state it, --" + what + " " +
                              std::to_string(column + 1) + ":" + example);
    if (!from_layout.empty() && !in_file.empty()) {
        const auto own = unit_in(in_file);
        if (own->unit != unit->unit || own->exponent != unit->exponent)
            fail_input(file_, std::string("says that the ") + what + " is in " + in_file + ", not in " +
                                  from_layout);
    }
    return *unit;
}

std::optional<Detector> detector_of(const std::string& text) {
    if (const auto known = parse_detector(text)) return known;
    std::string word;
    for (const char c : lower(text))
        if (c >= 'a' && c <= 'z') word += c;
    static constexpr std::pair<const char*, const char*> others[] = {{"maxpeak", "peak"},
                                                                     {"pospeak", "peak"},
                                                                     {"positivepeak", "peak"},
                                                                     {"minpeak", "negative-peak"},
                                                                     {"negativepeak", "negative-peak"},
                                                                     {"cispraverage", "cispr-average"}};
    for (const auto& [from, to] : others)
        if (word == from) return parse_detector(to);
    return parse_detector(word);
}

void Exported::take_stated(Spectrum& out) {
    out.detector = detector_of(stated({"detector", "det", "detectortype"}));
    out.resolution_bandwidth_hz =
        stated_quantity({"rbw", "resolutionbandwidth", "resbw", "resolutionbw", "bandwidth"}, Unit::hertz);
    out.impedance_ohm = stated_quantity({"impedance", "inputimpedance"}, Unit::ohm);
    const std::string overload = lower(stated({"overload", "inputoverload"}));
    if (!overload.empty() && overload != "0" && overload != "no" && overload != "off" && overload != "none" &&
        overload != "false")
        out.distrust = "the file says overload: " + overload;
    const auto declare = [&](auto& in_file, const auto& said, const char* what, const std::string& text) {
        if (!said) return;
        if (in_file && *in_file != *said)
            fail_input(file_, std::string("states another ") + what + " than " + text +
                                  (layout_.file.empty() ? "" : ", which " + layout_.file + " declares"));
        if (!in_file) out.declared += (out.declared.empty() ? "" : ", ") + std::string(what) + " " + text;
        in_file = said;
    };
    declare(out.detector, layout_.detector, "detector", layout_.detector ? name(*layout_.detector) : "");
    declare(out.resolution_bandwidth_hz, layout_.bandwidth_hz, "bandwidth",
            layout_.bandwidth_hz ? format({*layout_.bandwidth_hz, Unit::hertz}) : "");
    if (layout_.impedance_ohm) out.impedance_ohm = layout_.impedance_ohm;
}

void Exported::require_agreement(const Spectrum& out) const {
    if (const auto points =
            to_double(stated({"points", "values", "numberofpoints", "sweeppoints", "tracepoints"}));
        points && *points != static_cast<double>(out.level.size()))
        fail_input(file_,
                   fmt::format("states {} points and has {} rows: it is cut", *points, out.level.size()));
    const double span = out.frequency_hz.back() - out.frequency_hz.front();
    const auto near = [&](std::optional<double> said, double there, const char* what) {
        if (!said || std::abs(*said - there) <= 0.01 * span) return;
        fail_input(file_, std::string("states ") + what + " " + format({*said, Unit::hertz}) +
                              ", its rows have " + format({there, Unit::hertz}) +
                              ": is the unit of the frequencies right?");
    };
    near(stated_quantity({"start", "startfrequency", "fstart"}, Unit::hertz), out.frequency_hz.front(),
         "start");
    near(stated_quantity({"stop", "stopfrequency", "fstop"}, Unit::hertz), out.frequency_hz.back(), "stop");
}

Spectrum Exported::spectrum() {
    const auto frequency = frequency_column();
    const std::size_t level = level_column(frequency);
    Spectrum out;
    const Spelling unit =
        unit_of(level, layout_.level_unit,
                stated({"yunit", "yunits", "yaxisunit", "levelunit", "amplitudeunit", "unit", "units"}),
                "level", "dBuV");
    out.unit = is_decibel(unit.unit) ? unit.unit : Unit::dbuv;
    if (!is_decibel(unit.unit) && !convert({1, unit.unit}, Unit::dbuv))
        fail_input(file_, "a level cannot be in " + std::string(symbol(unit.unit)) +
                              ": which column is it? --level 2:dBuV");
    const auto scaled = [&](const std::string& cell, const Spelling& in) {
        return *scaled_number(with_point(cell, form_), in);
    };
    std::optional<Spelling> hertz;
    if (frequency) {
        hertz = unit_of(*frequency, layout_.frequency_unit,
                        stated({"xunit", "xunits", "xaxisunit", "frequencyunit"}), "frequency", "MHz");
        if (dimension(hertz->unit) != Dimension::frequency)
            fail_input(file_, "column " + column_text(*frequency) +
                                  " is no frequency: state which is, --frequency 1:MHz");
    }
    for (std::size_t line = block_.first; line <= block_.last; ++line) {
        const Cells cells = cells_of(lines_[line].text, form_);
        const auto done = static_cast<double>(line - block_.first),
                   all = static_cast<double>(block_.rows() - 1);
        const double hz =
            frequency ? scaled(cells[*frequency], *hertz)
                      : layout_.start->value + (layout_.stop->value - layout_.start->value) * done / all;
        if (!out.frequency_hz.empty() && !(hz > out.frequency_hz.back()))
            fail_input(place(line), "frequencies must rise: " + format({hz, Unit::hertz}) + " stands after " +
                                        format({out.frequency_hz.back(), Unit::hertz}));
        double value = scaled(cells[level], unit);
        if (!is_decibel(unit.unit)) value = convert({value, unit.unit}, Unit::dbuv)->value;
        if (!std::isfinite(value)) fail_input(place(line), in_quotes(cells[level]) + " has no level");
        out.frequency_hz.push_back(hz), out.level.push_back(value);
    }
    take_stated(out);
    require_agreement(out);
    if (frequency) layout_.frequency_column = std::to_string(*frequency + 1);
    layout_.level_column = std::to_string(level + 1);
    if (!unit_in(columns_[level].unit)) layout_.level_unit = symbol(unit.unit);
    layout_.separator = form_.separator, layout_.decimal = form_.comma ? "comma" : "point";
    return out;
}

}  // namespace

bool has_decimal_commas(std::string_view raw) {
    const std::string text = as_utf8(raw);
    const auto [form, blocks] = found_form(lines_of(text), {});
    return !blocks.empty() && form.comma;
}

bool looks_exported(std::string_view raw) {
    const std::string text = as_utf8(raw);
    const auto lines = lines_of(text);
    const auto [form, blocks] = found_form(lines, {});
    if (blocks.empty()) return false;
    std::size_t before = 0;  // lines above the numbers that are no remarks of ours
    for (std::size_t i = 0; i < blocks.front().first; ++i) before += !lines[i].text.starts_with('#');
    return before != 1 || form.comma || blocks.size() > 1 || text.size() != raw.size() ||
           form.separator == "spaces";
}

Spectrum parse_exported(std::string_view raw, const std::string& file, const SpectrumLayout& layout,
                        SpectrumLayout* used) {
    const std::string text = as_utf8(raw);
    Exported exported(text, file, layout);
    Spectrum out = exported.spectrum();
    require_valid(out, file);
    if (used) *used = exported.layout();
    return out;
}

}  // namespace rt::lab
