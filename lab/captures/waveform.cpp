#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/signal/scrambled.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/ask.hpp"
#include "lab/captures/kind.hpp"
#include "lab/captures/table_text.hpp"
#include "lab/formats/sigmf.hpp"

namespace rt::lab {
namespace {

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
    out.distrust = distrust_of(csv);
    return out;
}

}  // namespace

Waveform record(InstrumentRole& oscilloscope, const WaveformSetup& setup) {
    ScpiSession& session = oscilloscope.session();
    session.send("set_span", {{"s", exact(setup.span_s)}});
    session.send("set_points", {{"count", std::to_string(setup.points)}});
    for (const int channel : setup.channels)
        session.send("set_range", {{"channel", std::to_string(channel)}, {"v", exact(setup.range_v)}});
    session.send("set_trigger",
                 {{"channel", std::to_string(setup.trigger_channel)}, {"v", exact(setup.trigger_v)}});
    ReadBack back(session);
    back.format_of_numbers("read_waveform");
    auto differs = back.distrust();
    forget_overload(session);
    require_done(session, "acquire", oscilloscope.instrument().timeout_s + 2 * setup.span_s, "record");
    const double step = session.ask_number("query_step");
    if (!(step > 0)) session.fail("the time between samples is " + exact(step) + " s");
    std::vector<std::vector<double>> channels;
    for (const int channel : setup.channels) {
        channels.push_back(session.ask_numbers("read_waveform", {{"channel", std::to_string(channel)}},
                                               setup.points, "record"));
        if (scrambled(channels.back()) && !differs) differs = scrambled_text;
        for (const double v : channels.back()) {
            if (!std::isfinite(v) || std::abs(v) > 1e6)
                session.fail("the record holds a voltage that is no number");
        }
    }
    Waveform out = waveform_in_memory(std::move(channels), step);
    // It has had during the record what it has now, whoever changed it before.
    ReadBack now(session);
    now.number("span", "the time of a record", setup.span_s, 1e-3 * setup.span_s, Unit::second);
    now.number("points", "points:", static_cast<double>(setup.points), 0.5, Unit::count);
    for (const int channel : setup.channels)
        now.number("range", "the range", setup.range_v, 0.01 * setup.range_v, Unit::volt, true,
                   {{"channel", std::to_string(channel)}});
    if (!differs) differs = now.distrust();
    out.distrust = read_distrust(session, "enlarge the range");
    if (!out.distrust) out.distrust = differs;
    return out;
}

namespace {

class WaveformKind : public KindOf<Waveform> {
    const char* instrument() const override { return "oscilloscope"; }
    Figures figures() const override { return Figures::few; }
    Waveform ask(InstrumentRole& role, const WaveformSetup& s) const override { return record(role, s); }
    double seconds_of(const Instrument&, const WaveformSetup& s) const override { return 2 * s.span_s; }
    std::string text_of(const WaveformSetup& s) const override {
        return fmt::format("{}{} for {}, {} points", s.channels.size(),
                           (s.channels.size() == 1 ? " channel" : " channels"),
                           format({s.span_s, Unit::second}), s.points);
    }
    std::optional<Band> band_of(const WaveformSetup&) const override { return std::nullopt; }
    std::optional<Unit> unit_of(const WaveformSetup&) const override { return std::nullopt; }
    void complete(Waveform&, std::optional<double>) const override {}
    WrittenCapture keep(const std::filesystem::path& stem, const Waveform& data) const override {
        return write_sigmf(stem, data);
    }
    std::optional<Waveform> from_table(std::string_view heading, std::string_view text,
                                       const std::string& file, const CaptureHints& hints) const override {
        if (!heading.starts_with("time")) return std::nullopt;
        return waveform_of(CsvTable(text, file), file, hints.resample_step_s);
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<Waveform>() {
    static const WaveformKind kind;
    return kind;
}

}  // namespace rt::lab
