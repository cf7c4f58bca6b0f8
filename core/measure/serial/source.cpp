#include "core/measure/serial/source.hpp"

#include <fmt/core.h>

#include <cmath>

#include "core/base/error.hpp"
#include "core/dsp/parallel.hpp"
#include "core/serial/activity.hpp"
#include "core/serial/symmetric_edges.hpp"

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

Spread spacings_of(const SerialSource& source) {
    Spread out;
    for (std::size_t k = 0; k + 1 < source.edges_s.size(); ++k)
        out.add(source.edges_s[k + 1] - source.edges_s[k], source.edges_s[k]);
    return out;
}

Signal packet_of(const Signal& signal, const Parameters& p) {
    const auto wanted = p.number("packet");
    if (!wanted) return signal;
    if (!(*wanted >= 1)) fail_input("parameter packet: packets count from 1");
    const double level = p.required("packet_level"), gap = p.required("packet_gap");
    if (!(level > 0) || !(gap > 0)) fail_input("parameters packet_level and packet_gap: must be above 0");
    const auto packets = find_activity(*signal.samples, signal.step_s, {0, level, gap});
    const auto index = static_cast<std::size_t>(*wanted) - 1;
    if (index >= packets.size()) {
        fail_signal("packet " + format({*wanted, Unit::none}) +
                    " is not there: " + std::to_string(packets.size()) + " leave " +
                    format({level, Unit::volt}) + " for longer stretches");
    }
    const auto first = static_cast<std::uint64_t>(std::max(0.0, packets[index].from_s / signal.step_s));
    const auto end = std::min(signal.size(),
                              static_cast<std::uint64_t>(std::ceil(packets[index].to_s / signal.step_s)) + 1);
    Signal out = signal;
    out.samples = part_of(signal.samples, first, end - first);
    out.from_s += static_cast<double>(first) * signal.step_s;
    return out;
}

namespace {

// Edges as times from the beginning of the signal.
std::vector<double> times_of(const Edges& edges, double step_s) {
    std::vector<double> out(edges.size());
    in_shares(out.size(), [&](std::size_t from, std::size_t to) {
        for (std::size_t k = from; k < to; ++k) out[k] = edges.at[k] * step_s;
    });
    return out;
}

}  // namespace

SerialSource serial_source(Capture capture, const char* procedure, const Parameters& p, std::size_t fewest,
                           std::size_t levels) {
    const Waveform wave = take_waveform(std::move(capture), procedure);
    SerialSource out;
    out.signal = packet_of(signal_of(wave, p), p);
    out.histogram = level_histogram(*out.signal.samples, true);
    out.levels = levels_of(out.histogram);
    if (levels > 2) {
        const auto all = clustered_levels(out.histogram, levels);
        out.levels.low = all.front(), out.levels.high = all.back();
    }
    const EdgeSettings settings = edge_settings(out.levels, p);
    out.threshold = settings.threshold;
    out.hysteresis = settings.hysteresis;
    out.edges = find_edges(*out.signal.samples, settings);
    // All samples have been seen now.
    out.levels.lowest = std::min(out.levels.lowest, static_cast<double>(out.edges.extent.low));
    out.levels.highest = std::max(out.levels.highest, static_cast<double>(out.edges.extent.high));
    if (out.edges.size() < fewest) {
        fail_signal(fmt::format("only {} edges cross {}, at least {} are needed", out.edges.size(),
                                format({out.threshold, Unit::volt}), fewest));
    }
    out.edges_s = times_of(out.edges, out.signal.step_s);
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
    out.within = p.required("rate_within") / 100;
    if (!(out.within > 0 && out.within <= 0.2))
        fail_input("parameter rate_within: above 0 % to 20 % are possible");
    constexpr double customary_divisor = 1667;
    out.corner_hz = p.number("corner").value_or(symbol_rate_hz / customary_divisor);
    out.damping = p.required("damping");
    if (!(out.damping > 0.1 && out.damping < 20)) fail_input("parameter damping: 0.1 to 20 are possible");
    if (out.recovery != Recovery::constant && (!(out.corner_hz > 0) || out.corner_hz > symbol_rate_hz / 10)) {
        fail_input("parameter corner: above 0 Hz and at most a tenth of the symbol rate");
    }
    return out;
}

namespace {

Clock recovered(const SerialSource& source, const Parameters& p, bool loose) {
    const double guess = p.number("symbol_rate").value_or(0);
    const auto found = guess > 0 ? 1 / guess : find_interval(source.edges_s).value_or(0);
    if (!(found > 0)) {
        fail_signal(
            "the spacings of edges fit no symbol rate: give symbol_rate, or check threshold and signal");
    }
    ClockSettings settings = clock_settings(p, 1 / found);
    settings.loose = loose;
    const Clock clock = recover_clock(source.edges_s, settings);
    if (clock.settled + 16 > source.edges.size()) {
        fail_signal("the record of " + format({source.signal.seconds(), Unit::second}) +
                    " ends before the clock recovery has settled: take a longer record or a higher corner");
    }
    return clock;
}

}  // namespace

Clock clock_of(const SerialSource& source, const Parameters& p) {
    return recovered(source, p, false);
}

Clock clock_of_levels(SerialSource& source, std::size_t levels, const Parameters& p) {
    if (levels == 2) return clock_of(source, p);
    const Clock rough = recovered(source, p, true);
    source.edges = symmetric_edges(*source.signal.samples, source.signal.step_s, source.edges, rough,
                                   clustered_levels(source.histogram, levels), source.threshold);
    source.edges_s = times_of(source.edges, source.signal.step_s);
    return clock_of(source, p);
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
