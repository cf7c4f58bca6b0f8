// radio.spurious: unwanted emission outside the band of a transmitter.
#include "core/measure/procedure.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/dsp/peaks.hpp"
#include "core/measure/gate.hpp"
#include "core/measure/spectrum/band.hpp"
#include "core/measure/spectrum_setup.hpp"

namespace rt {
namespace {

constexpr auto spurious_parameters = joined(
    std::array{
        ParameterInfo{"start", ParameterKind::quantity, Unit::hertz, "", "lower end of the range"},
        ParameterInfo{"stop", ParameterKind::quantity, Unit::hertz, "", "upper end of the range"},
        ParameterInfo{"carrier", ParameterKind::quantity, Unit::hertz, "",
                      "wanted carrier, if it lies in the range"},
        ParameterInfo{"exclude", ParameterKind::quantity, Unit::hertz, "0 Hz",
                      "width of the band around the carrier that is left out"},
        ParameterInfo{"threshold", ParameterKind::quantity, Unit::dbm, "-80 dBm",
                      "peaks below this are not listed"},
        ParameterInfo{"prominence", ParameterKind::quantity, Unit::db, "6 dB",
                      "a peak stands out by at least this much from the valleys beside it"},
        gain_parameter,
        ParameterInfo{"peaks", ParameterKind::whole_number, Unit::none, "20", "peaks to list"},
    },
    spectrum_rows, gate_rows);

constexpr std::array spurious_traces{Product{
    "spurious", Unit::dbm, "power in the resolution bandwidth outside the excluded band, with the gain"}};
constexpr std::array spurious_products{
    Product{"highest_level", Unit::dbm, "highest level outside the excluded band"},
    Product{"highest_frequency", Unit::hertz, "where it stands"},
    Product{"peaks_found", Unit::count, "peaks above the threshold"},
};

CaptureSetup spurious_setup(const Parameters& p) {
    return spectrum_setup(p, p.required("start"), p.required("stop"));
}

void preset(const Rule& rule, Parameters& p) {
    if (const auto* line = rule.line()) {
        if (!p.has("start")) p.set_quantity("start", {line->from(), Unit::hertz});
        if (!p.has("stop") && std::isfinite(line->to())) p.set_quantity("stop", {line->to(), Unit::hertz});
    }
    preset_conditions(rule, p);
}

// The level at an end of the range that lies between two points: a parabola through the three nearest, exact
// for a line through a Gaussian filter in decibels. Otherwise the end's own half spacing would be left out.
void add_end(const Spectrum& s, double end, Spectrum& kept) {
    const auto& f = s.frequency_hz;
    const auto above = static_cast<std::size_t>(std::lower_bound(f.begin(), f.end(), end) - f.begin());
    if (above == 0 || above == f.size() || f.size() < 3 || f[above] <= end * (1 + 1e-12)) return;
    const bool lower = above + 1 == f.size() || (above >= 2 && end - f[above - 1] < f[above] - end);
    const std::size_t i = lower ? above - 2 : above - 1;
    double level = 0;
    for (std::size_t a = i; a < i + 3; ++a) {
        double weight = 1;
        for (std::size_t b = i; b < i + 3; ++b)
            if (b != a) weight *= (end - f[b]) / (f[a] - f[b]);
        level += weight * s.level[a];
    }
    const bool last = kept.frequency_hz.empty() || end > kept.frequency_hz.back();
    kept.frequency_hz.insert(last ? kept.frequency_hz.end() : kept.frequency_hz.begin(), end);
    kept.level.insert(last ? kept.level.end() : kept.level.begin(), level);
}

Outcome measure_spurious(Capture any, const Parameters& p) {
    const bool samples = std::holds_alternative<IqRecord>(any);
    Spectrum s = take_spectrum(std::move(any), "radio.spurious", p, {0, 0, 0, Detector::peak});
    const double start = p.number("start").value_or(s.frequency_hz.front());
    const double stop = p.number("stop").value_or(s.frequency_hz.back());
    const auto carrier = p.number("carrier");
    const double exclude = p.required("exclude"), gain = p.required("gain");
    if (exclude > 0 && !carrier)
        fail_input("parameter exclude needs parameter carrier: where the band left out lies");
    Spectrum kept = s;
    kept.frequency_hz.clear();
    kept.level.clear();
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        const double f = s.frequency_hz[i];
        if (f < start * (1 - 1e-12) || f > stop * (1 + 1e-12)) continue;
        if (carrier && exclude > 0 && std::abs(f - *carrier) < exclude / 2) continue;
        kept.frequency_hz.push_back(f);
        kept.level.push_back(s.level[i]);
    }
    const auto outside_exclusion = [&](double f) {
        return !carrier || exclude <= 0 || std::abs(f - *carrier) >= exclude / 2;
    };
    for (const double end : {start, stop}) {
        if (samples && !kept.level.empty() && outside_exclusion(end)) add_end(s, end, kept);
    }
    for (double& level : kept.level) level += gain;
    if (kept.level.empty()) fail_input("the trace has no point in the range outside the excluded band");
    Outcome outcome;
    const auto top = std::max_element(kept.level.begin(), kept.level.end());
    outcome.add("highest_level", *top, kept.unit);
    outcome.add("highest_frequency", kept.frequency_hz[static_cast<std::size_t>(top - kept.level.begin())],
                Unit::hertz);
    Table table{"peaks", "Spurious emission", {{"frequency", Unit::hertz}, {"level", kept.unit}}, {}};
    const double threshold = p.required("threshold");
    std::size_t found = 0;
    for (const auto& peak : find_peaks(kept.level, p.required("prominence"))) {
        if (peak.level < threshold) break;
        if (found++ < static_cast<std::size_t>(p.required("peaks"))) {
            table.rows.push_back({refined_x(kept.frequency_hz, kept.level, peak.at), peak.level});
        }
    }
    outcome.add("peaks_found", static_cast<double>(found), Unit::count);
    outcome.tables.push_back(std::move(table));
    if (carrier && exclude > 0) {
        outcome.notes.push_back("left out: " + format({exclude, Unit::hertz}) + " around " +
                                format({*carrier, Unit::hertz}));
    }
    Trace trace = trace_of(std::move(kept), "spurious", "Spurious emission");
    trace.log_x = trace.x.front() > 0 && trace.x.back() / trace.x.front() > 5;
    outcome.traces.push_back(std::move(trace));
    return outcome;
}

}  // namespace

// The spectrum without the band around the carrier, its peaks as a table. Trace `spurious` (dBm in the
// resolution bandwidth), results `highest_level`, `highest_frequency`, `peaks_found`.
Procedure spurious() {
    return {"radio.spurious",
            "Unwanted emission outside the band",
            "The spectrum of a range without the band around the carrier, and the peaks in it. Ranges with "
            "their own "
            "resolution bandwidth are tests of their own; a rule presets range and bandwidth.",
            spurious_parameters,
            spurious_traces,
            spurious_products,
            spurious_setup,
            measure_spurious,
            preset};
}

}  // namespace rt
