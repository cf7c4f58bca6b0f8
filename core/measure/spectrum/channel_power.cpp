// spectrum.channel-power: power of a channel and of its neighbours.
#include "core/measure/procedure.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/gate.hpp"
#include "core/measure/spectrum/band.hpp"
#include "core/measure/spectrum_setup.hpp"

namespace rt {
namespace {

constexpr auto channel_power_parameters = joined(
    std::array{
        ParameterInfo{"centre", ParameterKind::quantity, Unit::hertz, "", "middle of the channel"},
        ParameterInfo{"channel_bandwidth", ParameterKind::quantity, Unit::hertz, "",
                      "width over which power is summed"},
        ParameterInfo{"spacing", ParameterKind::quantity, Unit::hertz, "",
                      "distance to the next channel; without it, the width of the channel"},
        ParameterInfo{"neighbours", ParameterKind::choice, Unit::none, "two",
                      "neighbouring channels to measure on each side", "none one two"},
        ParameterInfo{"neighbour_bandwidth", ParameterKind::quantity, Unit::hertz, "",
                      "width of a neighbouring channel; without it, that of the channel"},
        ParameterInfo{"density_window", ParameterKind::quantity, Unit::hertz, "1 MHz",
                      "width of the window in which the highest power is looked for"},
        gain_parameter,
    },
    spectrum_rows, gate_rows);

constexpr std::array channel_power_traces{
    Product{"spectrum", Unit::dbm, "power in the resolution bandwidth"}};
constexpr std::array channel_power_products{
    Product{"channel_power", Unit::dbm, "power in the channel", Trend::rising},
    Product{"mean_density", Unit::dbm_per_hz, "channel power over its width"},
    Product{"highest_density", Unit::dbm,
            "highest power in a window of density_window inside the channel, with the gain"},
    Product{"adjacent_low", Unit::db, "lower neighbour's power relative to the channel's"},
    Product{"adjacent_high", Unit::db, "upper neighbour's power relative to the channel's"},
    Product{"alternate_low", Unit::db, "the same for the channel after the next, below"},
    Product{"alternate_high", Unit::db, "the same for the channel after the next, above"},
    Product{"adjacent_power", Unit::dbm, "power of the stronger adjacent channel"},
    Product{"alternate_power", Unit::dbm, "power of the stronger alternate channel"},
};

struct Plan {
    double centre, width, spacing, neighbour;
    int sides;
    double reach() const { return sides == 0 ? width / 2 : sides * spacing + neighbour / 2; }
};

Plan plan_of(const Parameters& p) {
    Plan out{};
    out.centre = p.required("centre");
    out.width = p.required("channel_bandwidth");
    if (!(out.width > 0)) fail_input("parameter channel_bandwidth: must be above 0 Hz");
    out.spacing = p.number("spacing").value_or(out.width);
    out.neighbour = p.number("neighbour_bandwidth").value_or(out.width);
    const std::string sides = p.text("neighbours");
    out.sides = sides == "none" ? 0 : sides == "one" ? 1 : 2;
    return out;
}

CaptureSetup channel_power_setup(const Parameters& p) {
    const Plan plan = plan_of(p);
    Parameters filled = p;
    if (!filled.has("bandwidth")) filled.set_quantity("bandwidth", {plan.width / 100, Unit::hertz});
    if (!filled.has("detector")) filled.set("detector", "rms");
    return spectrum_setup(filled, plan.centre - plan.reach(), plan.centre + plan.reach());
}

// The highest power in a window of `width` that lies inside the channel, moved on point by point.
double highest_window(const Spectrum& s, const Plan& plan, double width) {
    const double low = plan.centre - plan.width / 2, high = plan.centre + plan.width / 2;
    if (width >= plan.width) return *band_power(s, low, high);
    const auto& f = s.frequency_hz;
    const double step = (f.back() - f.front()) / static_cast<double>(f.size() - 1);
    const PowerBelow power_below(s);
    double best = 0;
    for (double from = low; from + width <= high + step / 1000; from += step) {
        best = std::max(best, power_below(from + width) - power_below(from));
    }
    return best;
}

Outcome measure_channel_power(Capture any, const Parameters& p) {
    const Plan plan = plan_of(p);
    const double fine = fine_bandwidth(any, p, plan.width);
    Spectrum s = take_spectrum(std::move(any), "spectrum.channel-power", p, {0, 0, fine, Detector::rms});
    require_power(s, "spectrum.channel-power");
    Outcome outcome;
    const auto power_of = [&](double centre, double width) {
        return band_power(s, centre - width / 2, centre + width / 2);
    };
    if (!noise_bandwidth(s)) {
        fail_input(
            "the trace does not state its resolution bandwidth: power cannot be summed; give it with --set "
            "bandwidth=VALUE");
    }
    if (!covers(s, plan.centre - plan.width / 2, plan.centre + plan.width / 2)) {
        fail_input("the channel from " + format({plan.centre - plan.width / 2, Unit::hertz}) + " to " +
                   format({plan.centre + plan.width / 2, Unit::hertz}) +
                   " is wider than the trace, which covers " + format({s.frequency_hz.front(), Unit::hertz}) +
                   " to " + format({s.frequency_hz.back(), Unit::hertz}));
    }
    const double channel = to_db(*power_of(plan.centre, plan.width));
    outcome.add("channel_power", channel, s.unit);
    outcome.add("mean_density", channel - 10 * std::log10(plan.width), density_unit(s.unit));
    outcome.add("highest_density",
                to_db(highest_window(s, plan, p.required("density_window"))) + p.required("gain"), s.unit);
    constexpr const char* names[2][3] = {{"adjacent_low", "adjacent_high", "adjacent_power"},
                                         {"alternate_low", "alternate_high", "alternate_power"}};
    for (int side = 1; side <= plan.sides; ++side) {
        const double away = side * plan.spacing;
        const auto* name = names[side - 1];
        if (!covers(s, plan.centre - away - plan.neighbour / 2, plan.centre + away + plan.neighbour / 2)) {
            outcome.notes.push_back(std::string(side == 1 ? "adjacent" : "alternate") +
                                    " channels are not measured: the trace ends before them");
            break;
        }
        const double low = to_db(*power_of(plan.centre - away, plan.neighbour));
        const double high = to_db(*power_of(plan.centre + away, plan.neighbour));
        outcome.add(name[0], low - channel, Unit::db);
        outcome.add(name[1], high - channel, Unit::db);
        outcome.add(name[2], std::max(low, high), s.unit);
    }
    note_detector(s, outcome);
    Trace trace = trace_of(std::move(s), "spectrum", "Power");
    trace.centre_hz = plan.centre;
    outcome.traces.push_back(std::move(trace));
    return outcome;
}

}  // namespace

// Channel power (dBm), its mean density, the highest density in a window, and the power of neighbouring
// channels relative to it (dB below is positive: the adjacent channel power ratio of 3GPP TS 36.521-1 6.6.2.3
// and others). Trace `spectrum`.
Procedure channel_power() {
    return {"spectrum.channel-power",
            "Power of a channel and of its neighbours",
            "Sums the points of a spectrum over the channel and over the adjacent and alternate channels, "
            "each point "
            "with its step over the noise bandwidth of the resolution filter. Takes a spectrum or complex "
            "samples.",
            channel_power_parameters,
            channel_power_traces,
            channel_power_products,
            channel_power_setup,
            measure_channel_power,
            preset_conditions};
}

}  // namespace rt
