#include "lab/formats/spectrum_csv.hpp"

#include <algorithm>
#include <charconv>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/csv_table.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

// How a column's numbers become values: 10^exponent * factor in `unit`, or a conversion into a level.
struct Column {
    Spelling spelling;
    Unit unit = Unit::none;  // after conversion
};

class Reader {
  public:
    Reader(std::string_view text, const std::string& file) : text_(text), file_(file) {}

    Spectrum read() {
        while (auto line = next_line()) {
            if (line->empty()) continue;
            if (line->front() == '#') {
                remark(trim(line->substr(1)));
            } else if (!heading_seen_) {
                heading(*line);
            } else {
                row(*line);
            }
        }
        if (!heading_seen_)
            fail_input(file_, "is empty: write a heading such as frequency [Hz],level [dBuV] and rows");
        if (spectrum_.level.empty()) fail_input(file_, "has a heading but no rows");
        return std::move(spectrum_);
    }

  private:
    std::optional<std::string_view> next_line() {
        if (at_ >= text_.size()) return std::nullopt;
        const auto end = std::min(text_.find('\n', at_), text_.size());
        const auto line = trim(text_.substr(at_, end - at_));
        at_ = end + 1;
        ++row_;
        return line;
    }

    std::string place(int column) const {
        return file_ + ", row " + std::to_string(row_) + ", column " + std::to_string(column);
    }

    void remark(std::string_view text) {
        const auto colon = text.find(':');
        if (colon == std::string_view::npos) return;
        const std::string key = lower(trim(text.substr(0, colon)));
        const auto value = trim(text.substr(colon + 1));
        try {
            if (key == "detector") {
                spectrum_.detector = parse_detector(value);
                if (!spectrum_.detector)
                    fail_input("unknown detector " + in_quotes(value) + suggestion(value, detector_names()));
            } else if (key == "bandwidth" || key == "rbw") {
                spectrum_.resolution_bandwidth_hz = parse_quantity(value, Unit::hertz).value;
            } else if (key == "impedance") {
                spectrum_.impedance_ohm = parse_quantity(value, Unit::ohm).value;
            } else if (key == "declared") {
                spectrum_.declared = printable(std::string(value));
            } else if (key == "reference_level") {
                reference_ = std::string(value);
            } else if ((key == "distrust" || key == "overload" || key == "trouble") && !value.empty()) {
                spectrum_.distrust = std::string(value);
            }
        } catch (const Error& error) {
            fail_input(file_ + ", row " + std::to_string(row_), "remark " + key + ": " + error.message());
        }
    }

    Column column(std::string_view heading, int number, Dimension wanted_for_frequency, bool level) {
        const auto unit = heading_unit(heading);
        const char* example = level ? "level [dBuV]" : "frequency [Hz]";
        if (unit.empty()) {
            fail_input(place(number),
                       "heading " + in_quotes(trim(heading)) + " states no unit: write " + example);
        }
        const auto spelling = parse_unit(unit);
        if (!spelling)
            fail_input(place(number), "unknown unit " + in_quotes(unit) + ": write " + std::string(example));
        Column out{*spelling, spelling->unit};
        if (!level && dimension(out.unit) != wanted_for_frequency) {
            fail_input(place(number),
                       "the first column is in " + std::string(unit) + ": write the frequency there");
        }
        if (!level) return out;
        for (const Unit to : {Unit::dbuv, Unit::dbm, Unit::dbua, Unit::dbuv_per_metre}) {
            if (!is_decibel(out.unit) && convert({1, out.unit}, to)) out.unit = to;
        }
        if (!is_decibel(out.unit)) {
            fail_input(place(number),
                       "a level cannot be in " + std::string(unit) + ": write it in dBuV, dBm, V ...");
        }
        return out;
    }

    void heading(std::string_view line) {
        separator_ = csv_separator(line);
        const auto cells = split(line, separator_);
        if (cells.size() < 2) {
            fail_input(place(1),
                       "a heading with two columns is expected, such as frequency [Hz],level [dBuV]; found " +
                           in_quotes(line));
        }
        frequency_ = column(cells[0], 1, Dimension::frequency, false);
        level_ = column(cells[1], 2, Dimension::frequency, true);
        spectrum_.unit = level_.unit;
        corrected_ = cells.size() > 2 && lower(trim(cells[2])) == "correction [db]";
        columns_ = cells.size();
        if (!reference_.empty()) spectrum_.reference_level = parse_quantity(reference_, level_.unit).value;
        heading_seen_ = true;
    }

