// spectrum.occupied-bandwidth: bandwidths of a signal.
#include "core/measure/procedure.hpp"

#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/gate.hpp"
#include "core/measure/spectrum/band.hpp"
#include "core/measure/spectrum_setup.hpp"

namespace rt {
namespace {

constexpr auto occupied_parameters = joined(
    std::array{
        ParameterInfo{"centre", ParameterKind::quantity, Unit::hertz, "",
                      "carrier frequency; without it, the middle of the trace"},
        ParameterInfo{"span", ParameterKind::quantity, Unit::hertz, "",
                      "band around the carrier that counts as all of the power; without it, the whole trace"},
        ParameterInfo{"share", ParameterKind::quantity, Unit::percent, "99 %", "share of the power inside"},
        ParameterInfo{"down", ParameterKind::quantity, Unit::db, "26 dB",
                      "distance below the highest level at which the second width is taken"},
    },
    spectrum_rows, gate_rows);

constexpr std::array occupied_traces{Product{"spectrum", Unit::dbm, "power in the resolution bandwidth"}};
constexpr std::array occupied_products{
    Product{"occupied_bandwidth", Unit::hertz, "width of the band with the share of the power"},
    Product{"lower_edge", Unit::hertz, "its lower end"},
    Product{"upper_edge", Unit::hertz, "its upper end"},
    Product{"centre_offset", Unit::hertz, "middle of that band minus the carrier frequency"},
    Product{"level_bandwidth", Unit::hertz, "width between the outermost points `down` below the highest"},
    Product{"level_lower_edge", Unit::hertz, "its lower end"},
    Product{"level_upper_edge", Unit::hertz, "its upper end"},
    Product{"power", Unit::dbm, "power of the whole band"},
};

CaptureSetup occupied_setup(const Parameters& p) {
    const double centre = p.required("centre"), span = p.required("span");
    Parameters filled = p;
    if (!filled.has("bandwidth")) filled.set_quantity("bandwidth", {span / 100, Unit::hertz});
    if (!filled.has("detector")) filled.set("detector", "rms");
    return spectrum_setup(filled, centre - span / 2, centre + span / 2);
}

Outcome measure_occupied(Capture any, const Parameters& p) {
    SpectrumWish wish;
    if (const auto* record = std::get_if<IqRecord>(&any)) {
        wish.fallback_bandwidth_hz =
            fine_bandwidth(any, p, p.number("span").value_or(record->sample_rate_hz) / 2);
    }
    Spectrum s = take_spectrum(std::move(any), "spectrum.occupied-bandwidth", p, wish);
    require_power(s, "spectrum.occupied-bandwidth");
    if (s.level.size() < 3) fail_input("the trace has fewer than three points");
    const double middle = (s.frequency_hz.front() + s.frequency_hz.back()) / 2;
    const double centre = p.number("centre").value_or(middle);
    double low = s.frequency_hz.front(), high = s.frequency_hz.back();
    if (const auto span = p.number("span")) {
        if (!covers(s, centre - *span / 2, centre + *span / 2)) {
            fail_input("a span of " + format({*span, Unit::hertz}) + " around " +
                       format({centre, Unit::hertz}) + " is wider than the trace, which covers " +
                       format({low, Unit::hertz}) + " to " + format({high, Unit::hertz}));
        }
        low = centre - *span / 2;
        high = centre + *span / 2;
    }
    const double share = p.required("share") / 100, down = p.required("down");
    if (!(share > 0 && share < 1)) fail_input("parameter share: above 0 % and below 100 %");
    if (!(down > 0)) fail_input("parameter down: must be above 0 dB");
    Outcome outcome;
    const BandEdges edges = occupied_edges(s, share, low, high);
    outcome.add("occupied_bandwidth", edges.high_hz - edges.low_hz, Unit::hertz);
    outcome.add("lower_edge", edges.low_hz, Unit::hertz);
    outcome.add("upper_edge", edges.high_hz, Unit::hertz);
    outcome.add("centre_offset", (edges.low_hz + edges.high_hz) / 2 - centre, Unit::hertz);
    if (const auto level = level_edges(s, down, low, high)) {
        outcome.add("level_bandwidth", level->high_hz - level->low_hz, Unit::hertz);
        outcome.add("level_lower_edge", level->low_hz, Unit::hertz);
        outcome.add("level_upper_edge", level->high_hz, Unit::hertz);
    } else {
        outcome.notes.push_back("no level_bandwidth: the trace does not fall " + format({down, Unit::db}) +
                                " below its highest level on both sides");
    }
    if (const auto power = band_power(s, low, high)) outcome.add("power", to_db(*power), s.unit);
    const double width = edges.high_hz - edges.low_hz;
    if (s.resolution_bandwidth_hz && *s.resolution_bandwidth_hz > 0.05 * width) {
        outcome.notes.push_back("the resolution bandwidth of " +
                                format({*s.resolution_bandwidth_hz, Unit::hertz}) +
                                " is more than 5 % of the occupied bandwidth and widens it");
    }
    Trace trace = trace_of(std::move(s), "spectrum", "Power");
    trace.centre_hz = centre;
    outcome.traces.push_back(std::move(trace));
    return outcome;
}

}  // namespace

// The band that holds a share of the power (ITU-R SM.328: 99 %, half of the rest on each side), and the band
// between the outermost points a given number of dB below the highest. Trace `spectrum`.
Procedure occupied_bandwidth() {
    return {"spectrum.occupied-bandwidth",
            "Occupied bandwidth and bandwidth at a level",
            "The band with 99 % (or another share) of the power, half of the rest on each side (ITU-R "
            "SM.328), and "
            "the width between the outermost points a number of dB below the highest. Takes a spectrum or "
            "complex "
            "samples.",
            occupied_parameters,
            occupied_traces,
            occupied_products,
            occupied_setup,
            measure_occupied,
            preset_conditions};
}

}  // namespace rt
