#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/dsp/fir.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/serial/parts.hpp"
#include "core/stats/spread.hpp"

namespace rt {
namespace {

constexpr auto clock_parameters = joined(clock_rows_own, clock_rows, edge_rows, signal_rows);

// Deviation of the rate in ppm against time: the slope of the time interval error, smoothed.
struct Deviation {
    std::vector<double> time_s, ppm;
    double step_s = 0;
};

Deviation deviation_of(const SerialSource& source, const Clock& clock, double cutoff_hz) {
    Deviation out;
    const double from = source.edges_s.front(), to = source.edges_s.back();
    // Eight values in a period of the cut-off; at most 200,000.
    const double wanted = 1 / (8 * cutoff_hz);
    const auto count = static_cast<std::size_t>(std::min((to - from) / wanted, 200000.0));
    if (count < 32) return out;
    out.step_s = (to - from) / static_cast<double>(count);
    // Mean TIE of the edges in each cell; a straight line over cells without edges.
    std::vector<double> sum(count), number(count);
    for (std::size_t k = 0; k < source.edges_s.size(); ++k) {
        const auto cell =
            std::min(count - 1, static_cast<std::size_t>((source.edges_s[k] - from) / out.step_s));
        sum[cell] += clock.tie_s[k];
        ++number[cell];
    }
    std::vector<double> tie(count);
    std::size_t last = 0;
    for (std::size_t i = 0; i < count; ++i) {
        if (number[i] == 0) continue;
        tie[i] = sum[i] / number[i];
        for (std::size_t j = last + 1; j < i; ++j)
            tie[j] = tie[last] +
                     (tie[i] - tie[last]) * static_cast<double>(j - last) / static_cast<double>(i - last);
        last = i;
    }
    for (std::size_t j = last + 1; j < count; ++j) tie[j] = tie[last];
    std::vector<double> slope(count - 1);
    for (std::size_t i = 0; i + 1 < count; ++i) slope[i] = (tie[i + 1] - tie[i]) / out.step_s;
    const double rate = 1 / out.step_s;
    const auto taps = low_pass(std::min(cutoff_hz, rate / 4), rate / 8, rate);
    const auto smooth = filtered(std::span<const double>(slope), taps);
    // The filter sees zeros beyond the ends: they are left out.
    const std::size_t edge = taps.size() / 2;
    for (std::size_t i = edge; i + edge < smooth.size(); ++i) {
        out.time_s.push_back(from + source.signal.from_s + (static_cast<double>(i) + 1) * out.step_s);
        // A late edge is a slow clock.
        out.ppm.push_back(-1e6 * smooth[i]);
    }
    return out;
}

// From how often it passes the middle between its ends; nothing for what is no modulation.
std::optional<double> modulation_hz(const Deviation& d, double low, double high) {
    const double middle = (low + high) / 2, band = (high - low) / 4;
    std::vector<double> rises;
    bool below = false;
    for (std::size_t i = 0; i < d.ppm.size(); ++i) {
        if (d.ppm[i] < middle - band) below = true;
        if (below && d.ppm[i] > middle + band) {
            rises.push_back(d.time_s[i]);
            below = false;
        }
    }
    if (rises.size() < 2) return std::nullopt;
    return static_cast<double>(rises.size() - 1) / (rises.back() - rises.front());
}

void add_periods(const SerialSource& source, Outcome& outcome) {
    Spread period, change;
    double before = 0;
    const auto& at = source.edges_s;
    for (std::size_t k = source.edges.first_rises ? 0 : 1; k + 2 < at.size(); k += 2) {
        const double here = at[k + 2] - at[k];
        if (period.count > 0) change.add(here - before, at[k]);
        period.add(here, at[k]);
        before = here;
    }
    // Only a clock has one period: data have many.
    if (period.count < 8 || period.greatest - period.least > 0.5 * period.mean()) return;
    outcome.add("period_jitter_rms", period.deviation(), Unit::second);
    outcome.add("period_jitter_peak_to_peak", period.greatest - period.least, Unit::second);
    const double mean = change.mean();
    outcome.add("cycle_to_cycle_rms", std::hypot(change.deviation(), mean), Unit::second);
    outcome.add("cycle_to_cycle_peak", std::max(change.greatest, -change.least), Unit::second);
}

// A clock pattern changes at even steps.
void require_clock_pattern(const SerialSource& source) {
    const Spread spacing = spacings_of(source);
    if (spacing.greatest - spacing.least < 0.5 * spacing.mean()) return;
    fail_signal("expected: a clock pattern with even spacings of edges; seen: spacings from " +
                format({spacing.least, Unit::second}) + " to " + format({spacing.greatest, Unit::second}) +
                ", the last at " + format({spacing.at_greatest + source.signal.from_s, Unit::second}));
}

Outcome measure_clock(Capture any, const Parameters& p) {
    const SerialSource source = serial_source(std::move(any), "serial.clock", p);
    const Clock clock = clock_of(source, p);
    Outcome outcome;
    add_clock(source, clock, p, outcome);
    note_clock(source, clock, p, outcome);
    return outcome;
}

}  // namespace

void add_clock(const SerialSource& source, const Clock& clock, const Parameters& p, Outcome& outcome) {
    if (p.text("expected") == "clock-pattern") require_clock_pattern(source);
    outcome.add("symbol_rate", clock.rate_hz, Unit::hertz);
    const auto nominal = p.number("symbol_rate");
    if (nominal) outcome.add("rate_error", 1e6 * (clock.rate_hz / *nominal - 1), Unit::ppm);
    outcome.add("unit_interval", clock.interval_s(), Unit::second);
    Spread tie;
    std::vector<double> x, y;
    const auto jitter = clock.jitter_s();
    for (std::size_t k = clock.settled; k < jitter.size(); ++k) {
        tie.add(jitter[k], source.edges_s[k]);
        x.push_back(source.edges_s[k] + source.signal.from_s);
        y.push_back(jitter[k]);
    }
    outcome.add("tie_rms", tie.deviation(), Unit::second);
    outcome.add("tie_peak_to_peak", tie.greatest - tie.least, Unit::second);
    add_periods(source, outcome);
    outcome.traces.push_back(trace_over_time("tie", "Time interval error", Unit::second, x, y));
    Deviation rate = deviation_of(source, clock, p.required("spread_cutoff"));
    if (rate.ppm.size() >= 16) {
        const double shift = nominal ? 1e6 * (clock.rate_hz / *nominal - 1) : 0;
        for (double& value : rate.ppm) value += shift;
        const auto [low, high] = std::minmax_element(rate.ppm.begin(), rate.ppm.end());
        outcome.add("spread_highest", *high, Unit::ppm);
        outcome.add("spread_lowest", *low, Unit::ppm);
        if (const auto hz = modulation_hz(rate, *low, *high); hz && *high - *low > 100)
            outcome.add("spread_frequency", *hz, Unit::hertz);
        outcome.traces.push_back(
            trace_over_time("rate_deviation", "Deviation of the rate", Unit::ppm, rate.time_s, rate.ppm));
    }
    outcome.add("edges", static_cast<double>(tie.count), Unit::count);
}

Procedure serial_clock() {
    return {"serial.clock",
            "Rate and clock jitter of a serial signal or a clock",
            "The rate is the least-squares line through all edges. TIE is against a constant clock, or "
            "against a loop "
            "of first or second order. Period and cycle-to-cycle jitter are given for clocks. The modulation "
            "of a "
            "spread-spectrum clock is the low-passed slope of the TIE.",
            clock_parameters,
            clock_traces,
            clock_results,
            waveform_setup,
            measure_clock,
            preset_named};
}

}  // namespace rt
