#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/serial/bits.hpp"
#include "core/measure/serial/parts.hpp"
#include "core/serial/jitter.hpp"
#include "core/serial/pattern.hpp"

namespace rt {
namespace {

constexpr auto jitter_products =
    products(jitter_results, std::array{Product{"edges", Unit::count, "edges that were taken"}});
constexpr auto jitter_parameters = joined(jitter_rows_own, clock_rows, edge_rows, signal_rows);

Trace histogram_of(const Clock& clock) {
    Trace trace;
    trace.name = "histogram";
    trace.title = "Edges";
    trace.x_unit = Unit::second;
    trace.x_title = "Edge minus clock";
    trace.y_unit = Unit::count;
    trace.shape = Shape::bars;
    const auto jitter = clock.settled_jitter_s();
    const auto [low, high] = std::minmax_element(jitter.begin(), jitter.end());
    constexpr std::size_t bins = 101;
    const double width = std::max((*high - *low) / bins, 1e-18);
    trace.y.assign(bins, 0);
    for (std::size_t i = 0; i < bins; ++i) trace.x.push_back(*low + (static_cast<double>(i) + 0.5) * width);
    for (const double j : jitter) ++trace.y[std::min(bins - 1, static_cast<std::size_t>((j - *low) / width))];
    return trace;
}

Trace bathtub_trace(const Bathtub& tub, double ratio) {
    Trace trace;
    trace.name = "bathtub";
    trace.title = "Error ratio (log10)";
    trace.x_unit = Unit::unit_interval;
    trace.x_title = "Place of sampling";
    trace.y_unit = Unit::none;
    trace.x = tub.place_ui;
    for (const double here : tub.error_ratio) trace.y.push_back(std::log10(here));
    trace.companions.push_back(
        {"error ratio asked for", std::vector<double>(trace.x.size(), std::log10(ratio))});
    return trace;
}

void add_model(const JitterSplit& split, const Clock& clock, double ratio, Outcome& outcome) {
    if (!split.model) {
        outcome.notes.push_back("random and total jitter are not told: " + std::to_string(split.edges) +
                                " edges are too few for a fit of the tails, at least 10000 are needed");
        return;
    }
    const DualDirac& model = *split.model;
    const double total = model.total_s(ratio);
    outcome.add("total_jitter", total, Unit::second);
    outcome.add("total_jitter_ui", total * clock.rate_hz, Unit::unit_interval);
    outcome.add("random_jitter", model.random_s, Unit::second);
    outcome.add("deterministic_jitter", model.deterministic_s, Unit::second);
    const Bathtub tub = bathtub(model, clock.interval_s(), ratio);
    outcome.add("eye_opening", tub.open_ui, Unit::unit_interval);
    outcome.add("extrapolated_error_ratio", tub.least_ratio, Unit::none);
    outcome.traces.push_back(bathtub_trace(tub, ratio));
    const double uneven = std::abs(model.early.sigma_s - model.late.sigma_s) / model.random_s;
    if (uneven > 0.5) {
        outcome.notes.push_back(
            "the two tails have different widths, " + format({model.early.sigma_s, Unit::second}) + " and " +
            format({model.late.sigma_s, Unit::second}) + ": the model of two equal Gaussians fits badly");
    }
}

Outcome measure_jitter(Capture any, const Parameters& p) {
    const SerialSource source = serial_source(std::move(any), "serial.jitter", p);
    const Clock clock = clock_of(source, p);
    Outcome outcome;
    add_jitter(source, clock, p, outcome);
    outcome.add("edges", static_cast<double>(clock.settled_jitter_s().size()), Unit::count);
    note_clock(source, clock, p, outcome);
    return outcome;
}

}  // namespace

void add_jitter(const SerialSource& source, const Clock& clock, const Parameters& p, Outcome& outcome) {
    JitterSettings settings;
    settings.error_ratio = p.required("error_ratio");
    if (!(settings.error_ratio > 0 && settings.error_ratio < 0.1))
        fail_input("parameter error_ratio: above 0 and below 0.1 are possible");
    settings.line_db = p.required("line_height");
    if (const auto length = p.number("pattern_length")) {
        settings.pattern = static_cast<std::size_t>(*length);
    } else {
        constexpr std::size_t longest = 4096, enough = 1 << 18;
        settings.pattern = repetition(bits_of(source.edges, clock, enough), longest).value_or(0);
    }
    // Places of the pattern need several turns each to have a mean.
    if (settings.pattern > 0 && clock.bit.back() < 8 * settings.pattern) settings.pattern = 0;
    const JitterSplit split = split_jitter(clock, source.edges, settings);
    outcome.add("jitter_rms", split.rms_s, Unit::second);
    outcome.add("jitter_peak_to_peak", split.peak_to_peak_s, Unit::second);
    outcome.traces.push_back(histogram_of(clock));
    add_model(split, clock, settings.error_ratio, outcome);
    outcome.add("duty_cycle_distortion", split.duty_cycle_s, Unit::second);
    if (split.data_dependent_s) {
        outcome.add("data_dependent_jitter", *split.data_dependent_s, Unit::second);
        outcome.add("pattern_symbols", static_cast<double>(settings.pattern), Unit::count);
        Trace places;
        places.name = "pattern_jitter";
        places.title = "Mean jitter";
        places.x_unit = Unit::none;
        places.x_title = "Symbol of the pattern";
        places.y_unit = Unit::second;
        places.shape = Shape::dots;
        for (std::size_t i = 0; i < split.by_place_s.size(); ++i) {
            if (std::isnan(split.by_place_s[i])) continue;
            places.x.push_back(static_cast<double>(i));
            places.y.push_back(split.by_place_s[i]);
        }
        outcome.traces.push_back(std::move(places));
    } else {
        outcome.notes.push_back(
            "no repeating pattern: data-dependent jitter is part of the deterministic jitter");
    }
    if (!split.lines.empty()) {
        outcome.add("periodic_jitter", 2 * split.lines.front().amplitude_s, Unit::second);
        outcome.add("periodic_frequency", split.lines.front().frequency_hz, Unit::hertz);
        Table table{"components",
                    "Sinusoidal components",
                    {{"frequency", Unit::hertz}, {"peak_to_peak", Unit::second}},
                    {}};
        for (const auto& line : split.lines) table.rows.push_back({line.frequency_hz, 2 * line.amplitude_s});
        outcome.tables.push_back(std::move(table));
    }
    Trace spectrum = trace_over_time("jitter_spectrum", "Amplitude of jitter", Unit::second,
                                     split.spectrum_hz, split.spectrum_s);
    spectrum.x_unit = Unit::hertz;
    spectrum.x_title = "";
    spectrum.log_x = true;
    outcome.traces.push_back(std::move(spectrum));
}

Procedure serial_jitter() {
    return {"serial.jitter",
            "Jitter of a serial signal and what it is made of",
            "Dual-Dirac model by a fit of Gaussian tails, at least 10,000 edges; duty-cycle distortion; "
            "data-dependent jitter on repeating patterns; sinusoidal components out of the spectrum of what "
            "is left; "
            "bathtub with a transition density of 0.5.",
            jitter_parameters,
            jitter_traces,
            jitter_products,
            waveform_setup,
            measure_jitter,
            preset_named};
}

}  // namespace rt
