#include "core/measure/spectrum_setup.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/base/error.hpp"
#include "core/dsp/detect.hpp"
#include "core/dsp/iq_scan.hpp"
#include "core/measure/gate.hpp"

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

GaussianFilter resolution_filter(const Parameters& parameters, double bandwidth_hz) {
    const std::string meant = parameters.text("filter");
    if (meant == "3db") return GaussianFilter::with_3db(bandwidth_hz);
    if (meant == "6db") return GaussianFilter::with_6db(bandwidth_hz);
    return GaussianFilter::customary(bandwidth_hz);
}

namespace {

Spectrum analyse(const IqRecord& record, const Parameters& parameters, const SpectrumWish& wish) {
    ScanSettings settings;
    const double half = record.sample_rate_hz / 2;
    const bool all = wish.start_hz == 0 && wish.stop_hz == 0;
    settings.start_hz = all ? record.centre_hz - half : wish.start_hz;
    settings.stop_hz = all ? record.centre_hz + half : wish.stop_hz;
    double bandwidth = parameters.number("bandwidth").value_or(wish.fallback_bandwidth_hz);
    if (!(bandwidth > 0)) bandwidth = record.sample_rate_hz / 500;
    settings.filter = resolution_filter(parameters, bandwidth);
    const Detector detector = parameters.detector("detector").value_or(wish.fallback);
    settings.detectors = {detector};
    settings.gates = gates_of(record, parameters, gate_needed_s(settings.filter) + 2 / record.sample_rate_hz);
    if (!settings.gates.empty() && has_meter(detector)) {
        fail_input(
            std::string("parameter gate: the ") + name(detector) +
            " detector weights in time, a part of the time has no such reading; choose rms, average or peak");
    }
    Scan seen = scan(record, settings);
    Spectrum out;
    out.frequency_hz = std::move(seen.frequency_hz);
    out.level = std::move(seen.reading.front());
    const double reference = record.reference_level_dbm.value_or(0);
    for (std::size_t i = 0; i < out.level.size(); ++i) {
        out.level[i] =
            20 * std::log10(std::max(out.level[i], 1e-12)) + reference + record.tilt_db(out.frequency_hz[i]);
    }
    out.unit = record.reference_level_dbm ? Unit::dbm : Unit::dbfs;
    out.detector = detector;
    out.resolution_bandwidth_hz = bandwidth;
    out.noise_bandwidth_hz = settings.filter.noise_bandwidth_hz();
    if (record.reference_level_dbm) out.impedance_ohm = 50;
    out.distrust = record.distrust;
    return out;
}

}  // namespace

double fine_bandwidth(const Capture& capture, const Parameters& parameters, double width_hz) {
    const auto* record = std::get_if<IqRecord>(&capture);
    if (!record) return 0;
    return std::min(std::max(width_hz / 1000, 50 / part_named(*record, parameters).seconds()), width_hz / 50);
}

Spectrum take_spectrum(Capture capture, const char* procedure, const Parameters& parameters,
                       const SpectrumWish& wish) {
    if (auto* spectrum = std::get_if<Spectrum>(&capture)) {
        if (parameters.text("gate") == "bursts") {
            fail_input("parameter gate: a spectrum is no longer divided by time; give the complex samples");
        }
        if (parameters.stated("from") || parameters.stated("to")) {
            fail_input(
                "parameters from and to: a spectrum is no longer divided by time; give the complex samples");
        }
        return std::move(*spectrum);
    }
    if (const auto* record = std::get_if<IqRecord>(&capture))
        return analyse(part_named(*record, parameters), parameters, wish);
    fail_input(std::string(procedure) + " needs a spectrum or complex samples, the capture holds " +
               kind_name(capture));
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
    trace.declared = std::move(capture.declared);
    return trace;
}

void preset_conditions(const Rule& rule, Parameters& parameters) {
    if (rule.bandwidth && !parameters.has("bandwidth")) parameters.set_quantity("bandwidth", *rule.bandwidth);
    if (rule.detector && !parameters.has("detector")) parameters.set("detector", name(*rule.detector));
    preset_named(rule, parameters);
}

}  // namespace rt
