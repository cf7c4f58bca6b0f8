#include "lab/bench/roles.hpp"

#include <bit>
#include <cmath>
#include <cstring>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {

AnalyserRole::AnalyserRole(ScpiSession session) : session_(std::move(session)) {
    session_.send("clear");
    session_.send("prepare");
}

void AnalyserRole::set_up(const SpectrumSetup& setup) {
    const Instrument& instrument = session_.instrument();
    const auto word = instrument.dialect.detectors.find(name(setup.detector));
    if (word == instrument.dialect.detectors.end()) {
        fail_input(instrument.dialect.file.string(),
                   std::string("the dialect has no word for the detector ") + name(setup.detector));
    }
    if (setup.reference_level) {
        session_.send("set_reference", {{"dbm", exact(convert(*setup.reference_level, Unit::dbm)->value)}});
    }
    if (setup.attenuation_db) {
        session_.send("set_attenuation", {{"db", exact(*setup.attenuation_db)}});
    } else {
        session_.send("couple_attenuation");
    }
    session_.send("set_unit", {{"unit", setup.unit == Unit::dbuv ? "DBUV" : "DBM"}});
    session_.send("set_start", {{"hz", exact(setup.start_hz)}});
    session_.send("set_stop", {{"hz", exact(setup.stop_hz)}});
    session_.send("set_points", {{"count", std::to_string(setup.points)}});
    session_.send("set_bandwidth", {{"hz", exact(setup.resolution_bandwidth_hz)}});
    session_.send("set_detector", {{"detector", word->second}});
    session_.send("set_dwell", {{"s", exact(setup.dwell_s)}});
}

std::vector<double> AnalyserRole::read_levels(std::size_t points) {
    const std::string bytes = session_.ask_block("read_trace");
    const std::string& role = session_.instrument().role;
    if (bytes.size() != points * sizeof(double)) {
        fail_bench(role + ": the trace has " + std::to_string(bytes.size()) + " bytes, " +
                   std::to_string(points) + " points of 8 bytes were expected");
    }
    static_assert(std::endian::native == std::endian::little, "the dialect asks for little-endian numbers");
    std::vector<double> levels(points);
    std::memcpy(levels.data(), bytes.data(), bytes.size());
    for (double& level : levels) {
        if (!std::isfinite(level) || std::abs(level) > 1e6)
            fail_bench(role + ": the trace holds a level that is no number");
        level = std::round(level * 1e4) / 1e4;  // as the kept capture states it
    }
    return levels;
}

std::optional<std::string> AnalyserRole::distrust() {
    const std::string status = session_.ask("query_overload");
    const auto bits = to_double(status);
    const Instrument& instrument = session_.instrument();
    if (!bits || *bits < 0)
        fail_bench(instrument.role + ": the overload status is not a number: " + in_quotes(status));
    const auto errors = session_.drain_errors();
    if (static_cast<long long>(*bits) & instrument.dialect.overload_mask) {
        return instrument.role + " overloaded: raise the reference level or the attenuation";
    }
    if (!errors.empty()) return instrument.role + " reported error " + errors.front();
    return std::nullopt;
}

Spectrum AnalyserRole::sweep(const SpectrumSetup& setup) {
    set_up(setup);
    const Instrument& instrument = session_.instrument();
    const double longest = instrument.timeout_s + 1.5 * sweep_seconds(instrument, setup);
    const std::string done =
        session_.ask("sweep", std::chrono::milliseconds(static_cast<long long>(longest * 1000)));
    if (done != "1")
        fail_bench(instrument.role + ": the end of the sweep was announced by " + in_quotes(done) +
                   " instead of 1");
    Spectrum spectrum;
    spectrum.level = read_levels(setup.points);
    spectrum.overload = distrust();
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

double sweep_seconds(const Instrument& instrument, const SpectrumSetup& setup) {
    const double span = setup.stop_hz - setup.start_hz;
    const double parts = instrument.scan_bandwidth_hz ? std::ceil(span / *instrument.scan_bandwidth_hz)
                                                      : static_cast<double>(setup.points);
    return setup.dwell_s * parts;
}

void UnitRole::set(const std::string& name, const std::string& value) {
    session_.send("set_" + name, {{"value", value}});
    const auto errors = session_.drain_errors();
    if (!errors.empty()) {
        fail_bench("the unit does not take " + name + " = " + in_quotes(value) + ": " + errors.front());
    }
}

}  // namespace rt
