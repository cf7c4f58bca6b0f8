// cellular.leakage: what an uplink sends beside its channel.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <optional>

#include "core/base/error.hpp"
#include "core/cellular/uplink.hpp"
#include "core/measure/cellular/uplink_outcome.hpp"
#include "core/measure/gate.hpp"
#include "core/measure/spectrum/band.hpp"
#include "core/measure/spectrum_setup.hpp"

namespace rt {
namespace {

using cellular::Technology;

constexpr auto leakage_parameters = joined(
    std::array{
        ParameterInfo{"technology", ParameterKind::choice, Unit::none, "lte",
                      "whose channels are meant: lte or nr", "lte nr"},
        ParameterInfo{"channel_bandwidth", ParameterKind::quantity, Unit::hertz, "20 MHz", "of the channel"},
        cellular::band_parameter,
        ParameterInfo{"centre", ParameterKind::quantity, Unit::hertz, "", "carrier frequency of the channel"},
        ParameterInfo{
            "by", ParameterKind::choice, Unit::none, "sweep",
            "what an analyser is asked for: a sweep, or samples of all that lies around the channel",
            "sweep samples"},
        ParameterInfo{
            "sample_rate", ParameterKind::quantity, Unit::hertz, "",
            "complex samples per second that the analyser records; without it four widths of the channel"},
        ParameterInfo{"duration", ParameterKind::quantity, Unit::second, "10 ms", "how long it records"},
    },
    spectrum_rows, gate_rows);

constexpr std::array leakage_traces{
    Product{"spectrum", Unit::dbm, "power in the resolution bandwidth"},
    Product{"emission_30khz", Unit::dbm, "power in 30 kHz, in the channel and beside it"},
    Product{"emission_1mhz", Unit::dbm, "power in 1 MHz, summed from narrower ones"},
};
constexpr std::array leakage_products{
    Product{"power", Unit::dbm, "in the channel's measurement bandwidth", Trend::rising},
    Product{"leakage_low", Unit::db, "power of the channel over that of the lower neighbour of its kind"},
    Product{"leakage_high", Unit::db, "the same for the upper neighbour"},
    Product{"leakage_ratio", Unit::db, "the smaller of both"},
    Product{"adjacent_power", Unit::dbm, "power of the stronger neighbour"},
    Product{
        "leakage_utra_first", Unit::db,
        "smallest ratio to a neighbouring channel of 5 MHz of UTRA, through its root-raised-cosine filter"},
    Product{"leakage_utra_second", Unit::db, "the same for the channels behind these"},
    Product{"occupied_bandwidth", Unit::hertz, "width that holds 99 % of the power of all that was recorded"},
};

struct LeakagePlan {
    double centre = 0, width = 0, own = 0;  // of the measurement bandwidth
    Technology technology = Technology::lte;
};

LeakagePlan leakage_plan(const Parameters& p, double centre) {
    LeakagePlan out;
    out.technology = p.text("technology") == "nr" ? Technology::nr : Technology::lte;
    out.width = p.required("channel_bandwidth"), out.centre = centre;
    if (out.technology == Technology::lte) {
        const auto blocks = blocks_of(out.technology, out.width, 15e3);
        if (!blocks)
            fail_input("parameter channel_bandwidth: LTE has channels of 1.4, 3, 5, 10, 15 and 20 MHz");
        out.own = static_cast<double>(*blocks) * 180e3;
        require_channel(out.technology, 15e3, out.width, p);
        return out;
    }
    // TS 38.101-1 clause 6.5.2.4.1: the widest of all spacings, and one subcarrier of it.
    for (const double spacing : {15e3, 30e3, 60e3}) {
        if (const auto blocks = blocks_of(out.technology, out.width, spacing))
            out.own = std::max(out.own, (12 * static_cast<double>(*blocks) + 1) * spacing);
    }
    require_channel(out.technology, 15e3, out.width, p);
    if (out.own == 0)
        fail_input("parameter channel_bandwidth: NR has no channel of " +
                   format({out.width, Unit::hertz}, 4));
    return out;
}

constexpr double utra_rate = 3.84e6, utra_roll = 0.22, utra_width = 5e6;

CaptureSetup leakage_setup(const Parameters& p) {
    const LeakagePlan plan = leakage_plan(p, p.required("centre"));
    const double reach = std::max(1.5 * plan.width, plan.width / 2 + 2 * utra_width);
    if (p.text("by") == "samples") {
        IqSetup setup;
        setup.centre_hz = plan.centre, setup.duration_s = p.required("duration");
        setup.sample_rate_hz = p.number("sample_rate").value_or(std::max(4 * plan.width, 2.2 * reach));
        setup.reference_level_dbm = p.required("reference_level");
        if (!(setup.duration_s > 0)) fail_input("parameter duration: must be above 0 s");
        if (!(setup.sample_rate_hz > plan.width))
            fail_input("parameter sample_rate: must be above the channel's width");
        return setup;
    }
    Parameters filled = p;
    if (!filled.has("bandwidth")) filled.set("bandwidth", "30 kHz");
    if (!filled.has("detector")) filled.set("detector", "rms");
    return spectrum_setup(filled, plan.centre - reach, plan.centre + reach);
}

// The bandwidths of masks are those of windows that are summed, not of the spectrum.
void preset_leakage(const Rule& rule, Parameters& p) {
    if (rule.detector && !p.has("detector")) p.set("detector", name(*rule.detector));
    preset_named(rule, p);
}

// Power through the root-raised-cosine filter of UTRA around a frequency; nothing where the trace ends
// before.
std::optional<double> utra_power(const Spectrum& s, double centre) {
    const double half = utra_rate / 2 * (1 + utra_roll);
    if (!covers(s, centre - half, centre + half)) return std::nullopt;
    const auto& f = s.frequency_hz;
    const double noise = *noise_bandwidth(s);
    double sum = 0;
    for (std::size_t i = 0; i < f.size(); ++i) {
        const double away = std::abs(f[i] - centre);
        if (away > half) continue;
        const double flat = utra_rate / 2 * (1 - utra_roll);
        const double weight =
            away <= flat ? 1
                         : 0.5 * (1 + std::cos(std::numbers::pi * (away - flat) / (utra_rate * utra_roll)));
        const double step = i + 1 < f.size() ? f[i + 1] - f[i] : f[i] - f[i - 1];
        sum += weight * std::pow(10, s.level[i] / 10) * step / noise;
    }
    return sum;
}

// Power in windows all along the trace, by their middles: masks look at those beside the channel.
Trace in_windows(const Spectrum& s, const LeakagePlan& plan, const char* name, const char* title,
                 double window_hz) {
    Trace out;
    out.name = name, out.title = title, out.y_unit = s.unit, out.x_title = "";
    out.centre_hz = plan.centre, out.resolution_bandwidth_hz = window_hz, out.detector = s.detector;
    const auto& f = s.frequency_hz;
    const double step = (f.back() - f.front()) / static_cast<double>(f.size() - 1);
    const PowerBelow below(s);
    const double first = f.front() - step / 2 + window_hz / 2, last = f.back() + step / 2 - window_hz / 2;
    const double every = std::max(step, window_hz / 4);
    for (double hz = first; hz <= last; hz += every) {
        out.x.push_back(hz);
        out.y.push_back(to_db(below(hz + window_hz / 2) - below(hz - window_hz / 2)));
    }
    return out;
}

Outcome measure_leakage(Capture any, const Parameters& p) {
    std::optional<double> middle = p.number("centre");
    if (const auto* record = std::get_if<IqRecord>(&any); record && !middle) middle = record->centre_hz;
    if (const auto* trace = std::get_if<Spectrum>(&any); trace && !middle)
        middle = (trace->frequency_hz.front() + trace->frequency_hz.back()) / 2;
    const LeakagePlan plan = leakage_plan(p, middle.value_or(0));
    const double fine = std::min(30e3, plan.width / 50);
    Spectrum s = take_spectrum(std::move(any), "cellular.leakage", p, {0, 0, fine, Detector::rms});
    require_power(s, "cellular.leakage");
    if (!noise_bandwidth(s))
        fail_input(
            "the trace does not state its resolution bandwidth: power cannot be summed; give it with --set "
            "bandwidth=VALUE");
    if (!covers(s, plan.centre - plan.own / 2, plan.centre + plan.own / 2))
        fail_input("the channel of " + format({plan.own, Unit::hertz}, 5) + " around " +
                   format({plan.centre, Unit::hertz}, 8) + " is wider than what was recorded");
    Outcome outcome;
    const auto within = [&](double centre, double width) {
        return band_power(s, centre - width / 2, centre + width / 2);
    };
    const double own = *within(plan.centre, plan.own);
    // A channel stands out of what is beside it, or it is none.
    const double density = own / plan.own,
                 all = *band_power(s, s.frequency_hz.front(), s.frequency_hz.back());
    const double span = s.frequency_hz.back() - s.frequency_hz.front();
    if (span > 1.5 * plan.own && density < 2 * (all - own) / (span - plan.own)) {
        outcome.invalid =
            "not the expected signal; seen: no more power in the channel than beside it; expected: an "
            "uplink of " +
            format({plan.width, Unit::hertz}, 4) + " around " + format({plan.centre, Unit::hertz}, 8);
        return outcome;
    }
    outcome.add("power", to_db(own), s.unit);
    const auto lack = [&](std::initializer_list<const char*> names, const std::string& why) {
        for (const char* name : names) outcome.lacking[name] = why;
    };
    const double low = plan.centre - plan.width, high = plan.centre + plan.width;
    if (covers(s, low - plan.own / 2, high + plan.own / 2)) {
        const double below = *within(low, plan.own), above = *within(high, plan.own);
        outcome.add("leakage_low", to_db(own) - to_db(below), Unit::db);
        outcome.add("leakage_high", to_db(own) - to_db(above), Unit::db);
        outcome.add("leakage_ratio", to_db(own) - to_db(std::max(below, above)), Unit::db);
        outcome.add("adjacent_power", to_db(std::max(below, above)), s.unit);
    } else {
        lack({"leakage_low", "leakage_high", "leakage_ratio", "adjacent_power"},
             "what was recorded ends before the neighbouring channels, which reach " +
                 format({plan.width + plan.own / 2, Unit::hertz}, 4) + " from the carrier");
    }
    for (const int place : {0, 1}) {
        const char* name = place == 0 ? "leakage_utra_first" : "leakage_utra_second";
        const double away = plan.width / 2 + utra_width / 2 + place * utra_width;
        const auto below = utra_power(s, plan.centre - away), above = utra_power(s, plan.centre + away);
        if (below && above) {
            outcome.add(name, to_db(own) - to_db(std::max(*below, *above)), Unit::db);
        } else {
            lack({name}, "what was recorded ends before these channels");
        }
    }
    if (span >= 2 * plan.width * 0.99) {
        const auto edges =
            occupied_edges(s, 0.99, std::max(s.frequency_hz.front(), plan.centre - 1.5 * plan.width),
                           std::min(s.frequency_hz.back(), plan.centre + 1.5 * plan.width));
        outcome.add("occupied_bandwidth", edges.high_hz - edges.low_hz, Unit::hertz);
    } else {
        lack({"occupied_bandwidth"}, "twice the width of the channel has to be recorded for it");
    }
    note_detector(s, outcome);
    if (s.frequency_hz.size() > 2 && *noise_bandwidth(s) <= 45e3) {
        outcome.traces.push_back(in_windows(s, plan, "emission_30khz", "Power in 30 kHz", 30e3));
        outcome.traces.push_back(in_windows(s, plan, "emission_1mhz", "Power in 1 MHz", 1e6));
    } else {
        outcome.notes.emplace_back(
            "no emission in 30 kHz and 1 MHz: the spectrum's own bandwidth is wider than 30 kHz");
    }
    Trace trace = trace_of(std::move(s), "spectrum", "Power");
    trace.centre_hz = plan.centre;
    outcome.traces.insert(outcome.traces.begin(), std::move(trace));
    return outcome;
}

}  // namespace

// Power of the channel and of its neighbours in their measurement bandwidths, occupied bandwidth, emission
// beside the channel in 30 kHz and 1 MHz (TS 36.521-1 clause 6.6, TS 38.521-1 clause 6.5). Spectrum or
// complex samples.
Procedure cellular_leakage() {
    return {"cellular.leakage",
            "Leakage into neighbouring channels, occupied bandwidth, emission beside the channel",
            "Sums power over the channel and its neighbours in the measurement bandwidths of the standard, "
            "through "
            "the filter of UTRA for its channels, and over windows of 30 kHz and 1 MHz beside the channel. "
            "Takes a "
            "spectrum or complex samples; what lies beyond the record gives no result.",
            leakage_parameters,
            leakage_traces,
            leakage_products,
            leakage_setup,
            measure_leakage,
            preset_leakage};
}

}  // namespace rt
