// spectrum.markers: peaks of a spectrum and the distances between them.
#include "core/measure/procedure.hpp"

#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/dsp/peaks.hpp"
#include "core/measure/gate.hpp"
#include "core/measure/spectrum/band.hpp"
#include "core/measure/spectrum_setup.hpp"

namespace rt {
namespace {

constexpr auto markers_parameters = joined(
    std::array{
        ParameterInfo{"start", ParameterKind::quantity, Unit::hertz, "", "lower end of the band looked at"},
        ParameterInfo{"stop", ParameterKind::quantity, Unit::hertz, "", "upper end of the band looked at"},
        ParameterInfo{"prominence", ParameterKind::quantity, Unit::db, "6 dB",
                      "a peak stands out by at least this much from the valleys beside it"},
        ParameterInfo{"down", ParameterKind::quantity, Unit::db, "3 dB",
                      "distance below the highest peak at which its width is taken"},
        ParameterInfo{"peaks", ParameterKind::whole_number, Unit::none, "10", "peaks to list"},
    },
    spectrum_rows, gate_rows);

constexpr std::array markers_traces{Product{"spectrum", Unit::dbm, "level against frequency"}};
constexpr std::array markers_products{
    Product{"peak_level", Unit::dbm, "highest level"},
    Product{"peak_frequency", Unit::hertz, "where it stands, between points by a parabola in dB"},
    Product{"next_level", Unit::dbm, "level of the next peak"},
    Product{"next_frequency", Unit::hertz, "where that stands"},
    Product{"delta_level", Unit::db, "level of the next peak minus that of the highest"},
    Product{"delta_frequency", Unit::hertz, "its frequency minus that of the highest"},
    Product{"peak_width", Unit::hertz, "width of the highest peak `down` below its level"},
};

CaptureSetup markers_setup(const Parameters& p) {
    Parameters filled = p;
    const double start = p.required("start"), stop = p.required("stop");
    if (!filled.has("bandwidth")) filled.set_quantity("bandwidth", {(stop - start) / 200, Unit::hertz});
    if (!filled.has("detector")) filled.set("detector", "peak");
    return spectrum_setup(filled, start, stop);
}

// The width of the peak itself: the nearest crossings on both sides.
std::optional<double> width_of(const Spectrum& s, std::size_t top, double level) {
    const auto crossing = [&](std::size_t inside, std::size_t outside) {
        const double share = (s.level[inside] - level) / (s.level[inside] - s.level[outside]);
        return s.frequency_hz[inside] + share * (s.frequency_hz[outside] - s.frequency_hz[inside]);
    };
    std::size_t low = top, high = top;
    while (low > 0 && s.level[low - 1] > level) --low;
    while (high + 1 < s.level.size() && s.level[high + 1] > level) ++high;
    if (low == 0 || high + 1 == s.level.size()) return std::nullopt;
    return crossing(high, high + 1) - crossing(low, low - 1);
}

Outcome measure_markers(Capture any, const Parameters& p) {
    const bool samples = std::holds_alternative<IqRecord>(any);
    Spectrum s = take_spectrum(std::move(any), "spectrum.markers", p, {0, 0, 0, Detector::peak});
    const double start = p.number("start").value_or(s.frequency_hz.front());
    const double stop = p.number("stop").value_or(s.frequency_hz.back());
    const double prominence = p.required("prominence");
    if (!(prominence >= 0)) fail_input("parameter prominence: must not be below 0 dB");
    Outcome outcome;
    const std::size_t top = highest_in(s, start, stop);
    const auto x = [&](std::size_t i) { return refined_x(s.frequency_hz, s.level, i); };
    // The Gaussian filter behind complex samples is a parabola in dB; of other filters nothing is known.
    const auto level = [&](std::size_t i) { return samples ? refined_level(s.level, i) : s.level[i]; };
    outcome.add("peak_level", level(top), s.unit);
    outcome.add("peak_frequency", x(top), Unit::hertz);
    Table table{
        "peaks", "Peaks", {{"frequency", Unit::hertz}, {"level", s.unit}, {"prominence", Unit::db}}, {}};
    const auto wanted = static_cast<std::size_t>(p.required("peaks"));
    std::vector<TracePeak> inside;
    for (const auto& peak : find_peaks(s.level, prominence)) {
        if (s.frequency_hz[peak.at] >= start && s.frequency_hz[peak.at] <= stop) inside.push_back(peak);
    }
    for (const auto& peak : inside) {
        if (table.rows.size() == wanted) break;
        table.rows.push_back({x(peak.at), level(peak.at), peak.prominence});
    }
    const std::size_t second = !inside.empty() && inside.front().at == top ? 1 : 0;
    if (second < inside.size()) {
        const auto& next = inside[second];
        outcome.add("next_level", level(next.at), s.unit);
        outcome.add("next_frequency", x(next.at), Unit::hertz);
        outcome.add("delta_level", level(next.at) - level(top), Unit::db);
        outcome.add("delta_frequency", x(next.at) - x(top), Unit::hertz);
    } else {
        outcome.notes.push_back("no second peak stands out by " + format({prominence, Unit::db}));
    }
    if (const auto width = width_of(s, top, level(top) - p.required("down")))
        outcome.add("peak_width", *width, Unit::hertz);
    outcome.tables.push_back(std::move(table));
    outcome.traces.push_back(trace_of(std::move(s), "spectrum", "Level"));
    return outcome;
}

}  // namespace

// Highest peak, the next one, their distance, the width of the highest a number of dB down. Table `peaks`,
// trace `spectrum`.
Procedure spectrum_markers() {
    return {"spectrum.markers",
            "Peaks of a spectrum",
            "The highest peak, the next one that stands out, their distance, and the width of the highest. "
            "Takes a "
            "spectrum or complex samples.",
            markers_parameters,
            markers_traces,
            markers_products,
            markers_setup,
            measure_markers,
            preset_conditions};
}

}  // namespace rt
