#include "lab/formats/capture_file.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/csv_table.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/sigmf.hpp"
#include "lab/formats/spectrum_csv.hpp"
#include "lab/formats/touchstone.hpp"
#include "lab/formats/wav.hpp"

namespace rt {
namespace {

std::string trouble_line(const std::optional<std::string>& trouble) {
    return trouble ? "# trouble: " + *trouble + "\n" : "";
}

std::string text_of(const Spectrum& s) {
    return spectrum_csv(s);
}

std::string text_of(const PowerReading& p) {
    const auto& c = p.correction_db;
    return trouble_line(p.trouble) + "sensor,frequency [Hz],level [dBm]" + (c ? ",correction [dB]\n" : "\n") +
           std::to_string(p.sensor) + "," + exact(p.frequency_hz) + "," + exact(p.level_dbm) +
           (c ? "," + exact(*c) : "") + "\n";
}

std::string text_of(const Counts& c) {
    return trouble_line(c.trouble) + "packets_sent,packets_received,bits,bit_errors\n" +
           std::to_string(c.packets_sent) + "," + std::to_string(c.packets_received) + "," +
           std::to_string(c.bits) + "," + std::to_string(c.bit_errors) + "\n";
}

std::string text_of(const IqRecord&) {
    return {};  // kept as SigMF
}
std::string text_of(const Waveform&) {
    return {};
}
std::string text_of(const Network& n) {
    return touchstone(n);
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

// Counts of different settings are never added up: a column that is not understood may tell them apart.
void require_count_columns(const CsvTable& csv, const std::string& file) {
    const std::vector<std::string> known{"packets_sent", "packets_received", "bits", "bit_errors"};
    for (const auto& column : csv.columns()) {
        const auto same = [&](const CsvColumn& other) { return other.name == column.name; };
        if (std::count_if(csv.columns().begin(), csv.columns().end(), same) > 1)
            fail_input(file, "two columns are called " + in_quotes(column.name));
        if (std::find(known.begin(), known.end(), column.name) != known.end()) continue;
        fail_input(file,
                   "the column " + in_quotes(column.name) +
                       " is not understood, and counts of different settings cannot be added up: write "
                       "each setting to a file of its own, with packets_sent and packets_received, or bits "
                       "and bit_errors");
    }
    if (csv.rows() == 0) fail_input(file, "has a heading but no rows");
    if (!csv.find("bits") && !csv.find("bit_errors")) csv.required("packets_sent");
    for (const auto& [one, other] : {std::pair{"packets_sent", "packets_received"}, {"bits", "bit_errors"}}) {
        if (csv.find(one)) csv.required(other);
        if (csv.find(other)) csv.required(one);
    }
}

Counts counts_of(const CsvTable& csv, const std::string& file) {
    require_count_columns(csv, file);
    Counts counts;
    counts.trouble = trouble_of(csv);
    const auto add = [&](const char* name, std::uint64_t& sum) {
        const CsvColumn* column = csv.find(name);
        for (std::size_t row = 0; column && row < csv.rows(); ++row) sum += whole(csv, *column, row);
    };
    add("packets_sent", counts.packets_sent);
    add("packets_received", counts.packets_received);
    add("bits", counts.bits);
    add("bit_errors", counts.bit_errors);
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
    if (const auto* correction = csv.find("correction")) reading.correction_db = csv.number(*correction, 0);
    reading.sensor = static_cast<int>(whole(csv, csv.required("sensor"), 0));
    return reading;
}

// Values at even steps, on straight lines between those given.
std::vector<double> resampled(const std::vector<double>& time, const std::vector<double>& volts,
                              double step) {
    std::vector<double> out;
    std::size_t k = 0;
    const auto count = static_cast<std::size_t>((time.back() - time.front()) / step * (1 + 1e-12)) + 1;
    for (std::size_t i = 0; i < count; ++i) {
        const double at = time.front() + static_cast<double>(i) * step;
        while (k + 2 < time.size() && time[k + 1] <= at) ++k;
        const double share = std::min(1.0, (at - time[k]) / (time[k + 1] - time[k]));
        out.push_back(volts[k] + share * (volts[k + 1] - volts[k]));
    }
    return out;
}

Waveform waveform_of(const CsvTable& csv, const std::string& file, std::optional<double> wanted_step) {
    if (csv.rows() < 2) fail_input(file, "a waveform has at least two rows");
    const CsvColumn& time = csv.columns().front();
    if (csv.columns().size() < 2) fail_input(file, "write two columns: time [s],voltage [V]");
    if (!time.unit || time.unit->unit != Unit::second) fail_input(file, "write the time as time [s]");
    const double first = csv.number(time, 0), last = csv.number(time, csv.rows() - 1);
    const double step = (last - first) / static_cast<double>(csv.rows() - 1);
    if (!(step > 0)) fail_input(csv.place(time, csv.rows() - 1), "times must rise");
    std::vector<double> times;
    for (std::size_t row = 0; row < csv.rows(); ++row) {
        times.push_back(csv.number(time, row));
        if (wanted_step) {
            if (row > 0 && !(times[row] > times[row - 1]))
                fail_input(csv.place(time, row), "times must rise");
        } else if (std::abs(times[row] - first - static_cast<double>(row) * step) > step / 5) {
            fail_input(csv.place(time, row), "times must be evenly spaced, " + format({step, Unit::second}) +
                                                 " apart to a fifth of that: write more digits, or give "
                                                 "--resample STEP");
        }
    }
    constexpr double most = 1e8;
    if (wanted_step && !(*wanted_step > 0 && (last - first) / *wanted_step < most)) {
        fail_input(file, "--resample " + format({*wanted_step, Unit::second}) +
                             ": the step must be above 0 s and give at most 100 million samples");
    }
    std::vector<std::vector<double>> channels;
    for (std::size_t k = 1; k < csv.columns().size(); ++k) {
        const CsvColumn& voltage = csv.columns()[k];
        if (!voltage.unit || voltage.unit->unit != Unit::volt) {
            fail_input(file, "column " + std::to_string(k + 1) +
                                 " is no voltage: write its heading as voltage [V], clock [V] ...");
        }
        auto& volts = channels.emplace_back();
        for (std::size_t row = 0; row < csv.rows(); ++row) volts.push_back(csv.number(voltage, row));
        if (wanted_step) volts = resampled(times, volts, *wanted_step);
    }
    Waveform out = waveform_in_memory(std::move(channels), wanted_step.value_or(step));
    out.overload = trouble_of(csv);
    return out;
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

Capture parse_capture_csv(std::string_view text, const std::string& file,
                          std::optional<double> resample_step_s) {
    const auto heading = heading_of(text);
    for (const char* word : {"packets_sent", "packets_received", "bit_errors"}) {
        if (heading.find(word) != std::string_view::npos) return counts_of(CsvTable(text, file), file);
    }
    if (heading.starts_with("sensor")) return power_of(CsvTable(text, file), file);
    if (heading.starts_with("time")) return waveform_of(CsvTable(text, file), file, resample_step_s);
    return parse_spectrum_csv(text, file);
}

Capture read_capture(const std::filesystem::path& file, const CaptureHints& hints) {
    const std::string ending = lower(file.extension().string());
    if (!hints.sample_type.empty()) return read_raw_samples(file, hints);
    if (ending == ".sigmf-meta" || ending == ".sigmf-data") return read_sigmf(file, hints);
    if (ending == ".sigmf") fail_input(file.string(), "is an archive: unpack it and name its .sigmf-meta");
    if (ending == ".wav") return read_wav(file, hints);
    if (ending == ".ts" || (ending.starts_with(".s") && ending.ends_with("p"))) return read_touchstone(file);
    return parse_capture_csv(read_file(file), file.string(), hints.resample_step_s);
}

WrittenCapture write_capture(const std::filesystem::path& stem, const Capture& capture) {
    if (const auto* record = std::get_if<IqRecord>(&capture)) return write_sigmf(stem, *record);
    if (const auto* wave = std::get_if<Waveform>(&capture)) return write_sigmf(stem, *wave);
    const auto* network = std::get_if<Network>(&capture);
    WrittenCapture out{stem, capture_csv(capture)};
    out.file += network ? ".s" + std::to_string(network->ports) + "p" : ".csv";
    write_file(out.file, out.content);
    return out;
}

}  // namespace rt
