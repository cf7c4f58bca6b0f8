#include <algorithm>
#include <array>
#include <cmath>
#include <complex>

#include "core/base/error.hpp"
#include "core/dsp/fft.hpp"
#include "core/dsp/window.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/tone/sine_fit.hpp"
#include "core/measure/wave_source.hpp"

namespace rt {
namespace {

constexpr auto quality_parameters = joined(
    std::array{
        ParameterInfo{"frequency", ParameterKind::quantity, Unit::hertz, "",
                      "frequency of the tone; without it, the strongest one"},
        ParameterInfo{"harmonics", ParameterKind::whole_number, Unit::none, "10",
                      "highest harmonic that counts in thd, the fundamental being 1"},
        ParameterInfo{"lowest", ParameterKind::quantity, Unit::hertz, "20 Hz",
                      "lower end of the band for noise"},
        ParameterInfo{"highest", ParameterKind::quantity, Unit::hertz, "20 kHz",
                      "upper end of the band for harmonics and noise; at most half the sample rate"},
    },
    signal_rows);

constexpr std::array quality_traces{Product{"spectrum", Unit::db, "spectrum relative to the fundamental"}};
constexpr std::array quality_products{
    Product{"frequency", Unit::hertz, "frequency of the tone"},
    Product{"level", Unit::volt, "rms voltage of the fundamental"},
    Product{"level_db", Unit::db, "the same over 1 V rms (dBV)"},
    Product{"thd", Unit::percent, "rms of the harmonics over the rms of the fundamental"},
    Product{"thd_db", Unit::db, "the same in dB"},
    Product{"thd_n", Unit::percent, "rms of harmonics and noise over the rms of the whole signal"},
    Product{"thd_n_db", Unit::db, "the same in dB"},
    Product{"sinad", Unit::db, "whole signal over harmonics and noise"},
    Product{"snr", Unit::db, "fundamental over noise without harmonics"},
    Product{"offset", Unit::volt, "mean voltage"},
};

double db(double ratio) {
    return 20 * std::log10(std::max(ratio, 1e-15));
}

struct Bins {
    std::vector<double> power;  // mean square of each bin, one-sided
    double step_hz = 0;
    std::size_t reach = 0;  // bins to each side that a line spreads over
};

// The residual's power, bin by bin, with a window that keeps lines apart.
Bins spectrum_of(std::span<const double> x, double rate) {
    const std::size_t size = x.size() % 2 ? x.size() - 1 : x.size();
    const auto window = window_values(Window::blackman_harris, size);
    double squares = 0;
    std::vector<std::complex<double>> work(size);
    for (std::size_t i = 0; i < size; ++i) {
        work[i] = x[i] * window[i];
        squares += window[i] * window[i];
    }
    Fft<double> transform(size);
    transform(work.data());
    Bins out;
    out.step_hz = rate / static_cast<double>(size);
    out.reach = 4;
    for (std::size_t i = 0; i <= size / 2; ++i) {
        const double sides = i == 0 || i == size / 2 ? 1 : 2;
        out.power.push_back(sides * std::norm(work[i]) / squares / static_cast<double>(size));
    }
    return out;
}

double power_between(const Bins& bins, double low, double high) {
    double sum = 0;
    for (std::size_t i = 0; i < bins.power.size(); ++i) {
        const double f = static_cast<double>(i) * bins.step_hz;
        if (f >= low && f <= high) sum += bins.power[i];
    }
    return sum;
}

// Over the band that counts.
Trace relative_spectrum(std::span<const double> x, double rate, double fundamental_square, double lowest,
                        double highest) {
    const Bins bins = spectrum_of(x, rate);
    // A line's power spreads over the window's noise bandwidth of two bins: shown as the power of a line.
    Trace trace;
    trace.name = "spectrum";
    trace.title = "Level relative to the fundamental";
    trace.y_unit = Unit::db;
    trace.log_x = true;
    const double width = noise_bandwidth_bins(window_values(Window::blackman_harris, 4096));
    for (std::size_t i = 1; i < bins.power.size(); ++i) {
        const double f = static_cast<double>(i) * bins.step_hz;
        if (f < lowest || f > highest) continue;
        trace.x.push_back(f);
        trace.y.push_back(10 * std::log10(std::max(bins.power[i] * width / fundamental_square, 1e-20)));
    }
    return trace;
}

// The harmonics of a fit up to `highest`; their squares, without the fundamental, are added to `square`.
Table harmonics_of(const SineFit& fit, double highest, double& square) {
    Table table{
        "harmonics",
        "Harmonics",
        {{"order", Unit::none}, {"frequency", Unit::hertz}, {"level", Unit::volt}, {"relative", Unit::db}},
        {}};
    for (std::size_t h = 0; h < fit.amplitude.size(); ++h) {
        const double frequency = static_cast<double>(h + 1) * fit.frequency_hz;
        if (frequency > highest) break;
        const double rms = fit.amplitude[h] / std::sqrt(2.0);
        if (h > 0) square += rms * rms;
        table.rows.push_back(
            {static_cast<double>(h + 1), frequency, rms, db(fit.amplitude[h] / fit.amplitude[0])});
    }
    return table;
}

Outcome measure_quality(Capture any, const Parameters& p) {
    const Waveform wave = take_waveform(std::move(any), "tone.quality");
    const std::vector<double> volts = signal_of(wave, p).volts();
    const double rate = 1 / wave.step_s;
    const std::span<const double> x(volts);
    Outcome outcome;
    if (wave.distrust) outcome.invalid = *wave.distrust;
    const auto stated = p.number("frequency");
    const double near = stated ? *stated : strongest_tone(x, rate);
    if (!(near > 0)) {
        outcome.invalid = "the waveform holds no tone";
        return outcome;
    }
    const double seconds = static_cast<double>(x.size()) / rate;
    if (near * seconds < 5) {
        fail_input("the record of " + format({seconds, Unit::second}) + " holds fewer than five periods of " +
                   format({near, Unit::hertz}));
    }
    const double lowest = p.required("lowest"), highest = std::min(p.required("highest"), rate / 2);
    if (near > highest || near < lowest) {
        fail_input("the tone at " + format({near, Unit::hertz}) + " lies outside the band of " +
                   format({lowest, Unit::hertz}) + " to " + format({highest, Unit::hertz}));
    }
    const auto wanted = static_cast<std::size_t>(p.required("harmonics"));
    const SineFit fit = fit_sine(x, rate, near, std::max<std::size_t>(wanted, 1));
    const double fundamental = fit.amplitude[0] * fit.amplitude[0] / 2;
    const double disturbance = power_between(spectrum_of(without(x, rate, fit, 1), rate), lowest, highest);
    const double noise =
        std::max(power_between(spectrum_of(without(x, rate, fit, wanted), rate), lowest, highest), 1e-300);
    double harmonic = 0;
    Table table = harmonics_of(fit, highest, harmonic);
    const double whole = fundamental + disturbance;
    outcome.add("frequency", fit.frequency_hz, Unit::hertz);
    outcome.add("level", std::sqrt(fundamental), Unit::volt);
    outcome.add("level_db", db(std::sqrt(fundamental)), Unit::db);
    outcome.add("thd", 100 * std::sqrt(harmonic / fundamental), Unit::percent);
    outcome.add("thd_db", db(std::sqrt(harmonic / fundamental)), Unit::db);
    outcome.add("thd_n", 100 * std::sqrt(disturbance / whole), Unit::percent);
    outcome.add("thd_n_db", db(std::sqrt(disturbance / whole)), Unit::db);
    outcome.add("sinad", 10 * std::log10(whole / std::max(disturbance, 1e-300)), Unit::db);
    outcome.add("snr", 10 * std::log10(fundamental / noise), Unit::db);
    outcome.add("offset", fit.offset, Unit::volt);
    if (fundamental < disturbance) {
        outcome.invalid = "no tone: the strongest line, at " + format({fit.frequency_hz, Unit::hertz}) +
                          ", is weaker than all the rest";
    }
    outcome.tables.push_back(std::move(table));
    outcome.traces.push_back(relative_spectrum(x, rate, fundamental, lowest, highest));
    return outcome;
}

}  // namespace

// Level, frequency, THD, THD+N and SINAD of a sine (IEC 61606, IEEE Std 1241). Trace `spectrum`, table
// `harmonics`.
Procedure tone_quality() {
    return {
        "tone.quality",
        "Level and distortion of a tone",
        "Fits a sine with its harmonics to the samples (IEEE Std 1057) and sums what is left over the band: "
        "THD over "
        "the fundamental, THD+N over the whole signal, SINAD. Takes a waveform or a channel of a two-channel "
        "record.",
        quality_parameters,
        quality_traces,
        quality_products,
        waveform_setup,
        measure_quality,
        preset_named};
}

}  // namespace rt
