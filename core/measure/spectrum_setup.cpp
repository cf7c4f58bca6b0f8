#include "core/measure/spectrum_setup.hpp"

#include <cmath>
#include <utility>

#include "core/base/error.hpp"

namespace rt {

SpectrumSetup spectrum_setup(const Parameters& parameters, double start_hz, double stop_hz) {
    SpectrumSetup setup;
    setup.start_hz = start_hz;
    setup.stop_hz = stop_hz;
    if (!(start_hz >= 0)) fail_input("the band begins below 0 Hz, at " + format({start_hz, Unit::hertz}));
    if (!(stop_hz > start_hz)) {
        fail_input("the band runs backwards: " + format({start_hz, Unit::hertz}) + " to " +
                   format({stop_hz, Unit::hertz}) + "; write the lower frequency first");
    }
    setup.resolution_bandwidth_hz = parameters.required("bandwidth");
    if (!(setup.resolution_bandwidth_hz > 0)) fail_input("parameter bandwidth: must be above 0 Hz");
    const auto detector = parameters.detector("detector");
    if (!detector) fail_input("parameter detector is missing: set it, or name a rule that presets it");
    setup.detector = *detector;
    setup.dwell_s = parameters.required("dwell");
    if (!(setup.dwell_s > 0)) fail_input("parameter dwell: must be above 0 s");
    const double quarter_bandwidths = std::ceil((stop_hz - start_hz) / (setup.resolution_bandwidth_hz / 4));
    const double points = parameters.number("points").value_or(quarter_bandwidths + 1);
    if (points < 2 || points > 1e6) {
        fail_input("the trace would have " + format({points, Unit::none}) +
                   " points: 2 to 1000000 are possible; change points, bandwidth or the band");
    }
    setup.points = static_cast<std::size_t>(points);
    setup.reference_level = parameters.quantity("reference_level");
    setup.attenuation_db = parameters.number("attenuation");
    return setup;
}

Spectrum take_spectrum(Capture capture, const char* procedure) {
    if (auto* spectrum = std::get_if<Spectrum>(&capture)) return std::move(*spectrum);
    fail_input(std::string(procedure) + " needs a spectrum, the capture holds " + kind_name(capture));
}

Trace trace_of(Spectrum capture, const char* name, const char* title) {
    Trace trace;
    trace.name = name;
    trace.title = title;
    trace.x = std::move(capture.frequency_hz);
    trace.y = std::move(capture.level);
    trace.y_unit = capture.unit;
    trace.detector = capture.detector;
    trace.resolution_bandwidth_hz = capture.resolution_bandwidth_hz;
    trace.impedance_ohm = capture.impedance_ohm;
    return trace;
}

void preset_conditions(const Rule& rule, Parameters& parameters) {
    if (rule.bandwidth && !parameters.has("bandwidth")) parameters.set_quantity("bandwidth", *rule.bandwidth);
    if (rule.detector && !parameters.has("detector")) parameters.set("detector", name(*rule.detector));
    preset_named(rule, parameters);
}

}  // namespace rt
