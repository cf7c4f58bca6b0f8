// radio.am-fm: depth and deviation of analogue modulation.
#include "core/measure/procedure.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/dsp/fft.hpp"
#include "core/dsp/fir.hpp"
#include "core/dsp/noise.hpp"
#include "core/dsp/peaks.hpp"
#include "core/dsp/window.hpp"
#include "core/measure/iq_setup.hpp"
#include "core/measure/tone/sine_fit.hpp"

namespace rt {
namespace {

using Complex = std::complex<double>;

constexpr std::array am_fm_parameters{
    iq_centre_parameter,
    ParameterInfo{"carrier_filter", ParameterKind::quantity, Unit::hertz, "",
                  "width of the filter around the carrier before demodulation; without it, none"},
    ParameterInfo{"audio_filter", ParameterKind::quantity, Unit::hertz, "",
                  "cut-off of the low-pass behind the demodulator; without it, none"},
    ParameterInfo{"sample_rate", ParameterKind::quantity, Unit::hertz, "1 MHz",
                  "complex samples per second that the analyser records"},
    ParameterInfo{"duration", ParameterKind::quantity, Unit::second, "50 ms",
                  "how long the analyser records"},
    iq_reference_parameter,
    from_parameter,
    to_parameter,
};

constexpr std::array am_fm_traces{Product{"envelope", Unit::none, "envelope over its mean against time"},
                                  Product{"frequency", Unit::hertz, "frequency against time, from the mean"}};
constexpr std::array am_fm_products{
    Product{"am_depth", Unit::percent, "(highest - lowest) over (highest + lowest) envelope"},
    Product{"am_depth_rms", Unit::percent, "depth of the sine with the same rms"},
    Product{"am_frequency", Unit::hertz, "strongest frequency in the envelope"},
    Product{"fm_deviation", Unit::hertz, "half of the distance between highest and lowest frequency"},
    Product{"fm_deviation_plus", Unit::hertz, "highest frequency above the mean"},
    Product{"fm_deviation_minus", Unit::hertz, "lowest frequency below the mean"},
    Product{"fm_deviation_rms", Unit::hertz, "rms of the frequency about its mean"},
    Product{"fm_frequency", Unit::hertz, "strongest frequency in the frequency"},
    Product{"carrier_offset", Unit::hertz, "mean frequency minus the frequency meant"},
    Product{"carrier_power", Unit::dbm, "power of the mean envelope"},
    Product{"mean_power", Unit::dbm, "mean power"},
};

double mean_of(const std::vector<double>& v) {
    double sum = 0;
    for (const double x : v) sum += x;
    return sum / static_cast<double>(v.size());
}

// The strongest line of a signal without its mean.
double strongest(const std::vector<double>& v, double rate) {
    const std::size_t size = fast_size(v.size());
    const auto window = window_values(Window::hann, v.size());
    const double mean = mean_of(v);
    std::vector<Complex> work(size);
    for (std::size_t i = 0; i < v.size(); ++i) work[i] = (v[i] - mean) * window[i];
    Fft<double> transform(size);
    transform(work.data());
    std::vector<double> x, level;
    for (std::size_t i = 0; i < size / 2; ++i) {
        x.push_back(static_cast<double>(i) * rate / static_cast<double>(size));
        level.push_back(20 * std::log10(std::max(std::abs(work[i]), 1e-30)));
    }
    const auto top =
        static_cast<std::size_t>(std::max_element(level.begin() + 1, level.end()) - level.begin());
    return refined_x(x, level, top);
}

double rms_about(const std::vector<double>& v, double mean) {
    double sum = 0;
    for (const double x : v) sum += (x - mean) * (x - mean);
    return std::sqrt(sum / static_cast<double>(v.size()));
}

// Without the ends, where filters do not see the whole signal.
std::vector<double> inner(const std::vector<double>& v, std::size_t cut) {
    return {v.begin() + static_cast<std::ptrdiff_t>(cut), v.end() - static_cast<std::ptrdiff_t>(cut)};
}

Trace against_time(const char* name, const char* title, Unit unit, const std::vector<double>& v, double scale,
                   double rate, double from_s) {
    Trace trace;
    trace.name = name;
    trace.title = title;
    trace.x_unit = Unit::second;
    trace.x_title = "Time";
    trace.y_unit = unit;
    const std::size_t step = v.size() / 20000 + 1;
    for (std::size_t i = 0; i < v.size(); i += step) {
        trace.x.push_back(from_s + static_cast<double>(i) / rate);
        trace.y.push_back(v[i] * scale);
    }
    return trace;
}

// Where the signal is off: a block of a fiftieth of the record with less than a tenth of the upper quartile's
// power whose samples do not follow from each other, as those of a signal do, also of one whose envelope
// falls.
std::optional<double> off_at(const std::vector<Complex>& x, double rate) {
    constexpr std::size_t blocks = 50;
    constexpr double weak = 0.1, following = 0.5;
    const std::size_t length = x.size() / blocks;
    if (length < 32) return std::nullopt;
    std::vector<double> power(blocks), follows(blocks);
    for (std::size_t b = 0; b < blocks; ++b) {
        Complex product = 0;
        for (std::size_t i = b * length; i + 1 < (b + 1) * length; ++i) {
            power[b] += std::norm(x[i]);
            product += x[i + 1] * std::conj(x[i]);
        }
        follows[b] = std::abs(product) / std::max(power[b], 1e-300);
    }
    auto sorted = power;
    std::sort(sorted.begin(), sorted.end());
    const double usual = sorted[3 * blocks / 4];
    for (std::size_t b = 0; b < blocks; ++b) {
        if (power[b] < weak * usual && follows[b] < following) return static_cast<double>(b * length) / rate;
    }
    return std::nullopt;
}

// The mean of a modulation over whole periods. Of a tone and its harmonics it is that of their fit; otherwise
// the mean of as many whole periods of the strongest line as there are.
struct Mean {
    double value = 0, rms = 0;  // rms about it
};

Mean mean_over_periods(const std::vector<double>& v, double rate, double line_hz) {
    Mean out{mean_of(v), 0};
    out.rms = rms_about(v, out.value);
    const double periods = static_cast<double>(v.size()) / rate * line_hz;
    if (!(out.rms > 0) || periods < 1 || line_hz > rate / 8) return out;
    constexpr std::size_t harmonics = 5, fit_most = 1 << 20;
    constexpr double left = 0.01;
    if (v.size() <= fit_most && periods >= 1.5) {
        const SineFit fit = fit_sine(v, rate, line_hz, harmonics);
        double square = 0;
        for (const double a : fit.amplitude) square += a * a / 2;
        const bool near = std::abs(fit.frequency_hz - line_hz) < 0.5 * rate / static_cast<double>(v.size());
        if (near && fit.residual_square < left * square)
            return {fit.offset, std::sqrt(square + fit.residual_square)};
    }
    const auto whole = static_cast<std::size_t>(std::floor(periods) / line_hz * rate);
    const std::vector<double> part(v.begin(),
                                   v.begin() + static_cast<std::ptrdiff_t>(std::min(whole, v.size())));
    out.value = mean_of(part);
    out.rms = rms_about(part, out.value);
    return out;
}

// How many steps of the phase come so near to half a turn that the frequency folds, where there is a signal.
std::size_t folds(const std::vector<Complex>& x, double mean) {
    constexpr double near_half = 0.95 * std::numbers::pi, there = 0.3;
    std::size_t count = 0;
    for (std::size_t i = 1; i < x.size(); ++i) {
        if (std::abs(x[i]) < there * mean || std::abs(x[i - 1]) < there * mean) continue;
        count += std::abs(std::arg(x[i] * std::conj(x[i - 1]))) > near_half;
    }
    return count;
}

// Envelope and frequency behind the filters, the samples that these have not settled for cut off.
struct Demodulated {
    std::vector<Complex> x;  // at the carrier, behind carrier_filter
    std::vector<double> envelope, frequency;
    std::size_t cut = 0;  // samples left out at either end
};

std::vector<Complex> at_carrier(const IqRecord& record, const Parameters& p, std::size_t& cut) {
    const double rate = record.sample_rate_hz;
    if (record.size() > 20000000) fail_input("the record has more than 20 million samples: cut out a part");
    const auto samples = record.read(0, static_cast<std::size_t>(record.size()));
    const double shift = p.number("centre").value_or(record.centre_hz) - record.centre_hz;
    std::vector<Complex> x(samples.size());
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double cycles = shift * static_cast<double>(i) / rate;
        x[i] = Complex(samples[i]) * std::polar(1.0, -2 * std::numbers::pi * (cycles - std::floor(cycles)));
    }
    if (const auto width = p.number("carrier_filter")) {
        if (*width >= rate) {
            fail_input("parameter carrier_filter: " + format({*width, Unit::hertz}) +
                       " is not below the sample rate of " + format({rate, Unit::hertz}));
        }
        const auto taps = low_pass(*width / 2, *width / 8, rate);
        x = filtered(x, taps);
        cut += taps.size() / 2;
    }
    return x;
}

Demodulated demodulated(const IqRecord& record, const Parameters& p) {
    const double rate = record.sample_rate_hz;
    Demodulated out;
    out.x = at_carrier(record, p, out.cut);
    const auto& x = out.x;
    if (flat_as_noise(record)) fail_signal("nothing but noise: no carrier to demodulate");
    if (const auto off = off_at(x, rate)) {
        fail_signal("the carrier is off at " + format({record.from_s + *off, Unit::second}, 3) +
                    " of the record: name the time in which it is on with from and to");
    }
    for (std::size_t i = 0; i < x.size(); ++i) {
        out.envelope.push_back(std::abs(x[i]));
        if (i > 0)
            out.frequency.push_back(std::arg(x[i] * std::conj(x[i - 1])) * rate / (2 * std::numbers::pi));
    }
    if (const auto cutoff = p.number("audio_filter")) {
        if (*cutoff >= rate / 2) fail_input("parameter audio_filter: must be below half the sample rate");
        const auto taps = low_pass(*cutoff, *cutoff / 4, rate);
        out.envelope = filtered(out.envelope, taps);
        out.frequency = filtered(out.frequency, taps);
        out.cut += taps.size() / 2;
    }
    if (2 * out.cut + 100 > x.size()) {
        fail_input("the record of " + std::to_string(x.size()) + " samples is too short for the filters");
    }
    out.envelope = inner(out.envelope, out.cut);
    out.frequency = inner(out.frequency, out.cut);
    return out;
}

// Throws Error(signal) for what folds, and for an envelope of less than one and a half periods, of which
// neither the depth nor the mean is known.
void require_measurable(const Demodulated& d, double rate, double am_hz, double low, double high) {
    if (const std::size_t count = folds(d.x, mean_of(d.envelope)); count > 0) {
        fail_signal(
            "the frequency folds at " + std::to_string(count) +
            " samples: it comes near half the sample rate; record with a higher one, or set carrier_filter "
            "where it is noise");
    }
    constexpr double fewest_periods = 1.5, least_depth = 0.01;
    const double seconds = static_cast<double>(d.envelope.size()) / rate;
    if ((high - low) > least_depth * (high + low) && am_hz * seconds < fewest_periods) {
        fail_signal(
            "the envelope changes slower than the record can tell: it holds less than one and a half "
            "periods of it; record longer than " +
            format({fewest_periods / std::max(am_hz, 1 / seconds), Unit::second}, 3));
    }
}

Outcome measure_am_fm(Capture any, const Parameters& p) {
    const IqRecord record = take_iq(std::move(any), "radio.am-fm", p);
    const double rate = record.sample_rate_hz;
    const Demodulated d = demodulated(record, p);
    Outcome outcome;
    const auto [low, high] = std::minmax_element(d.envelope.begin(), d.envelope.end());
    const double am_hz = strongest(d.envelope, rate), fm_hz = strongest(d.frequency, rate);
    const Mean am = mean_over_periods(d.envelope, rate, am_hz),
               fm = mean_over_periods(d.frequency, rate, fm_hz);
    const double mean = am.value, offset = fm.value;
    require_measurable(d, rate, am_hz, *low, *high);
    double power = 0;
    for (const double e : d.envelope) power += e * e;
    power /= static_cast<double>(d.envelope.size());
    if (power < 1e-20) outcome.invalid = "the record holds no signal";
    outcome.add("am_depth", 100 * (*high - *low) / (*high + *low), Unit::percent);
    outcome.add("am_depth_rms", 100 * std::numbers::sqrt2 * am.rms / mean, Unit::percent);
    outcome.add("am_frequency", am_hz, Unit::hertz);
    const auto [lowest, highest] = std::minmax_element(d.frequency.begin(), d.frequency.end());
    outcome.add("fm_deviation", (*highest - *lowest) / 2, Unit::hertz);
    outcome.add("fm_deviation_plus", *highest - offset, Unit::hertz);
    outcome.add("fm_deviation_minus", offset - *lowest, Unit::hertz);
    outcome.add("fm_deviation_rms", fm.rms, Unit::hertz);
    outcome.add("fm_frequency", fm_hz, Unit::hertz);
    outcome.add("carrier_offset", offset, Unit::hertz);
    outcome.results.push_back({"carrier_power", level_of(record, mean * mean), {}});
    outcome.results.push_back({"mean_power", level_of(record, power), {}});
    const double begin = record.from_s + static_cast<double>(d.cut) / rate;
    outcome.traces.push_back(
        against_time("envelope", "Envelope over its mean", Unit::none, d.envelope, 1 / mean, rate, begin));
    outcome.traces.push_back(
        against_time("frequency", "Frequency", Unit::hertz, d.frequency, 1, rate, begin + 0.5 / rate));
    note_reference(record, outcome);
    return outcome;
}

}  // namespace

// AM depth from the highest and lowest envelope, FM deviation from the highest and lowest frequency, both
// after a low-pass; modulating frequency, carrier offset and power. Traces `envelope`, `frequency`.
Procedure am_fm() {
    return {"radio.am-fm",
            "AM depth and FM deviation",
            "Demodulates complex samples: envelope and frequency against time, after the filters chosen. "
            "Noise widens "
            "the peak values: use a filter, or the rms values.",
            am_fm_parameters,
            am_fm_traces,
            am_fm_products,
            iq_setup,
            measure_am_fm,
            preset_named};
}

}  // namespace rt
