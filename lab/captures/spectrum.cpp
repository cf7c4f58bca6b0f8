#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/signal/scrambled.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/ask.hpp"
#include "lab/captures/kind.hpp"
#include "lab/formats/csv_table.hpp"
#include "lab/formats/exported_spectrum.hpp"
#include "lab/formats/spectrum_csv.hpp"

namespace rt::lab {
namespace {

std::optional<std::string> read_back(ScpiSession& session, const SpectrumSetup& setup) {
    ReadBack back(session);
    const double span = setup.stop_hz - setup.start_hz;
    if (session.instrument().dialect.levels == Unit::none)
        back.word("unit", "levels in", setup.unit == Unit::dbuv ? "DBUV" : "DBM");
    back.number("start", "the lowest frequency", setup.start_hz, 1e-4 * span, Unit::hertz);
    back.number("stop", "the highest frequency", setup.stop_hz, 1e-4 * span, Unit::hertz);
    back.number("points", "points:", static_cast<double>(setup.points), 0.5, Unit::count);
    back.number("bandwidth", "the resolution bandwidth", setup.resolution_bandwidth_hz,
                1e-3 * setup.resolution_bandwidth_hz, Unit::hertz);
    back.word("detector", "the detector", session.instrument().dialect.detectors.at(name(setup.detector)));
    back.number("dwell", "the measuring time", setup.dwell_s, 0.01 * setup.dwell_s, Unit::second, true);
    if (!setup.attenuation_db) back.number("coupled", "the coupling of its attenuation", 1, 0.5, Unit::none);
    return back.distrust();
}

// What is told for a sweep: what no question reads back, and the rest.
void set_up(ScpiSession& session, const SpectrumSetup& setup, bool all) {
    const Dialect& dialect = session.instrument().dialect;
    const auto word = dialect.detectors.find(name(setup.detector));
    if (word == dialect.detectors.end()) {
        fail_input(dialect.file.string(),
                   std::string("the dialect has no word for the detector ") + name(setup.detector));
    }
    if (setup.reference_level) {
        session.send("set_reference", {{"dbm", exact(convert(*setup.reference_level, Unit::dbm)->value)}});
    }
    if (setup.attenuation_db) session.send("set_attenuation", {{"db", exact(*setup.attenuation_db)}});
    if (!all) return;
    if (!setup.attenuation_db) session.send("couple_attenuation");
    if (session.knows("set_unit"))
        session.send("set_unit", {{"unit", setup.unit == Unit::dbuv ? "DBUV" : "DBM"}});
    session.send("set_start", {{"hz", exact(setup.start_hz)}});
    session.send("set_stop", {{"hz", exact(setup.stop_hz)}});
    session.send("set_points", {{"count", std::to_string(setup.points)}});
    session.send("set_bandwidth", {{"hz", exact(setup.resolution_bandwidth_hz)}});
    session.send("set_detector", {{"detector", word->second}});
    session.send("set_dwell", {{"s", exact(setup.dwell_s)}});
}

std::string text_of(const SpectrumSetup& s) {
    std::string out = "spectrum";
    for (const double value : {s.start_hz, s.stop_hz, static_cast<double>(s.points),
                               s.resolution_bandwidth_hz, s.dwell_s, s.attenuation_db.value_or(-1)})
        out += " " + exact(value);
    return out + " " + name(s.detector) + " " + symbol(s.unit);
}

// Dwell time for each part of the spectrum that is measured at once.
double seconds_for(const Instrument& instrument, const SpectrumSetup& s) {
    const double span = s.stop_hz - s.start_hz;
    const double parts = instrument.scan_bandwidth_hz ? std::ceil(span / *instrument.scan_bandwidth_hz)
                                                      : static_cast<double>(s.points);
    return s.dwell_s * parts;
}

std::vector<double> read_levels(ScpiSession& session, const SpectrumSetup& setup,
                                std::optional<std::string>& distrust) {
    auto levels = session.ask_numbers("read_trace", {}, setup.points, "trace");
    if (scrambled(levels)) distrust = scrambled_text;
    for (double& level : levels) {
        level = level_in(session.instrument(), level, setup.unit, distrust);
        if (!std::isfinite(level) || std::abs(level) > 1e6)
            session.fail("the trace holds a level that is no number");
        level = std::round(level * 1e4) / 1e4;  // as the kept capture states it
    }
    return levels;
}

bool can_ask_all(const ScpiSession& session) {
    const auto known = [&](const char* what) { return session.knows(std::string("query_") + what); };
    return known("start") && known("stop") && known("points") && known("bandwidth") && known("detector") &&
           known("dwell") && known("unit") && known("coupled");
}

// Levels, and after them what the analyser has set: it has had that during the sweep, whoever changed it
// before.
std::vector<double> one_sweep(ScpiSession& session, const SpectrumSetup& setup,
                              std::optional<std::string>& differs) {
    ReadBack form(session);
    form.format_of_numbers("read_trace");
    forget_overload(session);
    const Instrument& instrument = session.instrument();
    require_done(session, "sweep", instrument.timeout_s + 1.5 * seconds_for(instrument, setup), "sweep");
    std::optional<std::string> odd;
    auto levels = read_levels(session, setup, odd);
    differs = form.distrust() ? form.distrust() : read_back(session, setup);
    if (!differs) differs = odd;
    return levels;
}

}  // namespace

Spectrum sweep(InstrumentRole& analyser, const SpectrumSetup& setup) {
    ScpiSession& session = analyser.session();
    const Instrument& instrument = analyser.instrument();
    // What is set already is not sent again, where the instrument can be asked for all of it afterwards.
    const bool again = session.is_set_up_as(text_of(setup)) && can_ask_all(session);
    set_up(session, setup, !again);
    Spectrum spectrum;
    std::optional<std::string> differs;
    spectrum.level = one_sweep(session, setup, differs);
    if (again && differs) {
        differs.reset();
        set_up(session, setup, true);
        spectrum.level = one_sweep(session, setup, differs);
    }
    spectrum.distrust = read_distrust(session, "raise the reference level or the attenuation");
    if (!spectrum.distrust) spectrum.distrust = differs;
    spectrum.unit = setup.unit;
    spectrum.frequency_hz.resize(setup.points);
    for (std::size_t i = 0; i < setup.points; ++i) {
        spectrum.frequency_hz[i] = setup.start_hz + setup.step_hz() * static_cast<double>(i);
    }
    spectrum.frequency_hz.back() = setup.stop_hz;
    spectrum.detector = setup.detector;
    spectrum.resolution_bandwidth_hz = setup.resolution_bandwidth_hz;
    spectrum.impedance_ohm = instrument.impedance_ohm;
    if (setup.reference_level && instrument.impedance_ohm) {
        const auto shown =
            convert(*setup.reference_level, setup.unit, {*instrument.impedance_ohm, Unit::ohm});
        if (shown) spectrum.reference_level = shown->value;
    }
    return spectrum;
}

namespace {

class SpectrumKind : public KindOf<Spectrum> {
    const char* instrument() const override { return "analyser"; }
    Figures figures() const override { return Figures::each; }
    Spectrum ask(InstrumentRole& role, const SpectrumSetup& s) const override { return sweep(role, s); }
    double seconds_of(const Instrument& instrument, const SpectrumSetup& s) const override {
        return seconds_for(instrument, s);
    }
    std::string text_of(const SpectrumSetup& s) const override {
        return format({s.start_hz, Unit::hertz}) + " to " + format({s.stop_hz, Unit::hertz}) + ", RBW " +
               format({s.resolution_bandwidth_hz, Unit::hertz}) + ", " + rt::name(s.detector);
    }
    std::optional<Band> band_of(const SpectrumSetup& s) const override { return Band{s.start_hz, s.stop_hz}; }
    std::optional<Unit> unit_of(const SpectrumSetup& s) const override { return s.unit; }
    void complete(Spectrum& data, std::optional<double> impedance_ohm) const override {
        if (!data.impedance_ohm) data.impedance_ohm = impedance_ohm;
    }
    WrittenCapture keep(const std::filesystem::path& stem, const Spectrum& data) const override {
        return keep_text(stem, ".csv", spectrum_csv(data));
    }
    std::optional<Spectrum> from_table(std::string_view heading, std::string_view text,
                                       const std::string& file, const CaptureHints& hints) const override {
        if (!lower(heading).starts_with("frequency")) return std::nullopt;
        if (csv_separator(heading) != ',' && has_decimal_commas(text))
            return parse_exported(text, file, {}, hints.layout_used);
        return parse_spectrum_csv(text, file);
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<Spectrum>() {
    static const SpectrumKind kind;
    return kind;
}

}  // namespace rt::lab
