#include "core/serial/distortion.hpp"

#include <array>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/serial/source.hpp"

namespace rt {
namespace {

constexpr auto distortion_parameters = joined(
    std::array{
        ParameterInfo{"symbol_rate", ParameterKind::quantity, Unit::hertz, "",
                      "nominal symbol rate; the sequence is found within 200 ppm of it"},
        ParameterInfo{"levels", ParameterKind::choice, Unit::none, "3",
                      "of the test sequence: 3 for single-pair Ethernet, 5 for 1000BASE-T", "3 5"},
        ParameterInfo{
            "disturber", ParameterKind::quantity, Unit::hertz, "",
            "frequency of the sine that is sent against the transmitter; without it none is taken out"},
        ParameterInfo{"fit_symbols", ParameterKind::whole_number, Unit::none, "128",
                      "length of the linear channel that is taken out, in symbols"},
        ParameterInfo{"phases", ParameterKind::whole_number, Unit::none, "10",
                      "places in the symbol that are looked at; the standards ask for 10 or more"},
        ParameterInfo{"average", ParameterKind::choice, Unit::none, "no",
                      "whether what each symbol of the sequence leaves is averaged over all periods in the "
                      "record: noise goes, distortion stays",
                      "no yes"},
    },
    signal_rows);

constexpr std::array distortion_traces{
    Product{"distortion", Unit::volt, "what is left at the worst phase, against time"},
    Product{"phases", Unit::volt, "peak distortion at each phase of the symbol"},
    Product{"undisturbed_distortion", Unit::volt, "what is left of the record without the disturber"},
    Product{"undisturbed_phases", Unit::volt, "its peak distortion at each phase"}};
constexpr std::array distortion_products{
    Product{"peak_distortion", Unit::volt, "largest of all phases and symbols"},
    Product{"distortion_rms", Unit::volt, "rms at the phase with the peak"},
    Product{"peak_distortion_at", Unit::second, "where it stands in the record"},
    Product{"symbol_rate", Unit::hertz, "of the sequence"},
    Product{"rate_error", Unit::ppm, "its deviation from the nominal rate"},
    Product{"disturber_amplitude", Unit::volt, "peak to peak voltage of the disturber"},
    Product{"disturber_frequency", Unit::hertz, "its frequency"},
    Product{"linear_share", Unit::percent,
            "of the power (without disturber) that the linear channel explains"},
    Product{"undisturbed_distortion", Unit::volt,
            "peak distortion of the record without the disturber, where there is one"},
    Product{"disturber_effect", Unit::volt, "by how much the disturber raises the peak distortion"},
    Product{"periods", Unit::count, "periods of the sequence that were gone through"},
    Product{"symbols", Unit::count, "symbols in them"},
    Product{"noise_rms", Unit::volt,
            "rms of what differs from period to period at the phase with the peak; of two periods or more"},
};

DistortionSettings settings_of(const Signal& signal, const Parameters& p) {
    DistortionSettings settings;
    settings.symbol_rate_hz = p.required("symbol_rate");
    if (!(settings.symbol_rate_hz > 0)) fail_input("parameter symbol_rate: must be above 0 Hz");
    if (settings.symbol_rate_hz * signal.step_s > 0.5) {
        fail_input("the record has " +
                   format({1 / (settings.symbol_rate_hz * signal.step_s), Unit::none}, 2) +
                   " samples in a symbol, at least 2 are needed");
    }
    settings.levels = p.text("levels")[0] - '0';
    settings.disturber_hz = p.number("disturber");
    if (settings.disturber_hz && !(*settings.disturber_hz > 0))
        fail_input("parameter disturber: must be above 0 Hz");
    const double fit = p.required("fit_symbols");
    if (!(fit >= 24 && fit <= 1000)) fail_input("parameter fit_symbols: 24 to 1000 are possible");
    settings.fit_symbols = static_cast<std::size_t>(fit);
    const double places = p.required("phases");
    if (!(places >= 1 && places <= 1000)) fail_input("parameter phases: 1 to 1000 are possible");
    settings.phases = static_cast<std::size_t>(places);
    settings.average = p.text("average") == "yes";
    return settings;
}

// Throws Error(signal) for a disturber that is not there, and for an average of one period.
void require_usable(const Distortion& seen, const DistortionSettings& settings) {
    if (settings.disturber_hz && seen.disturber_v < 0.02) {
        fail_signal("expected: a disturber at " + format({*settings.disturber_hz, Unit::hertz}) +
                    "; seen: " + format({2 * seen.disturber_v, Unit::volt}, 3) +
                    " peak to peak there: switch the generator on, or leave the parameter disturber out");
    }
    if (settings.average && seen.periods == 1)
        fail_signal("nothing to average: the record holds one period of the sequence, " +
                    format({2047 / settings.symbol_rate_hz, Unit::second}) + "; record longer");
}

void add_results(const Distortion& seen, const DistortionSettings& settings, double from_s,
                 Outcome& outcome) {
    outcome.add("peak_distortion", seen.peak_v, Unit::volt);
    outcome.add("distortion_rms", seen.rms_v, Unit::volt);
    outcome.add("peak_distortion_at", seen.peak_at_s + from_s, Unit::second);
    outcome.add("symbol_rate", seen.rate_hz, Unit::hertz);
    outcome.add("rate_error", 1e6 * (seen.rate_hz / settings.symbol_rate_hz - 1), Unit::ppm);
    if (settings.disturber_hz) {
        outcome.add("disturber_amplitude", 2 * seen.disturber_v, Unit::volt);
        outcome.add("disturber_frequency", seen.disturber_hz, Unit::hertz);
    }
    outcome.add("linear_share", 100 * seen.linear_share, Unit::percent);
    outcome.add("periods", static_cast<double>(seen.periods), Unit::count);
    outcome.add("symbols", static_cast<double>(seen.periods * 2047), Unit::count);
    if (seen.periods > 1) outcome.add("noise_rms", seen.noise_v, Unit::volt);
}

// Judged is the peak of these curves.
void add_traces(const Distortion& seen, double from_s, Outcome& outcome) {
    constexpr const char* judged = "peak_distortion";
    std::vector<double> time = seen.time_s;
    for (double& t : time) t += from_s;
    outcome.traces.push_back(
        trace_over_time("distortion", "Distortion at the worst phase", Unit::volt, time, seen.error_v));
    outcome.traces.back().shows = judged;
    Trace phases;
    phases.shows = judged;
    phases.name = "phases";
    phases.title = "Peak distortion";
    phases.x_unit = Unit::unit_interval;
    phases.x_title = "Place in the symbol";
    phases.y_unit = Unit::volt;
    for (std::size_t k = 0; k < seen.phase_peak_v.size(); ++k) {
        phases.x.push_back(static_cast<double>(k) / static_cast<double>(seen.phase_peak_v.size()));
        phases.y.push_back(seen.phase_peak_v[k]);
    }
    outcome.traces.push_back(std::move(phases));
}

Outcome measure_distortion(Capture any, const Parameters& p) {
    const Signal signal = signal_of(take_waveform(std::move(any), "ethernet.distortion"), p);
    const DistortionSettings settings = settings_of(signal, p);
    // What 64 periods of the sequence need, and the interpolation at both ends.
    const double wanted = (64 * 2047 + 4) / settings.symbol_rate_hz / signal.step_s * 1.001 + 64;
    std::vector<float> volts(
        static_cast<std::size_t>(std::min<std::uint64_t>(signal.size(), static_cast<std::uint64_t>(wanted))));
    signal.samples->read(0, volts);
    const Distortion seen = transmitter_distortion(volts, signal.step_s, settings);
    require_usable(seen, settings);
    Outcome outcome;
    add_results(seen, settings, signal.from_s, outcome);
    add_traces(seen, signal.from_s, outcome);
    if (settings.average) {
        outcome.notes.push_back("averaged over " + std::to_string(seen.periods) +
                                " periods: what does not repeat with the sequence is not in the peak");
    }
    if (settings.phases < 10)
        outcome.notes.push_back("the standards ask for 10 phases of the symbol or more");
    outcome.notes.push_back(
        "a linear channel of " + std::to_string(settings.fit_symbols) +
        " symbols was taken out; the standards' own code fixes its length, which is not surely known here");
    if (!settings.disturber_hz) outcome.notes.push_back("no disturber was taken out");
    return outcome;
}

constexpr std::array distortion_inputs{
    InputInfo{"disturbed", "the record, with the disturber where the standard asks for one"},
    InputInfo{"undisturbed", "the same without the disturber", false}};

// With and without the disturber: what it adds to the distortion is what the transmitter does to it.
Outcome measure_both(Inputs inputs, const Parameters& p) {
    Outcome outcome = measure_distortion(inputs.take_first(), p);
    if (inputs.all().size() == 1) return outcome;
    if (!p.has("disturber"))
        fail_input("two records are compared with and without a disturber: give the parameter disturber");
    Parameters quiet(p.known());
    for (const auto& [name, text] : p.texts()) {
        if (name == "disturber") continue;
        p.stated(name) ? quiet.set(name, text) : quiet.set_default(name, text);
    }
    Outcome without = measure_distortion(inputs.take("undisturbed"), quiet);
    if (without.invalid) {
        outcome.invalid = "undisturbed: " + *without.invalid;
        return outcome;
    }
    const double peak = without.find_result("peak_distortion")->value.value;
    outcome.add("undisturbed_distortion", peak, Unit::volt);
    outcome.add("disturber_effect", outcome.find_result("peak_distortion")->value.value - peak, Unit::volt);
    for (auto& trace : without.traces) {
        trace.name = "undisturbed_" + trace.name;
        trace.title += " without the disturber";
        trace.shows = "undisturbed_distortion";
        outcome.traces.push_back(std::move(trace));
    }
    return outcome;
}

}  // namespace

Procedure ethernet_distortion() {
    return {
        "ethernet.distortion",
        "Distortion of a transmitter that sends its test sequence",
        "2047 symbols of 1 + x^9 + x^11 are found in the record; least squares take the linear channel, a "
        "constant and the disturber out. What is left, at ten phases of the symbol, is distortion (IEEE "
        "802.3 "
        "40.6.1.2.4, 96.5.4.2, 97.5.3.2). Another signal has no verdict.",
        distortion_parameters,
        distortion_traces,
        distortion_products,
        waveform_setup,
        nullptr,
        preset_named,
        nullptr,
        false,
        distortion_inputs,
        measure_both};
}

}  // namespace rt
