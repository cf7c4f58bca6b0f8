// emission.final: the disturbance at one frequency, measured closely.
#include "core/measure/procedure.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/dsp/iq_scan.hpp"
#include "core/dsp/peaks.hpp"
#include "core/dsp/quasi_peak.hpp"
#include "core/measure/iq_setup.hpp"
#include "core/measure/spectrum_setup.hpp"

namespace rt {
namespace {

constexpr std::array final_parameters{
    ParameterInfo{"frequency", ParameterKind::quantity, Unit::hertz, "", "candidate of the pre-scan"},
    ParameterInfo{
        "zoom", ParameterKind::quantity, Unit::hertz, "",
        "width of the band around the candidate in which the maximum is looked for; without it, twice the "
        "resolution bandwidth"},
    bandwidth_parameter,
    detector_parameter,
    ParameterInfo{"dwell", ParameterKind::quantity, Unit::second, "1 s", "measuring time at each frequency"},
    points_parameter,
    reference_parameter,
    attenuation_parameter,
    filter_parameter,
    from_parameter,
    to_parameter,
};

constexpr std::array final_traces{
    Product{"emission", Unit::dbuv, "the reading of a detector at the frequency of the maximum"},
    Product{"zoom", Unit::dbuv, "peak readings around the candidate (complex samples only)"}};
constexpr std::array final_products{
    Product{"level", Unit::dbuv, "reading of the detector asked for, in the capture's unit"},
    Product{"frequency", Unit::hertz, "where the level around the candidate is highest"},
    Product{"peak", Unit::dbuv, "reading of the peak detector (complex samples)"},
    Product{"quasi_peak", Unit::dbuv,
            "reading of the quasi-peak detector (complex samples, CISPR bandwidths)"},
    Product{"cispr_average", Unit::dbuv,
            "highest deflection of the meter behind the average (complex samples)"},
    Product{"average", Unit::dbuv, "mean of the envelope (complex samples)"},
    Product{"rms", Unit::dbuv, "rms of the envelope (complex samples)"},
};

double zoom_of(const Parameters& p) {
    const double width = p.number("zoom").value_or(2 * p.required("bandwidth"));
    if (!(width > 0)) fail_input("parameter zoom: must be above 0 Hz");
    return width;
}

CaptureSetup final_setup(const Parameters& p) {
    const double frequency = p.required("frequency"), half = zoom_of(p) / 2;
    SpectrumSetup out = spectrum_setup(p, std::max(0.0, frequency - half), frequency + half);
    out.unit = Unit::dbuv;
    return out;
}

Trace spot(double frequency, double level, Unit unit, std::optional<Detector> detector,
           std::optional<double> bandwidth, std::optional<double> impedance) {
    Trace trace;
    trace.name = "emission";
    trace.title = "Disturbance level";
    trace.x = {frequency};
    trace.y = {level};
    trace.y_unit = unit;
    trace.detector = detector;
    trace.resolution_bandwidth_hz = bandwidth;
    trace.impedance_ohm = impedance;
    trace.spots = true;
    return trace;
}

Outcome from_spectrum(const Spectrum& s, const Parameters& p) {
    const double frequency = p.required("frequency"), half = zoom_of(p) / 2;
    std::optional<std::size_t> top;
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        if (std::abs(s.frequency_hz[i] - frequency) > half * (1 + 1e-9)) continue;
        if (!top || s.level[i] > s.level[*top]) top = i;
    }
    if (!top) {
        fail_input("the trace has no point within " + format({half, Unit::hertz}) + " of " +
                   format({frequency, Unit::hertz}));
    }
    Outcome outcome;
    outcome.add("level", s.level[*top], s.unit);
    outcome.add("frequency", s.frequency_hz[*top], Unit::hertz);
    outcome.traces.push_back(spot(s.frequency_hz[*top], s.level[*top], s.unit, s.detector,
                                  s.resolution_bandwidth_hz, s.impedance_ohm));
    return outcome;
}

const char* result_for(Detector detector) {
    switch (detector) {
        case Detector::peak:
            return "peak";
        case Detector::quasi_peak:
            return "quasi_peak";
        case Detector::cispr_average:
            return "cispr_average";
        case Detector::average:
            return "average";
        default:
            return "rms";
    }
}

// The levels around the candidate, and the frequency to read at: of a clear maximum its place.
struct AroundCandidate {
    std::vector<double> frequency_hz, level;  // level in dB, not yet scaled
    double frequency = 0;
};

AroundCandidate look_around(const IqRecord& record, const Parameters& p, const GaussianFilter& filter,
                            double wanted) {
    const double half_zoom = zoom_of(p) / 2, rate = record.sample_rate_hz;
    if (std::abs(wanted - record.centre_hz) > rate / 2) {
        fail_input("the candidate at " + format({wanted, Unit::hertz}) +
                   " lies outside the record, which covers " +
                   format({record.centre_hz - rate / 2, Unit::hertz}) + " to " +
                   format({record.centre_hz + rate / 2, Unit::hertz}));
    }
    ScanSettings settings;
    settings.filter = filter;
    settings.detectors = {Detector::peak};
    settings.start_hz = std::max(wanted - half_zoom, record.centre_hz - rate / 2);
    settings.stop_hz = std::min(wanted + half_zoom, record.centre_hz + rate / 2);
    const Scan seen = scan(record, settings);
    AroundCandidate out{seen.frequency_hz, {}, wanted};
    for (const double volts : seen.reading.front())
        out.level.push_back(20 * std::log10(std::max(volts, 1e-15)));
    const auto& level = out.level;
    const auto top = static_cast<std::size_t>(std::max_element(level.begin(), level.end()) - level.begin());
    // A flat top (pulses, noise) has no place of its own: then the candidate stays.
    constexpr double clear_db = 0.2;
    std::size_t own = 0;
    for (std::size_t i = 0; i < level.size(); ++i) {
        if (std::abs(seen.frequency_hz[i] - wanted) < std::abs(seen.frequency_hz[own] - wanted)) own = i;
    }
    if (level[top] > level[own] + clear_db) out.frequency = refined_x(seen.frequency_hz, level, top);
    return out;
}

// What can be read of the record, and what was asked for whether it can or not.
std::vector<Detector> detectors_for(const IqRecord& record, const GaussianFilter& filter, Detector asked,
                                    Outcome& outcome) {
    std::vector<Detector> out{Detector::peak, Detector::average, Detector::rms};
    const auto band = cispr_band_with(filter.bandwidth_6db_hz());
    const bool settles = band && record.seconds() >= band->settling_s();
    for (const Detector weighted : {Detector::quasi_peak, Detector::cispr_average}) {
        // What was asked for is measured or refused; the other only where it can be.
        if (settles || asked == weighted) out.push_back(weighted);
    }
    if (std::find(out.begin(), out.end(), asked) == out.end()) out.push_back(asked);
    if (!settles) {
        outcome.notes.push_back(band ? "quasi-peak and CISPR average are not measured: the record of " +
                                           format({record.seconds(), Unit::second}) +
                                           " is shorter than their meter needs, " +
                                           format({band->settling_s(), Unit::second})
                                     : "quasi-peak is defined for 200 Hz, 9 kHz and 120 kHz only");
    }
    return out;
}

Outcome from_samples(const IqRecord& record, const Parameters& p) {
    const double bandwidth = p.required("bandwidth");
    const GaussianFilter filter = resolution_filter(p, bandwidth);
    const AroundCandidate around = look_around(record, p, filter, p.required("frequency"));
    const double frequency = around.frequency;
    const Detector asked = p.detector("detector").value_or(Detector::quasi_peak);
    Outcome outcome;
    const auto detectors = detectors_for(record, filter, asked, outcome);
    const auto readings = measure_at(record, frequency, filter, detectors);
    const bool absolute = record.reference_level_dbm.has_value();
    const Unit unit = absolute ? Unit::dbuv : Unit::dbfs;
    const double shift =
        record.tilt_db(frequency) +
        (absolute ? convert({*record.reference_level_dbm, Unit::dbm}, Unit::dbuv, {50, Unit::ohm})->value
                  : 0);
    const std::optional<double> impedance = absolute ? std::optional(50.0) : std::nullopt;
    for (std::size_t i = 0; i < detectors.size(); ++i) {
        const double value = 20 * std::log10(std::max(readings[i], 1e-15)) + shift;
        if (detectors[i] == asked) {
            outcome.results.insert(outcome.results.begin(), {{"level", {value, unit}, {}},
                                                             {"frequency", {frequency, Unit::hertz}, {}}});
        }
        if (detectors[i] != Detector::sample && detectors[i] != Detector::negative_peak) {
            outcome.add(result_for(detectors[i]), value, unit);
        }
        Trace trace = spot(frequency, value, unit, detectors[i], bandwidth, impedance);
        const bool first = detectors[i] == asked;
        outcome.traces.insert(first ? outcome.traces.begin() : outcome.traces.end(), std::move(trace));
    }
    Trace zoom;
    zoom.name = "zoom";
    zoom.title = "Level around the candidate";
    zoom.x = around.frequency_hz;
    for (const double l : around.level) zoom.y.push_back(l + shift);
    zoom.y_unit = unit;
    zoom.detector = Detector::peak;
    zoom.resolution_bandwidth_hz = bandwidth;
    outcome.traces.push_back(std::move(zoom));
    return outcome;
}

Outcome measure_final(Capture any, const Parameters& p) {
    if (const auto* record = std::get_if<IqRecord>(&any)) return from_samples(part_named(*record, p), p);
    return from_spectrum(take_spectrum(std::move(any), "emission.final", p), p);
}

}  // namespace

// Looks for the true maximum around a candidate, then measures there with the wanted detectors (CISPR 16-2-1
// and 16-2-3, final measurement). Traces `emission`: one reading for each detector, judged where it stands.
// Looks for the true maximum around a candidate, then measures there with the wanted detectors (CISPR 16-2-1
// and 16-2-3, final measurement). Traces `emission`: one reading for each detector, judged where it stands.
Procedure emission_final() {
    return {"emission.final",
            "Disturbance at one frequency, measured closely",
            "Looks for the maximum around a candidate of a pre-scan and measures it with the detector asked "
            "for (CISPR "
            "16-2-1, CISPR 16-2-3). From complex samples all detectors of CISPR 16-1-1 are read at once; "
            "quasi-peak "
            "and CISPR average need a record longer than their meter takes to settle.",
            final_parameters,
            final_traces,
            final_products,
            final_setup,
            measure_final,
            preset_conditions};
}

}  // namespace rt
