// emission.scan: disturbance level against frequency.
#include "core/measure/procedure.hpp"

#include <algorithm>
#include <array>
#include <utility>

#include "core/measure/iq_setup.hpp"
#include "core/measure/spectrum_setup.hpp"

namespace rt {
namespace {

constexpr auto scan_parameters = joined(
    std::array{
        ParameterInfo{"start", ParameterKind::quantity, Unit::hertz, "", "lower end of the band"},
        ParameterInfo{"stop", ParameterKind::quantity, Unit::hertz, "", "upper end of the band"},
    },
    spectrum_rows, part_rows);

constexpr std::array scan_traces{
    Product{"emission", Unit::dbuv, "level against frequency, in the capture's unit"}};
constexpr std::array scan_products{
    Product{"highest_level", Unit::dbuv, "highest level of the trace, in the capture's unit"},
    Product{"highest_level_frequency", Unit::hertz, "where it stands"},
};

CaptureSetup scan_setup(const Parameters& p) {
    const double start = p.required("start"), stop = p.required("stop");
    SpectrumSetup out = spectrum_setup(p, start, stop);
    out.unit = Unit::dbuv;  // the language of emission limits
    return out;
}

void preset(const Rule& rule, Parameters& p) {
    if (const auto* line = rule.line()) {
        if (!p.has("start")) p.set_quantity("start", {line->from(), Unit::hertz});
        if (!p.has("stop")) p.set_quantity("stop", {line->to(), Unit::hertz});
    }
    preset_conditions(rule, p);
}

Outcome measure_scan(Capture any, const Parameters& p) {
    SpectrumWish wish;
    wish.fallback = Detector::peak;
    const bool samples = std::holds_alternative<IqRecord>(any);
    if (samples && p.number("start") && p.number("stop")) {
        wish.start_hz = p.required("start");
        wish.stop_hz = p.required("stop");
    }
    Spectrum capture = take_spectrum(std::move(any), "emission.scan", p, wish);
    if (samples && capture.unit == Unit::dbm) {
        // The language of emission limits.
        const double shift = convert({0, Unit::dbm}, Unit::dbuv, {50, Unit::ohm})->value;
        for (double& level : capture.level) level += shift;
        capture.unit = Unit::dbuv;
    }
    Outcome outcome;
    const auto top = std::max_element(capture.level.begin(), capture.level.end());
    const auto at = static_cast<std::size_t>(top - capture.level.begin());
    outcome.results.push_back({"highest_level", {*top, capture.unit}, {}});
    outcome.results.push_back({"highest_level_frequency", {capture.frequency_hz[at], Unit::hertz}, {}});
    Trace trace = trace_of(std::move(capture), "emission", "Disturbance level");
    trace.log_x = trace.x.front() > 0 && trace.x.back() / trace.x.front() > 5;
    if (!trace.detector) outcome.notes.push_back("the capture does not state its detector");
    if (!trace.resolution_bandwidth_hz) {
        outcome.notes.push_back("the capture does not state its resolution bandwidth");
    }
    outcome.traces.push_back(std::move(trace));
    return outcome;
}

}  // namespace

// The spectrum as the receiver shows it, with its highest level. Trace `emission` in the unit of the capture;
// results `highest_level` (same unit) and `highest_level_frequency` (Hz).
// Method: CISPR 16-2-1 (conducted) and CISPR 16-2-3 (radiated), scanning with one detector.
// The spectrum as the receiver shows it, with its highest level. Trace `emission` in the unit of the capture;
// results `highest_level` (same unit) and `highest_level_frequency` (Hz).
// Method: CISPR 16-2-1 (conducted) and CISPR 16-2-3 (radiated), scanning with one detector.
Procedure emission_scan() {
    return {
        "emission.scan",
        "Disturbance level against frequency",
        "Takes the trace of a measuring receiver or analyser (CISPR 16-2-1, CISPR 16-2-3) as it is and finds "
        "its highest level. No value is made up between points. An overloaded capture gives no verdict.",
        scan_parameters,
        scan_traces,
        scan_products,
        scan_setup,
        measure_scan,
        preset};
}

}  // namespace rt
