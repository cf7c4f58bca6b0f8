#include "lab/formats/spectrum_csv.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <charconv>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/csv_table.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

constexpr const char* example = "frequency [Hz],level [dBuV]";

void take_remark(const CsvTable::Remark& remark, Spectrum& spectrum, std::string& reference) {
    const std::string key = lower(remark.name);
    const std::string& value = remark.value;
    if (key == "detector") {
        spectrum.detector = parse_detector(value);
        if (!spectrum.detector)
            fail_input("unknown detector " + in_quotes(value) + suggestion(value, detector_names()));
    } else if (key == "bandwidth" || key == "rbw") {
        spectrum.resolution_bandwidth_hz = parse_quantity(value, Unit::hertz).value;
    } else if (key == "impedance") {
        spectrum.impedance_ohm = parse_quantity(value, Unit::ohm).value;
    } else if (key == "declared") {
        spectrum.declared = printable(value);
    } else if (key == "reference_level") {
        reference = value;
    } else if ((key == "distrust" || key == "overload" || key == "trouble") && !value.empty()) {
        spectrum.distrust = value;
    }
}

Unit stated_unit(const CsvTable& csv, const CsvColumn& column, const char* wanted) {
    if (column.unit) return column.unit->unit;
    fail_input(csv.place(column),
               "heading " + in_quotes(column.heading) + " states no unit: write " + wanted);
}

void require_frequency(const CsvTable& csv, const CsvColumn& column) {
    const Unit unit = stated_unit(csv, column, "frequency [Hz]");
    if (dimension(unit) != Dimension::frequency)
        fail_input(csv.place(column),
                   std::string("the first column is in ") + symbol(unit) + ": write the frequency there");
}

// Linear levels become levels.
Unit level_unit(const CsvTable& csv, const CsvColumn& column) {
    const Unit unit = stated_unit(csv, column, "level [dBuV]");
    if (is_decibel(unit)) return unit;
    for (const Unit to : {Unit::dbuv, Unit::dbm, Unit::dbua, Unit::dbuv_per_metre}) {
        if (convert({1, unit}, to)) return to;
    }
    fail_input(csv.place(column),
               std::string("a level cannot be in ") + symbol(unit) + ": write it in dBuV, dBm, V ...");
}

double level_at(const CsvTable& csv, const CsvColumn& column, std::size_t row, Unit unit) {
    const double value = csv.number(column, row);
    if (column.unit->unit == unit) return value;
    const double level = convert({value, column.unit->unit}, unit)->value;
    if (!std::isfinite(level))
        fail_input(csv.place(column, row),
                   in_quotes(column.cells[row]) + " has no level: write a value above zero");
    return level;
}

void take_rows(const CsvTable& csv, Spectrum& spectrum) {
    const auto& columns = csv.columns();
    const bool corrected = columns.size() > 2 && lower(columns[2].name) == "correction" && columns[2].unit &&
                           columns[2].unit->unit == Unit::db;
    for (std::size_t row = 0; row < csv.rows(); ++row) {
        const double frequency = csv.number(columns[0], row);
        auto& all = spectrum.frequency_hz;
        if (!all.empty() && !(frequency > all.back())) {
            fail_input(csv.place(columns[0], row),
                       "frequencies must rise: " + format({frequency, Unit::hertz}) + " stands after " +
                           format({all.back(), Unit::hertz}));
        }
        all.push_back(frequency);
        spectrum.level.push_back(level_at(csv, columns[1], row, spectrum.unit));
        if (corrected) spectrum.correction_db.push_back(csv.number(columns[2], row));
    }
}

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
    const CsvTable csv(text, file, example);
    Spectrum out;
    std::string reference;
    for (const auto& remark : csv.remarks()) {
        try {
            take_remark(remark, out, reference);
        } catch (const Error& error) {
            fail_input(fmt::format("{}, row {}", file, remark.row),
                       "remark " + lower(remark.name) + ": " + error.message());
        }
    }
    const auto& columns = csv.columns();
    if (columns.size() < 2)
        fail_input(csv.place(columns[0]), std::string("a heading with two columns is expected, such as ") +
                                              example + "; found " + in_quotes(columns[0].heading));
    require_frequency(csv, columns[0]);
    out.unit = level_unit(csv, columns[1]);
    // Which of several is meant is not for us to say.
    for (std::size_t i = 2; i < columns.size(); ++i) {
        if (columns[i].unit && columns[i].unit->unit != Unit::db && is_decibel(columns[i].unit->unit))
            fail_input(csv.place(columns[i]), "there are several levels, " + in_quotes(columns[1].name) +
                                                  " and " + in_quotes(columns[i].name) +
                                                  ": state which, --level " + in_quotes(columns[1].name));
    }
    if (!reference.empty()) out.reference_level = parse_quantity(reference, out.unit).value;
    if (csv.rows() == 0) fail_input(file, "has a heading but no rows");
    take_rows(csv, out);
    return out;
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
