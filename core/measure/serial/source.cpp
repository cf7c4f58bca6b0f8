#include "core/measure/serial/source.hpp"

#include <cmath>

#include "core/base/error.hpp"

namespace rt {

EdgeSettings edge_settings(const Levels& levels, const Parameters& p) {
    EdgeSettings out;
    const double part = p.required("threshold_part"), band = p.required("hysteresis");
    if (!(part > 0 && part < 100)) fail_input("parameter threshold_part: 0 to 100 % are possible");
    if (!(band >= 0 && band < 50)) fail_input("parameter hysteresis: 0 to 50 % are possible");
    out.threshold = p.number("threshold").value_or(levels.at_percent(part));
    out.hysteresis = levels.amplitude() * band / 100;
    if (out.threshold - out.hysteresis <= levels.lowest || out.threshold + out.hysteresis >= levels.highest) {
        fail_signal("the signal from " + format({levels.lowest, Unit::volt}) + " to " +
                    format({levels.highest, Unit::volt}) + " never crosses " +
                    format({out.threshold, Unit::volt}) + " with its hysteresis");
    }
    return out;
}

SerialSource serial_source(Capture capture, const char* procedure, const Parameters& p, std::size_t fewest) {
    const Waveform wave = take_waveform(std::move(capture), procedure);
    SerialSource out;
    out.signal = signal_of(wave, p);
    out.histogram = level_histogram(*out.signal.samples);
    out.levels = levels_of(out.histogram);
    const EdgeSettings settings = edge_settings(out.levels, p);
    out.threshold = settings.threshold;
    out.hysteresis = settings.hysteresis;
    out.edges = find_edges(*out.signal.samples, settings);
    if (out.edges.size() < fewest) {
        fail_signal("only " + std::to_string(out.edges.size()) + " edges cross " +
                    format({out.threshold, Unit::volt}) + ", at least " + std::to_string(fewest) +
                    " are needed");
    }
    out.edges_s.reserve(out.edges.size());
    for (const double at : out.edges.at) out.edges_s.push_back(at * out.signal.step_s);
    return out;
}

ClockSettings clock_settings(const Parameters& p, double symbol_rate_hz) {
    ClockSettings out;
    const std::string recovery = p.text("recovery");
    out.recovery = recovery == "first-order"    ? Recovery::first_order
                   : recovery == "second-order" ? Recovery::second_order
                                                : Recovery::constant;
    out.rate_hz = p.number("symbol_rate");
    if (out.rate_hz && !(*out.rate_hz > 0)) fail_input("parameter symbol_rate: must be above 0 Hz");
    constexpr double customary_divisor = 1667;
    out.corner_hz = p.number("corner").value_or(symbol_rate_hz / customary_divisor);
    out.damping = p.required("damping");
    if (!(out.damping > 0.1 && out.damping < 20)) fail_input("parameter damping: 0.1 to 20 are possible");
    if (out.recovery != Recovery::constant && (!(out.corner_hz > 0) || out.corner_hz > symbol_rate_hz / 10)) {
        fail_input("parameter corner: above 0 Hz and at most a tenth of the symbol rate");
    }
    return out;
}

Clock clock_of(const SerialSource& source, const Parameters& p) {
    const double guess = p.number("symbol_rate").value_or(0);
    const auto found = guess > 0 ? 1 / guess : find_interval(source.edges_s).value_or(0);
    if (!(found > 0)) {
        fail_signal(
            "the spacings of edges fit no symbol rate: give symbol_rate, or check threshold and signal");
    }
    const Clock clock = recover_clock(source.edges_s, clock_settings(p, 1 / found));
    if (clock.settled + 16 > source.edges.size()) {
        fail_signal("the record of " + format({source.signal.seconds(), Unit::second}) +
                    " ends before the clock recovery has settled: take a longer record or a higher corner");
    }
    return clock;
}

void note_clock(const SerialSource& source, const Clock& clock, const Parameters& p, Outcome& outcome) {
    const ClockSettings settings = clock_settings(p, clock.rate_hz);
    if (settings.recovery == Recovery::constant) {
        outcome.notes.push_back("clock: constant, best fit over all edges");
    } else {
        const bool first = settings.recovery == Recovery::first_order;
        outcome.notes.push_back(std::string("clock: ") + (first ? "first" : "second") +
                                "-order loop, corner " + format({settings.corner_hz, Unit::hertz}) +
                                (first ? "" : ", damping " + format({settings.damping, Unit::none})) +
                                "; the first " + format({source.edges_s[clock.settled], Unit::second}) +
                                " are left out while it settles");
    }
    if (source.edges.searched < source.signal.size()) {
        outcome.notes.push_back(
            "only the first " +
            format({static_cast<double>(source.edges.searched) * source.signal.step_s, Unit::second}) +
            " were measured: they hold " + std::to_string(source.edges.size()) + " edges");
    }
}

Trace trace_over_time(const char* name, const char* title, Unit unit, const std::vector<double>& time_s,
                      const std::vector<double>& values) {
    Trace trace;
    trace.name = name;
    trace.title = title;
    trace.x_unit = Unit::second;
    trace.x_title = "Time";
    trace.y_unit = unit;
    constexpr std::size_t most = 200000;
    const std::size_t pieces = std::min(most, values.size());
    for (std::size_t i = 0; i < pieces; ++i) {
        std::size_t farthest = values.size() * i / pieces;
        for (std::size_t k = farthest; k < values.size() * (i + 1) / pieces; ++k) {
            if (std::abs(values[k]) > std::abs(values[farthest])) farthest = k;
        }
        trace.x.push_back(time_s[farthest]);
        trace.y.push_back(values[farthest]);
    }
    return trace;
}

}  // namespace rt
