// An active device: de-embedded, and its figures of merit.
#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/network/prepare.hpp"
#include "core/network/device.hpp"
#include "core/network/quality.hpp"
#include "core/stats/median.hpp"

namespace rt {
namespace {

constexpr std::array figures_parameters{
    ParameterInfo{"fit_from", ParameterKind::quantity, Unit::hertz, "",
                  "lowest frequency of the fits with 20 dB a decade; the upper half of the data without it"},
    ParameterInfo{"fit_to", ParameterKind::quantity, Unit::hertz, "", "highest frequency of the fits"},
    ParameterInfo{
        "at", ParameterKind::quantity, Unit::hertz, "",
        "frequency that single values are of: f |h21| there, K, gains; the middle of the fit without it"},
    ParameterInfo{"slope_within", ParameterKind::quantity, Unit::db, "3 dB",
                  "how far the fall of a gain may be from 20 dB a decade before its unity frequency is none"},
    contact_parameter,
    level_within_parameter,
    network_start_parameter,
    network_stop_parameter,
    network_points_parameter,
    network_bandwidth_parameter,
    network_data_parameter,
};
constexpr std::array figures_traces{
    Product{"current_gain", Unit::db, "|h21|"},
    Product{"available_gain", Unit::db, "MAG where K is above 1, otherwise MSG"},
    Product{"unilateral_gain", Unit::db, "U of Mason"},
    Product{"stability", Unit::none, "K of Rollett"},
    Product{"stability_mu", Unit::none, "mu of Edwards and Sinsky"},
};
constexpr std::array figures_products{
    Product{"transition_frequency", Unit::hertz,
            "where |h21| would be 1, by 20 dB a decade over the range of the fit"},
    Product{"transition_frequency_at", Unit::hertz, "f |h21| at the frequency given by at"},
    Product{"current_gain_slope", Unit::db, "fall of |h21| a decade over the range"},
    Product{"highest_oscillation_frequency", Unit::hertz, "where U would be 1, in the same way"},
    Product{"unilateral_gain_slope", Unit::db, "fall of U a decade over the range"},
    Product{"oscillation_frequency_by_available_gain", Unit::hertz,
            "where MAG would be 1, where K is above 1 in the whole range"},
    Product{"stable_from", Unit::hertz, "first frequency where K rises through 1"},
    Product{"least_stability", Unit::none, "smallest K"},
    Product{"stability_at", Unit::none, "K at the frequency given by at"},
    Product{"current_gain_at", Unit::db, "|h21| there"},
    Product{"available_gain_at", Unit::db, "MAG or MSG there"},
    Product{"unilateral_gain_at", Unit::db, "U there"},
    Product{"transconductance_at", Unit::siemens, "real part of Y21 there"},
};
constexpr std::array figures_inputs{
    device_input,
    terms_input,
    InputInfo{"open", "the pads without the device", false},
    InputInfo{"short", "the pads and leads with the device shorted", false},
    InputInfo{"pad", "the pads alone, where open is pads and leads", false},
};

void require_dummies(const std::set<std::string>& names) {
    const bool open = names.contains("open"), short_one = names.contains("short"),
               pad = names.contains("pad");
    if (!open && (short_one || pad)) fail_input("a short or a pad without the open: give the input open too");
    if (pad && !short_one) fail_input("the input pad needs open and short besides");
}

Network inner_device(Inputs& inputs, const Parameters& p, Outcome& outcome) {
    const char* const who = "device.figures";
    Network device = taken_network(inputs, "device", p, who, outcome);
    if (device.ports != 2)
        fail_input(fmt::format("device.figures needs two ports, the data has {}", device.ports));
    if (!device.one_reference()) device = renormalised(device, {device.reference(1)});
    const bool open = inputs.find("open"), short_one = inputs.find("short"), pad = inputs.find("pad");
    if (!open) {
        outcome.notes.emplace_back(
            "nothing is de-embedded: the figures are those of the device with its pads");
        return device;
    }
    std::vector<Network> dummies;
    for (const char* name : {"open", "short", "pad"}) {
        dummies.emplace_back();
        if (!inputs.find(name)) continue;
        dummies.back() = taken_network(inputs, name, p, who, outcome);
        // One that was left raw beside others that are not gives nonsense that looks like a device.
        if (dummies.back().done.empty() != device.done.empty())
            fail_input(fmt::format(
                "{} and the device were not treated alike (\"{}\" against \"{}\"): correct both, or "
                "neither",
                name, dummies.back().done.empty() ? "raw" : dummies.back().done.front(),
                device.done.empty() ? "raw" : device.done.front()));
    }
    return de_embedded(device, {&dummies[0], short_one ? &dummies[1] : nullptr, pad ? &dummies[2] : nullptr});
}

// Without a signal that goes through, stability is infinite and every gain that of the noise.
void require_gain(const Network& device) {
    std::vector<Complex> through;
    std::vector<double> size, back, unsure;
    for (std::size_t i = 0; i < device.frequency_hz.size(); ++i) {
        through.push_back(device.at(i, 2, 1));
        size.push_back(std::abs(through.back())), back.push_back(std::abs(device.at(i, 1, 2)));
        if (!device.uncertainty.empty()) unsure.push_back(device.uncertainty[4 * i + 2]);
    }
    const double typical = median(size);
    const auto db = [](double v) { return 20 * std::log10(std::max(v, 1e-15)); };
    constexpr double over_noise = 4;  // 12 dB
    const auto noise = unsure.empty() ? noise_of(through) : median(unsure);
    if (noise && typical < over_noise * *noise)
        fail_signal(fmt::format(
            "nothing goes through the device: |S21| is {:.1f} dB, its noise {:.1f} dB; probes in the air?",
            db(typical), db(*noise)));
    constexpr double least_by_itself = 0.01;  // -40 dB
    if (!noise && typical < least_by_itself)
        fail_signal(fmt::format(
            "|S21| is {:.1f} dB, and {} frequencies are too few to tell it from noise: at least 8 "
            "are needed, or data with its uncertainty",
            db(typical), through.size()));
    if (median(back) > 2 * typical)
        fail_signal(fmt::format(
            "the device lies the wrong way round: |S12| is {:.1f} dB, |S21| {:.1f} dB; port 1 is its input",
            db(median(back)), db(typical)));
}

Trace figure_trace(const Product& product, const std::vector<double>& hz, std::vector<double> y) {
    Trace out;
    out.name = product.name, out.title = product.help, out.y_unit = product.unit, out.log_x = hz.front() > 0;
    out.x = hz, out.y = std::move(y);
    return out;
}

double power_db(double ratio) {
    return ratio > 0 && std::isfinite(ratio) ? 10 * std::log10(ratio) : std::nan("");
}

// Unity by a fit, with why there is none.
void add_unity(Outcome& outcome, const char* name, const char* slope_name, const std::vector<double>& hz,
               const std::vector<double>& ratio, double from, double to, double within) {
    const auto unity = unity_gain(hz, ratio, from, to);
    if (!unity) {
        outcome.notes.push_back(std::string("no ") + name +
                                ": fewer than three frequencies in the range, or none at some of them");
        return;
    }
    if (slope_name) outcome.add(slope_name, unity->slope_db, Unit::db);
    if (std::abs(unity->slope_db + 20) > within) {
        outcome.notes.push_back(
            fmt::format("no {}: the gain falls by {:.1f} dB a decade over the range, not by 20; "
                        "give another range (fit_from, fit_to)",
                        name, -unity->slope_db));
        return;
    }
    outcome.add(name, unity->frequency_hz, Unit::hertz);
    if (unity->frequency_hz > hz.back())
        outcome.notes.push_back(fmt::format("{} lies {:.2g} times above the highest frequency measured", name,
                                            unity->frequency_hz / hz.back()));
}

Outcome measure_figures(Inputs inputs, const Parameters& p) {
    Outcome outcome;
    Network device = inner_device(inputs, p, outcome);
    require_gain(device);
    const auto& hz = device.frequency_hz;
    std::vector<DeviceFigures> all;
    for (std::size_t i = 0; i < hz.size(); ++i) all.push_back(figures_of(two_at(device, i)));
    const auto column = [&](auto&& of) {
        std::vector<double> out;
        for (const auto& f : all) out.push_back(of(f));
        return out;
    };
    const auto h21 = column([](const DeviceFigures& f) { return f.h21; });
    const auto k = column([](const DeviceFigures& f) { return f.k; });
    const auto unilateral =
        column([](const DeviceFigures& f) { return f.unilateral > 0 ? std::sqrt(f.unilateral) : 0; });
    const double from = p.number("fit_from").value_or(hz[hz.size() / 2]),
                 to = p.number("fit_to").value_or(hz.back());
    if (!(to >= from)) fail_input("parameters fit_from and fit_to: the range runs backwards");
    if (from < hz.front() * (1 - 1e-9) || to > hz.back() * (1 + 1e-9))
        fail_signal(fmt::format("the range of the fit, {} to {}, is not in the data, {} to {}",
                                format({from, Unit::hertz}), format({to, Unit::hertz}),
                                format({hz.front(), Unit::hertz}), format({hz.back(), Unit::hertz})));
    const double within = p.required("slope_within");
    add_unity(outcome, "transition_frequency", "current_gain_slope", hz, h21, from, to, within);
    add_unity(outcome, "highest_oscillation_frequency", "unilateral_gain_slope", hz, unilateral, from, to,
              within);
    const bool stable = std::none_of(all.begin(), all.end(), [&](const DeviceFigures& f) {
        const double at = hz[static_cast<std::size_t>(&f - all.data())];
        return at >= from && at <= to && f.k <= 1;
    });
    if (stable)
        add_unity(outcome, "oscillation_frequency_by_available_gain", nullptr, hz,
                  column([](const DeviceFigures& f) { return std::sqrt(f.available); }), from, to, within);
    // Single values at the frequency nearest to the one asked for.
    const double wanted = p.number("at").value_or(std::sqrt(std::max(from, hz.front()) * to));
    if (wanted < hz.front() * (1 - 1e-9) || wanted > hz.back() * (1 + 1e-9))
        fail_signal("the frequency " + format({wanted, Unit::hertz}) + " (at) is not in the data");
    std::size_t at = 0;
    for (std::size_t i = 0; i < hz.size(); ++i) {
        if (std::abs(hz[i] - wanted) < std::abs(hz[at] - wanted)) at = i;
    }
    outcome.add("transition_frequency_at", hz[at] * h21[at], Unit::hertz);
    outcome.add("current_gain_at", 20 * std::log10(std::max(h21[at], 1e-15)), Unit::db);
    // Without feedback nothing can make it unstable, and K is infinite.
    if (std::isfinite(k[at])) outcome.add("stability_at", k[at], Unit::none);
    if (std::isfinite(power_db(all[at].available)))
        outcome.add("available_gain_at", power_db(all[at].available), Unit::db);
    if (std::isfinite(power_db(all[at].unilateral)))
        outcome.add("unilateral_gain_at", power_db(all[at].unilateral), Unit::db);
    outcome.add("transconductance_at", admittance_of(two_at(device, at), device.reference(1)).c.real(),
                Unit::siemens);
    outcome.notes.push_back("single values at " + format({hz[at], Unit::hertz}));
    if (const auto crossing = crossing_at(hz, k, 1, true)) outcome.add("stable_from", *crossing, Unit::hertz);
    if (const double least = *std::min_element(k.begin(), k.end()); std::isfinite(least))
        outcome.add("least_stability", least, Unit::none);
    outcome.traces.push_back(figure_trace(figures_traces[0], hz, column([](const DeviceFigures& f) {
                                              return 20 * std::log10(std::max(f.h21, 1e-15));
                                          })));
    const auto gain = [&](const Product& product, std::vector<double> ratio) {
        // Where there is none the curve has a gap that nothing may be judged across: it is left out as a
        // whole.
        for (auto& value : ratio) value = power_db(value);
        if (std::all_of(ratio.begin(), ratio.end(), [](double v) { return std::isfinite(v); }))
            outcome.traces.push_back(figure_trace(product, hz, std::move(ratio)));
        else
            outcome.notes.push_back(std::string("no curve ") + product.name +
                                    ": at some frequencies there is none");
    };
    gain(figures_traces[1], column([](const DeviceFigures& f) { return f.available; }));
    gain(figures_traces[2], column([](const DeviceFigures& f) { return f.unilateral; }));
    if (std::all_of(k.begin(), k.end(), [](double v) { return std::isfinite(v); }))
        outcome.traces.push_back(figure_trace(figures_traces[3], hz, k));
    outcome.traces.push_back(figure_trace(
        figures_traces[4], hz, column([](const DeviceFigures& f) { return std::min(f.mu, 1e9); })));
    note_steps(device, outcome);
    outcome.made = std::move(device);
    return outcome;
}

}  // namespace

Procedure device_figures() {
    return {
        "device.figures",
        "A device between its dummies: gains, stability, unity frequencies",
        "De-embeds by open, open and short, or pad, open and short; then |h21| and the transition frequency "
        "(M. Gupta, 1992), K, mu, MSG and MAG, U and the highest oscillation frequency. Raw data is "
        "corrected by "
        "error terms first where they are given. A gain that does not fall with 20 dB a decade has no unity "
        "frequency. Makes the inner device's data for later tests.",
        figures_parameters,
        figures_traces,
        figures_products,
        network_setup,
        nullptr,
        preset_named,
        lost_contact,
        false,
        figures_inputs,
        measure_figures,
        false,
        Network::kind,
        require_dummies};
}

}  // namespace rt
