#include "core/measure/radio/mask.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "core/base/error.hpp"
#include "core/measure/gate.hpp"
#include "core/measure/spectrum/band.hpp"
#include "core/measure/spectrum_setup.hpp"

namespace rt {
namespace {

constexpr auto mask_parameters = joined(
    std::array{
        ParameterInfo{"centre", ParameterKind::quantity, Unit::hertz, "", "carrier frequency of the channel"},
        ParameterInfo{"span", ParameterKind::quantity, Unit::hertz, "",
                      "width of the band around the carrier"},
        ParameterInfo{"reference_window", ParameterKind::quantity, Unit::hertz, "1 MHz",
                      "the reference level is the highest within this distance of the carrier"},
        ParameterInfo{"channel_bandwidth", ParameterKind::quantity, Unit::hertz, "5 MHz",
                      "width over which channel power is summed"},
    },
    spectrum_rows, gate_rows);

constexpr std::array mask_traces{
    Product{"psd", Unit::dbm, "power in the resolution bandwidth against frequency"}};
constexpr std::array mask_products{
    Product{"reference_level", Unit::dbm, "highest level near the carrier"},
    Product{"reference_offset", Unit::hertz, "its distance from the carrier"},
    Product{"channel_power", Unit::dbm, "power in the channel bandwidth"},
};

CaptureSetup mask_setup(const Parameters& p) {
    const double centre = p.required("centre"), span = p.required("span");
    if (!(span > 0)) fail_input("parameter span: must be above 0 Hz");
    return spectrum_setup(p, centre - span / 2, centre + span / 2);
}

void preset(const Rule& rule, Parameters& p) {
    if (const auto* mask = rule.mask()) {
        const auto& part = mask->relative ? mask->relative : mask->absolute;
        const double reach = std::isinf(part->to()) ? rule.cover_to.value_or(2 * part->from()) : part->to();
        if (!p.has("span")) p.set_quantity("span", {2 * reach, Unit::hertz});
    }
    preset_conditions(rule, p);
}

struct Peak {
    std::size_t at;
    double level;
};

// The highest level in [from, to]; nothing when no point lies there.
std::optional<Peak> highest(const Spectrum& s, double from, double to) {
    std::optional<Peak> best;
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        if (s.frequency_hz[i] < from || s.frequency_hz[i] > to) continue;
        if (!best || s.level[i] > best->level) best = Peak{i, s.level[i]};
    }
    return best;
}

double median_outside(const Spectrum& s, double from, double to) {
    std::vector<double> levels;
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        if (s.frequency_hz[i] < from || s.frequency_hz[i] > to) levels.push_back(s.level[i]);
    }
    if (levels.empty()) return -1e9;
    const auto middle = levels.begin() + static_cast<std::ptrdiff_t>(levels.size() / 2);
    std::nth_element(levels.begin(), middle, levels.end());
    return *middle;
}

// Why this is no carrier on this channel, of a spectrum as it came or as it was made of samples.
std::optional<std::string> no_carrier(const Spectrum& s, const Parameters& p) {
    constexpr double above_surroundings_db = 6, elsewhere_db = 10;
    const double centre = p.required("centre"), window = p.required("reference_window");
    const double channel = p.required("channel_bandwidth");
    const auto peak = highest(s, centre - window, centre + window);
    if (!peak) return std::nullopt;  // the measurement itself says so
    const std::string expected = "expected: a carrier within " + format({window, Unit::hertz}) + " of " +
                                 format({centre, Unit::hertz});
    const auto all = *highest(s, s.frequency_hz.front(), s.frequency_hz.back());
    if (all.level > peak->level + elsewhere_db) {
        return "seen: the strongest signal, " + format({all.level, s.unit}) + ", at " +
               format({s.frequency_hz[all.at], Unit::hertz}) + "; " + expected + ", where " +
               format({peak->level, s.unit}) + " was seen";
    }
    const double around = median_outside(s, centre - channel / 2, centre + channel / 2);
    if (peak->level < around + above_surroundings_db) {
        return "seen: no carrier: at most " + format({peak->level, s.unit}) + " there, " +
               format({around, s.unit}) + " around it; " + expected;
    }
    return std::nullopt;
}

Outcome measure_mask(Capture any, const Parameters& p) {
    Spectrum capture = take_spectrum(std::move(any), "radio.mask", p, {0, 0, 100e3, Detector::rms});
    const double centre = p.required("centre"), window = p.required("reference_window");
    const double channel = p.required("channel_bandwidth");
    require_power(capture, "radio.mask");
    Outcome outcome;
    if (const auto reason = no_carrier(capture, p)) outcome.invalid = *reason;
    const auto peak = highest(capture, centre - window, centre + window);
    if (!peak) {
        outcome.invalid = "the trace has no point within " + format({window, Unit::hertz}) +
                          " of the carrier at " + format({centre, Unit::hertz});
    } else {
        outcome.results.push_back({"reference_level", {peak->level, capture.unit}, {}});
        outcome.results.push_back(
            {"reference_offset", {capture.frequency_hz[peak->at] - centre, Unit::hertz}, {}});
    }
    const auto power = covers(capture, centre - channel / 2, centre + channel / 2)
                           ? band_power(capture, centre - channel / 2, centre + channel / 2)
                           : std::nullopt;
    if (power) {
        outcome.add("channel_power", to_db(*power), capture.unit);
        note_detector(capture, outcome);
    } else {
        outcome.notes.push_back(
            "no channel power: the trace does not state its resolution bandwidth, or is narrower than " +
            format({channel, Unit::hertz}));
    }
    Trace trace = trace_of(std::move(capture), "psd", "Power spectral density");
    trace.centre_hz = centre;
    if (peak) trace.reference_level = peak->level;
    outcome.traces.push_back(std::move(trace));
    return outcome;
}

}  // namespace

Procedure radio_mask() {
    return {
        "radio.mask",
        "Transmit power spectral density around the carrier",
        "Finds the reference level near the carrier and sums the channel power, so that the spectrum can be "
        "judged against a relative or absolute mask (IEEE 802.15.4, transmit power spectral density mask). "
        "Refuses when nothing stands out at the carrier or when the strongest signal is elsewhere.",
        mask_parameters,
        mask_traces,
        mask_products,
        mask_setup,
        measure_mask,
        preset};
}

}  // namespace rt