    double number(std::string_view cell, int column, const Column& how) {
        cell = trim(cell);
        if (!cell.empty() && cell.front() == '+') cell.remove_prefix(1);
        double value = 0;
        const auto [end, error] = std::from_chars(cell.data(), cell.data() + cell.size(), value);
        if (error != std::errc{} || end != cell.data() + cell.size() || !is_number(value)) {
            fail_input(place(column), in_quotes(cell) + " is not a number");
        }
        if (how.spelling.exponent != 0) {
            // Rounded once, as if written in the base unit.
            if (const auto scaled =
                    to_double(std::string(cell) + "e" + std::to_string(how.spelling.exponent))) {
                value = *scaled;
            } else {
                value *= std::pow(10, how.spelling.exponent);
            }
        }
        if (how.spelling.unit == how.unit) return value;
        const double level = convert({value, how.spelling.unit}, how.unit)->value;
        if (!std::isfinite(level))
            fail_input(place(column), in_quotes(cell) + " has no level: write a value above zero");
        return level;
    }

    void row(std::string_view line) {
        const auto separators = static_cast<std::size_t>(std::count(line.begin(), line.end(), separator_));
        if (separators >= columns_ && !trim(line.substr(line.rfind(separator_) + 1)).empty()) {
            fail_input(place(static_cast<int>(separators + 1)), "the row has more cells than the heading's " +
                                                                    std::to_string(columns_) +
                                                                    ": write decimals with a point");
        }
        const auto first = line.find(separator_);
        if (first == std::string_view::npos) fail_input(place(2), "the row has no second column");
        const auto rest = line.substr(first + 1);
        const double frequency = number(line.substr(0, first), 1, frequency_);
        const double level = number(rest.substr(0, rest.find(separator_)), 2, level_);
        auto& all = spectrum_.frequency_hz;
        if (!all.empty() && !(frequency > all.back())) {
            fail_input(place(1), "frequencies must rise: " + format({frequency, Unit::hertz}) +
                                     " stands after " + format({all.back(), Unit::hertz}));
        }
        all.push_back(frequency);
        spectrum_.level.push_back(level);
        if (!corrected_) return;
        const auto second = rest.find(separator_);
        if (second == std::string_view::npos) fail_input(place(3), "the row has no third column");
        const auto third = rest.substr(second + 1);
        spectrum_.correction_db.push_back(number(third.substr(0, third.find(separator_)), 3, Column{}));
    }

    std::string_view text_;
    const std::string& file_;
    std::size_t at_ = 0;
    std::size_t row_ = 0, columns_ = 0;
    bool heading_seen_ = false, corrected_ = false;
    char separator_ = ',';
    Column frequency_, level_;
    std::string reference_;
    Spectrum spectrum_;
};

void append(std::string& out, double value, int decimals) {
    char buffer[64];
    const auto result =
        decimals < 0
            ? std::to_chars(buffer, buffer + sizeof buffer, value, std::chars_format::fixed)
            : std::to_chars(buffer, buffer + sizeof buffer, value, std::chars_format::fixed, decimals);
    out.append(buffer, result.ptr);
}

}  // namespace

Spectrum parse_spectrum_csv(std::string_view text, const std::string& file) {
    if (text.starts_with("\xEF\xBB\xBF")) text.remove_prefix(3);  // byte order mark of some spreadsheets
    return Reader(text, file).read();
}

Spectrum read_spectrum_csv(const std::filesystem::path& file) {
    return parse_spectrum_csv(read_file(file), file.string());
}

std::string spectrum_csv(const Spectrum& s) {
    std::string out;
    out.reserve(s.level.size() * 24 + 200);
    if (s.detector) out += std::string("# detector: ") + name(*s.detector) + "\n";
    if (s.resolution_bandwidth_hz)
        out += "# bandwidth: " + format_exact({*s.resolution_bandwidth_hz, Unit::hertz}) + "\n";
    if (s.impedance_ohm) out += "# impedance: " + format_exact({*s.impedance_ohm, Unit::ohm}) + "\n";
    if (s.reference_level) out += "# reference_level: " + format_exact({*s.reference_level, s.unit}) + "\n";
    if (!s.declared.empty()) out += "# declared: " + s.declared + "\n";
    if (s.distrust) out += "# distrust: " + *s.distrust + "\n";
    const bool corrected = !s.correction_db.empty();
    out +=
        std::string("frequency [Hz],level [") + symbol(s.unit) + (corrected ? "],correction [dB]\n" : "]\n");
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        append(out, s.frequency_hz[i], -1);
        out += ',';
        append(out, s.level[i], 4);
        if (corrected) {
            out += ',';
            append(out, s.correction_db[i], 4);
        }
        out += '\n';
    }
    return out;
}

}  // namespace rt::lab
