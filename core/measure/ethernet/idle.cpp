#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/wave_source.hpp"
#include "core/serial/activity.hpp"
#include "core/serial/levels.hpp"
#include "core/stats/spread.hpp"

namespace rt {
namespace {

constexpr auto idle_parameters = joined(
    std::array{
        ParameterInfo{"quiet_level", ParameterKind::quantity, Unit::percent, "15 %",
                      "of the largest voltage: below, the line is quiet. The standard states no threshold"},
        ParameterInfo{"hold_off", ParameterKind::quantity, Unit::second, "1 us",
                      "shorter quiet belongs to the signal"},
        ParameterInfo{
            "low_power_from", ParameterKind::quantity, Unit::second, "",
            "time in the record at which low-power idle was asked for: the sleep signal begins there"},
        ParameterInfo{"data_from", ParameterKind::quantity, Unit::second, "",
                      "time in the record at which the first data follows the wake signal"},
    },
    signal_rows);

constexpr std::array idle_traces{
    Product{"line", Unit::volt, "voltage against time, the farthest from zero of each piece"}};
constexpr std::array idle_products{
    Product{"sleep_time", Unit::second, "from low_power_from until the line is quiet for the first time"},
    Product{"quiet_least", Unit::second, "shortest quiet between two signals"},
    Product{"quiet_greatest", Unit::second, "longest quiet between two signals"},
    Product{"refresh_least", Unit::second, "shortest signal between two quiet times"},
    Product{"refresh_greatest", Unit::second, "longest signal between two quiet times"},
    Product{"wake_time", Unit::second, "from the end of the last quiet until data_from"},
    Product{"refreshes", Unit::count, "signals between two quiet times"},
    Product{"quiet_times", Unit::count, "quiet times between two signals"},
};

Trace line_of(const Signal& signal) {
    Trace trace;
    trace.name = "line";
    trace.title = "Voltage";
    trace.x_unit = Unit::second;
    trace.x_title = "Time";
    trace.y_unit = Unit::volt;
    constexpr std::uint64_t most = 2000;
    const std::uint64_t pieces = std::min(most, signal.size());
    std::vector<float> values;
    for (std::uint64_t k = 0; k < pieces; ++k) {
        const std::uint64_t from = signal.size() * k / pieces, to = signal.size() * (k + 1) / pieces;
        values.resize(static_cast<std::size_t>(to - from));
        signal.samples->read(from, values);
        const auto [low, high] = std::minmax_element(values.begin(), values.end());
        for (const float v : {*low, *high}) {
            trace.x.push_back(static_cast<double>(from) * signal.step_s + signal.from_s +
                              (v == *high ? 0.5 * signal.step_s : 0));
            trace.y.push_back(static_cast<double>(v));
        }
    }
    return trace;
}

// Why what is beyond the threshold is no signal with quiet between: noise falls below it by chance, drift
// stays beyond it.
std::optional<std::string> no_signals(const Signal& signal, const ActivitySettings& settings,
                                      const std::vector<ActiveStretch>& stretches) {
    constexpr double quiet_share = 0.25, least_step = 2e-3;
    constexpr std::uint64_t piece = 1 << 18;
    double on = 0, off = 0, steps = 0;
    std::uint64_t on_count = 0, off_count = 0, at = 0;
    std::size_t next = 0;
    double before = 0;
    bool was_on = false;
    std::vector<float> values;
    for (; at < signal.size(); at += values.size()) {
        values.resize(static_cast<std::size_t>(std::min(piece, signal.size() - at)));
        signal.samples->read(at, values);
        for (std::size_t i = 0; i < values.size(); ++i) {
            const double t = static_cast<double>(at + i) * signal.step_s;
            while (next < stretches.size() && t > stretches[next].to_s) ++next;
            const bool is_on = next < stretches.size() && t >= stretches[next].from_s;
            const double v = static_cast<double>(values[i]) - settings.middle_v;
            if (is_on) {
                on += v * v, ++on_count;
                if (was_on) steps += (v - before) * (v - before);
            } else {
                off += v * v, ++off_count;
            }
            before = v;
            was_on = is_on;
        }
    }
    if (on_count == 0 || off_count == 0) return std::nullopt;
    const double signal_power = on / static_cast<double>(on_count);
    if (off / static_cast<double>(off_count) > quiet_share * quiet_share * signal_power)
        return "noise: what lies below quiet_level is no quieter than chance makes it";
    if (steps / static_cast<double>(on_count) < least_step * least_step * signal_power)
        return "the line drifts: what lies beyond quiet_level does not change as a signal does";
    return std::nullopt;
}

ActivitySettings activity_settings(const Signal& signal, const Parameters& p) {
    const LevelHistogram histogram = level_histogram(*signal.samples);
    ActivitySettings settings;
    settings.middle_v = (histogram.lowest + histogram.highest) / 2;
    const double level = p.required("quiet_level");
    if (!(level > 0 && level < 100))
        fail_input("parameter quiet_level: above 0 and below 100 % are possible");
    settings.threshold_v = (histogram.highest - histogram.lowest) / 2 * level / 100;
    settings.hold_off_s = p.required("hold_off");
    return settings;
}

// Signals and the quiet between them.
struct Idle {
    Spread quiet, refresh;
    Table table{
        "stretches",
        "Signals and the quiet behind them",
        {{"from", Unit::second}, {"signal", Unit::second}, {"quiet", Unit::second}, {"peak", Unit::volt}},
        {}};
};

Idle idle_of(const Signal& signal, const ActivitySettings& settings,
             const std::vector<ActiveStretch>& stretches, const Parameters& p) {
    Idle out;
    const double end = signal.seconds();
    const double origin = signal.from_s;
    for (std::size_t k = 0; k < stretches.size(); ++k) {
        const bool last = k + 1 == stretches.size();
        const double after = (last ? end : stretches[k + 1].from_s) - stretches[k].to_s;
        if (!last) out.quiet.add(after, stretches[k].to_s);
        // With quiet on both sides a signal is whole, also where an end of the record cuts that quiet short.
        // What went to sleep, and what woke up, is no refresh.
        const bool begins = k > 0 || (stretches[k].from_s > settings.hold_off_s && !p.has("low_power_from"));
        const bool ends = !last || (end - stretches[k].to_s > settings.hold_off_s && !p.has("data_from"));
        if (begins && ends) out.refresh.add(stretches[k].length_s(), stretches[k].from_s);
        out.table.rows.push_back(
            {stretches[k].from_s + origin, stretches[k].length_s(), after, stretches[k].peak_v});
    }
    return out;
}

// When the line went to sleep after that was asked for.
void add_sleep(const std::vector<ActiveStretch>& stretches, double origin, const Parameters& p,
               Outcome& outcome) {
    if (const auto asked = p.number("low_power_from")) {
        const double sleep = stretches.front().to_s + origin - *asked;
        if (sleep > 0) {
            outcome.add("sleep_time", sleep, Unit::second);
        } else {
            outcome.notes.push_back("no sleep time: the line is quiet before low_power_from");
        }
    } else {
        outcome.notes.push_back(
            "no sleep time: give low_power_from, the moment at which low-power idle was asked for");
    }
}

void add_times(const Idle& seen, const std::vector<ActiveStretch>& stretches, double end, double origin,
               const ActivitySettings& settings, const Parameters& p, Outcome& outcome) {
    const Spread &quiet = seen.quiet, &refresh = seen.refresh;
    const auto both = [&](const Spread& s, const char* least, const char* greatest) {
        if (s.count == 0) return;
        outcome.add(least, s.least, Unit::second);
        outcome.add(greatest, s.greatest, Unit::second);
    };
    // A quiet time that an end of the record cuts off is at least as long as what is seen of it.
    double cut = std::max(stretches.front().from_s, end - stretches.back().to_s);
    if (cut <= settings.hold_off_s) cut = 0;
    if (quiet.count > 0) outcome.add("quiet_least", quiet.least, Unit::second);
    if (quiet.count > 0 || cut > 0)
        outcome.add_greatest("quiet_greatest", quiet.count > 0 ? quiet.greatest : 0, cut, Unit::second);
    both(refresh, "refresh_least", "refresh_greatest");
    if (const auto data = p.number("data_from"); data && stretches.size() > 1)
        outcome.add("wake_time", *data - stretches.back().from_s - origin, Unit::second);
}

Outcome measure_idle(Capture any, const Parameters& p) {
    const Signal signal = signal_of(take_waveform(std::move(any), "ethernet.idle"), p);
    const ActivitySettings settings = activity_settings(signal, p);
    const auto stretches = find_activity(*signal.samples, signal.step_s, settings);
    Outcome outcome;
    outcome.traces.push_back(line_of(signal));
    const double end = signal.seconds();
    const bool quiet_ever = stretches.size() > 1 || stretches.front().from_s > settings.hold_off_s ||
                            end - stretches.back().to_s > settings.hold_off_s;
    if (!quiet_ever) {
        outcome.invalid = "the line is never quiet for " + format({settings.hold_off_s, Unit::second}) +
                          ": no low-power idle in the record";
        return outcome;
    }
    if (const auto why = no_signals(signal, settings, stretches)) {
        outcome.invalid = *why;
        return outcome;
    }
    Idle seen = idle_of(signal, settings, stretches, p);
    add_sleep(stretches, signal.from_s, p, outcome);
    add_times(seen, stretches, end, signal.from_s, settings, p, outcome);
    outcome.add("refreshes", static_cast<double>(seen.refresh.count), Unit::count);
    outcome.add("quiet_times", static_cast<double>(seen.quiet.count), Unit::count);
    outcome.tables.push_back(std::move(seen.table));
    outcome.notes.push_back("quiet: below " + format({settings.threshold_v, Unit::volt}) + " around " +
                            format({settings.middle_v, Unit::volt}));
    return outcome;
}

}  // namespace

Procedure ethernet_idle() {
    return {"ethernet.idle",
            "Low-power idle of an Ethernet transmitter: sleep, quiet, refresh, wake",
            "Times between signals and quiet of energy-efficient Ethernet (IEEE 802.3 clause 78). Where the "
            "sleep "
            "signal begins and data follow cannot be seen in the voltage: these moments are parameters.",
            idle_parameters,
            idle_traces,
            idle_products,
            waveform_setup,
            measure_idle,
            preset_named};
}

}  // namespace rt
