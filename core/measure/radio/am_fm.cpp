#include "core/measure/radio/am_fm.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/dsp/fft.hpp"
#include "core/dsp/fir.hpp"
#include "core/dsp/peaks.hpp"
#include "core/dsp/window.hpp"
#include "core/measure/iq_setup.hpp"

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
                   double rate) {
    Trace trace;
    trace.name = name;
    trace.title = title;
    trace.x_unit = Unit::second;
    trace.x_title = "Time";
    trace.y_unit = unit;
    const std::size_t step = v.size() / 20000 + 1;
    for (std::size_t i = 0; i < v.size(); i += step) {
        trace.x.push_back(static_cast<double>(i) / rate);
        trace.y.push_back(v[i] * scale);
    }
    return trace;
}

Outcome measure_am_fm(Capture any, const Parameters& p) {
    const IqRecord record = take_iq(std::move(any), "radio.am-fm");
    const double rate = record.sample_rate_hz;
    if (record.size() > 20000000) fail_input("the record has more than 20 million samples: cut out a part");
    constexpr std::uint64_t most_samples = 64'000'000;
    if (record.size() > most_samples) {
        fail_signal("the record has " + std::to_string(record.size()) +
                    " samples, this measurement takes at most " + std::to_string(most_samples) + ": record " +
                    format({static_cast<double>(most_samples) / record.sample_rate_hz, Unit::second}) +
                    " or less");
    }
    const auto samples = record.read(0, static_cast<std::size_t>(record.size()));
    const double shift = p.number("centre").value_or(record.centre_hz) - record.centre_hz;
    std::vector<Complex> x(samples.size());
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double cycles = shift * static_cast<double>(i) / rate;
        x[i] = Complex(samples[i]) * std::polar(1.0, -2 * std::numbers::pi * (cycles - std::floor(cycles)));
    }
    std::size_t cut = 0;
    if (const auto width = p.number("carrier_filter")) {
        if (*width >= rate) {
            fail_input("parameter carrier_filter: " + format({*width, Unit::hertz}) +
                       " is not below the sample rate of " + format({rate, Unit::hertz}));
        }
        const auto taps = low_pass(*width / 2, *width / 8, rate);
        x = filtered(x, taps);
        cut += taps.size() / 2;
    }
    std::vector<double> envelope, frequency;
    for (std::size_t i = 0; i < x.size(); ++i) {
        envelope.push_back(std::abs(x[i]));
        if (i > 0) frequency.push_back(std::arg(x[i] * std::conj(x[i - 1])) * rate / (2 * std::numbers::pi));
    }
    if (const auto cutoff = p.number("audio_filter")) {
        if (*cutoff >= rate / 2) fail_input("parameter audio_filter: must be below half the sample rate");
        const auto taps = low_pass(*cutoff, *cutoff / 4, rate);
        envelope = filtered(envelope, taps);
        frequency = filtered(frequency, taps);
        cut += taps.size() / 2;
    }
    if (2 * cut + 100 > x.size()) {
        fail_input("the record of " + std::to_string(x.size()) + " samples is too short for the filters");
    }
    envelope = inner(envelope, cut);
    frequency = inner(frequency, cut);
    Outcome outcome;
    const auto [low, high] = std::minmax_element(envelope.begin(), envelope.end());
    const double mean = mean_of(envelope), offset = mean_of(frequency);
    double power = 0;
    for (const double e : envelope) power += e * e;
    power /= static_cast<double>(envelope.size());
    if (power < 1e-20) outcome.invalid = "the record holds no signal";
    outcome.add("am_depth", 100 * (*high - *low) / (*high + *low), Unit::percent);
    outcome.add("am_depth_rms", 100 * std::numbers::sqrt2 * rms_about(envelope, mean) / mean, Unit::percent);
    outcome.add("am_frequency", strongest(envelope, rate), Unit::hertz);
    const auto [lowest, highest] = std::minmax_element(frequency.begin(), frequency.end());
    outcome.add("fm_deviation", (*highest - *lowest) / 2, Unit::hertz);
    outcome.add("fm_deviation_plus", *highest - offset, Unit::hertz);
    outcome.add("fm_deviation_minus", offset - *lowest, Unit::hertz);
    outcome.add("fm_deviation_rms", rms_about(frequency, offset), Unit::hertz);
    outcome.add("fm_frequency", strongest(frequency, rate), Unit::hertz);
    outcome.add("carrier_offset", offset, Unit::hertz);
    outcome.results.push_back({"carrier_power", level_of(record, mean * mean), {}});
    outcome.results.push_back({"mean_power", level_of(record, power), {}});
    outcome.traces.push_back(
        against_time("envelope", "Envelope over its mean", Unit::none, envelope, 1 / mean, rate));
    outcome.traces.push_back(against_time("frequency", "Frequency", Unit::hertz, frequency, 1, rate));
    note_reference(record, outcome);
    return outcome;
}

}  // namespace

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
