#include "lab/formats/capture_file.hpp"

#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/csv_table.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/spectrum_csv.hpp"

namespace rt {
namespace {

std::string trouble_line(const std::optional<std::string>& trouble) {
    return trouble ? "# trouble: " + *trouble + "\n" : "";
}

std::string text_of(const Spectrum& s) {
    return spectrum_csv(s);
}

std::string text_of(const PowerReading& p) {
    return trouble_line(p.trouble) + "sensor,frequency [Hz],level [dBm]\n" + std::to_string(p.sensor) + "," +
           exact(p.frequency_hz) + "," + exact(p.level_dbm) + "\n";
}

std::string text_of(const Counts& c) {
    return trouble_line(c.trouble) + "packets_sent,packets_received,bits,bit_errors\n" +
           std::to_string(c.packets_sent) + "," + std::to_string(c.packets_received) + "," +
           std::to_string(c.bits) + "," + std::to_string(c.bit_errors) + "\n";
}

std::optional<std::string> trouble_of(const CsvTable& csv) {
    const std::string trouble = csv.remark("trouble");
    return trouble.empty() ? std::nullopt : std::optional(trouble);
}

std::uint64_t whole(const CsvTable& csv, const CsvColumn& column, std::size_t row) {
    const double value = csv.number(column, row);
    if (value < 0 || value != std::floor(value) || value > 9e15) {
        fail_input(csv.place(column, row),
                   in_quotes(column.cells[row]) + " is no count: write a whole number");
    }
    return static_cast<std::uint64_t>(value);
}

Counts counts_of(const CsvTable& csv, const std::string& file) {
    Counts counts;
    counts.trouble = trouble_of(csv);
    const auto add = [&](const char* name, std::uint64_t& sum, bool needed) {
        const CsvColumn* column = needed ? &csv.required(name) : csv.find(name);
        for (std::size_t row = 0; column && row < csv.rows(); ++row) sum += whole(csv, *column, row);
    };
    add("packets_sent", counts.packets_sent, true);
    add("packets_received", counts.packets_received, true);
    add("bits", counts.bits, false);
    add("bit_errors", counts.bit_errors, false);
    require_valid(counts, file);
    return counts;
}

PowerReading power_of(const CsvTable& csv, const std::string& file) {
    if (csv.rows() != 1) fail_input(file, "a power reading has one row, not " + std::to_string(csv.rows()));
    PowerReading reading;
    reading.trouble = trouble_of(csv);
    const CsvColumn& level = csv.required("level");
    if (!level.unit || level.unit->unit != Unit::dbm) fail_input(file, "write the level as level [dBm]");
    reading.level_dbm = csv.number(level, 0);
    if (const auto* frequency = csv.find("frequency")) reading.frequency_hz = csv.number(*frequency, 0);
    reading.sensor = static_cast<int>(whole(csv, csv.required("sensor"), 0));
    return reading;
}

// The first line that is no remark.
std::string_view heading_of(std::string_view text) {
    while (!text.empty()) {
        const auto line = trim(text.substr(0, text.find('\n')));
        if (!line.empty() && line.front() != '#') return line;
        const auto end = text.find('\n');
        text = end == std::string_view::npos ? std::string_view{} : text.substr(end + 1);
    }
    return {};
}

}  // namespace

std::string capture_csv(const Capture& capture) {
    return std::visit([](const auto& c) { return text_of(c); }, capture);
}

Capture parse_capture_csv(std::string_view text, const std::string& file) {
    const auto heading = heading_of(text);
    if (heading.find("packets_sent") != std::string_view::npos) return counts_of(CsvTable(text, file), file);
    if (heading.starts_with("sensor")) return power_of(CsvTable(text, file), file);
    return parse_spectrum_csv(text, file);
}

Capture read_capture_csv(const std::filesystem::path& file) {
    return parse_capture_csv(read_file(file), file.string());
}

}  // namespace rt
