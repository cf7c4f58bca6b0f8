#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/tone/sine_fit.hpp"
#include "core/measure/wave_source.hpp"

namespace rt {
namespace {

constexpr auto response_parameters = joined(
    std::array{
        ParameterInfo{"reference_frequency", ParameterKind::quantity, Unit::hertz, "1 kHz",
                      "the response is 0 dB here (between points, along a line in dB against log frequency)"},
        ParameterInfo{
            "piece", ParameterKind::quantity, Unit::second, "20 ms",
            "length of the pieces in which level and frequency are measured; a step of the tone lasts "
            "several. Low "
            "frequencies are measured in pieces three and six times as long"},
        ParameterInfo{"steadiness", ParameterKind::quantity, Unit::percent, "1 %",
                      "a piece counts when its frequency differs by at most this from its neighbour's"},
    },
    signal_rows);

constexpr std::array response_traces{
    Product{"response", Unit::db, "level relative to that at the reference frequency"}};
constexpr std::array response_products{
    Product{"highest", Unit::db, "highest response"},
    Product{"lowest", Unit::db, "lowest response"},
    Product{"lowest_frequency", Unit::hertz, "lowest frequency of the sweep"},
    Product{"highest_frequency", Unit::hertz, "highest frequency of the sweep"},
    Product{"reference_voltage", Unit::volt, "rms voltage at the reference frequency"},
    Product{"points", Unit::count, "frequencies measured"},
};

struct Step {
    double frequency, level_db;
};

// Frequency of a pure tone from the zero crossings of its samples without their mean.
double by_crossings(std::span<const double> x, double rate) {
    double mean = 0;
    for (const double v : x) mean += v;
    mean /= static_cast<double>(x.size());
    double first = -1, last = -1;
    std::size_t count = 0;
    for (std::size_t i = 1; i < x.size(); ++i) {
        const double a = x[i - 1] - mean, b = x[i] - mean;
        if ((a < 0) == (b < 0)) continue;
        last = static_cast<double>(i) - b / (b - a);
        if (count++ == 0) first = last;
    }
    return count < 3 ? 0 : static_cast<double>(count - 1) / 2 / (last - first) * rate;
}

// A tone of at least two periods in each piece; a piece without one, or with more than one, has frequency 0.
std::vector<Step> pieces(std::span<const double> x, double rate, std::size_t length) {
    std::vector<Step> out;
    for (std::size_t at = 0; at + length <= x.size(); at += length) {
        const auto part = x.subspan(at, length);
        const double near = by_crossings(part, rate);
        out.push_back({0, 0});
        if (near * static_cast<double>(length) / rate < 2 || near > 0.49 * rate) continue;
        const SineFit fit = fit_sine(part, rate, near, 1);
        const double square = fit.amplitude[0] * fit.amplitude[0] / 2;
        const bool pure = fit.residual_square < square / 10 && fit.frequency_hz > 0;
        if (pure) out.back() = {fit.frequency_hz, 10 * std::log10(std::max(square, 1e-30))};
    }
    return out;
}

// Steady frequencies; consecutive pieces of one frequency are one step, the level being that of the steadiest
// pair.
void add_steady(const std::vector<Step>& all, double steadiness, double below_hz, std::vector<Step>& steps) {
    double best = 0;
    for (std::size_t i = 0; i + 1 < all.size(); ++i) {
        const Step &a = all[i], &b = all[i + 1];
        if (a.frequency == 0 || b.frequency == 0 || a.frequency >= below_hz) continue;
        if (std::abs(b.frequency - a.frequency) > steadiness * a.frequency) continue;
        const Step mean{(a.frequency + b.frequency) / 2, (a.level_db + b.level_db) / 2};
        const double jump = std::abs(a.level_db - b.level_db);
        const bool same =
            !steps.empty() && std::abs(steps.back().frequency - mean.frequency) < 2e-3 * mean.frequency;
        if (!same) {
            steps.push_back(mean);
            best = jump;
        } else if (jump < best) {
            steps.back() = mean;
            best = jump;
        }
    }
}

double at_frequency(const std::vector<Step>& steps, double frequency) {
    const auto above =
        std::find_if(steps.begin(), steps.end(), [&](const Step& s) { return s.frequency >= frequency; });
    if (above->frequency == frequency || above == steps.begin()) return above->level_db;
    const Step& low = *(above - 1);
    const double share = std::log(frequency / low.frequency) / std::log(above->frequency / low.frequency);
    return low.level_db + share * (above->level_db - low.level_db);
}

Outcome measure_response(Capture any, const Parameters& p) {
    const Waveform wave = take_waveform(std::move(any), "tone.response");
    const std::vector<double> volts = signal_of(wave, p).volts();
    const double rate = 1 / wave.step_s, steadiness = p.required("steadiness") / 100;
    const auto length = static_cast<std::size_t>(p.required("piece") * rate);
    if (length < 64 || 3 * length > volts.size()) {
        fail_input(
            "parameter piece: choose a length of at least 64 samples and at most a third of the record of " +
            format({static_cast<double>(volts.size()) / rate, Unit::second}));
    }
    Outcome outcome;
    if (wave.distrust) outcome.invalid = *wave.distrust;
    // Low frequencies need longer pieces: two periods at least.
    std::vector<Step> steps;
    double below = rate;
    for (const std::size_t times : {1, 3, 6}) {
        const std::size_t here = times * length;
        if (3 * here > volts.size()) break;
        add_steady(pieces(volts, rate, here), steadiness, below, steps);
        below = 4 * rate / static_cast<double>(here);
    }
    std::sort(steps.begin(), steps.end(),
              [](const Step& a, const Step& b) { return a.frequency < b.frequency; });
    steps.erase(std::unique(steps.begin(), steps.end(),
                            [](const Step& a, const Step& b) {
                                return b.frequency - a.frequency < 2e-3 * a.frequency;
                            }),
                steps.end());
    if (steps.size() < 2) {
        outcome.invalid = "no sweep of a tone: fewer than two steady frequencies were found";
        return outcome;
    }
    const double reference = p.required("reference_frequency");
    if (reference < steps.front().frequency * 0.999 || reference > steps.back().frequency * 1.001) {
        fail_input("the reference frequency " + format({reference, Unit::hertz}) +
                   " lies outside the sweep from " + format({steps.front().frequency, Unit::hertz}) + " to " +
                   format({steps.back().frequency, Unit::hertz}));
    }
    const double zero =
        at_frequency(steps, std::clamp(reference, steps.front().frequency, steps.back().frequency));
    Trace trace;
    trace.name = "response";
    trace.title = "Response";
    trace.y_unit = Unit::db;
    trace.log_x = true;
    for (const auto& step : steps) {
        trace.x.push_back(step.frequency);
        trace.y.push_back(step.level_db - zero);
    }
    const auto [low, high] = std::minmax_element(trace.y.begin(), trace.y.end());
    outcome.add("highest", *high, Unit::db);
    outcome.add("lowest", *low, Unit::db);
    outcome.add("lowest_frequency", trace.x.front(), Unit::hertz);
    outcome.add("highest_frequency", trace.x.back(), Unit::hertz);
    outcome.add("reference_voltage", std::pow(10, zero / 20), Unit::volt);
    outcome.add("points", static_cast<double>(steps.size()), Unit::count);
    outcome.traces.push_back(std::move(trace));
    return outcome;
}

}  // namespace

// Level against frequency of a tone that steps or sweeps. Trace `response`, relative to a reference
// frequency.
Procedure tone_response() {
    return {"tone.response",
            "Frequency response from a tone that steps or sweeps",
            "Measures level and frequency piece by piece with a sine fit; pieces in which the tone moves are "
            "left out. "
            "The source is taken to be flat: correct it by the path. Can be judged against a limit line over "
            "frequency.",
            response_parameters,
            response_traces,
            response_products,
            waveform_setup,
            measure_response,
            preset_named};
}

}  // namespace rt
