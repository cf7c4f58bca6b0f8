// Procedures on network data.
#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/network/prepare.hpp"
#include "core/network/reflection.hpp"

namespace rt {
namespace {

constexpr std::array return_loss_parameters{
    ParameterInfo{"ports", ParameterKind::text, Unit::none, "1",
                  "port whose reflection counts, or the two that carry a pair as 1-2"},
    ParameterInfo{"reference", ParameterKind::quantity, Unit::ohm, "",
                  "resistance that the loss counts from; without it that of the data, twice it for a pair"},
    network_start_parameter,
    network_stop_parameter,
    network_points_parameter,
    network_bandwidth_parameter,
    network_data_parameter,
    level_within_parameter,
};
constexpr std::array return_loss_traces{
    Product{"return_loss", Unit::db, "-20 log10 of the reflection"},
    Product{"mode_conversion_loss", Unit::db,
            "-20 log10 of the common-mode wave that a differential one comes back as; of a pair"},
};
constexpr std::array return_loss_products{
    Product{"least_return_loss", Unit::db, "smallest return loss of all frequencies"},
    Product{"least_at", Unit::hertz, "its frequency"},
    Product{"least_mode_conversion_loss", Unit::db, "smallest conversion loss, of a pair"},
};

ReflectionPorts ports_of(const Parameters& p) {
    const std::string text = p.text("ports");
    const auto fail = [&] {
        fail_input("parameter ports: " + in_quotes(text) + " is none; write 1, or 1-2 for a pair");
    };
    const auto number = [&](std::string_view digits) {
        const auto value = to_double(trim(digits));
        if (!value || *value != std::floor(*value) || *value < 1 || *value > 99) fail();
        return static_cast<std::size_t>(*value);
    };
    ReflectionPorts out;
    const auto minus = text.find('-');
    out.a = number(text.substr(0, minus));
    if (minus != std::string::npos) out.b = number(text.substr(minus + 1));
    out.reference_ohm = p.number("reference").value_or(0);
    if (p.has("reference") && !(out.reference_ohm > 0))
        fail_input("parameter reference: must be above 0 ohm");
    return out;
}

CaptureSetup return_loss_setup(const Parameters& p) {
    CaptureSetup out = network_setup(p);
    const ReflectionPorts ports = ports_of(p);
    if (ports.a > 2 || ports.b > 2) fail_input("parameter ports: a network analyser here has ports 1 and 2");
    return out;
}

Trace loss_trace(const char* name, const char* title, const Network& network,
                 const std::vector<std::complex<double>>& values) {
    Trace trace;
    trace.name = name;
    trace.title = title;
    trace.y_unit = Unit::db;
    trace.log_x = true;
    trace.x = network.frequency_hz;
    // What reflects nothing at all is given as 200 dB.
    for (const auto& value : values) trace.y.push_back(-20 * std::log10(std::max(std::abs(value), 1e-10)));
    return trace;
}

constexpr std::array return_loss_inputs{device_input, terms_input};

Outcome measure_return_loss(Inputs inputs, const Parameters& p) {
    Outcome outcome;
    const Network network = taken_network(inputs, "device", p, "network.return-loss", outcome);
    const Reflections seen = reflections(network, ports_of(p));
    Trace loss = loss_trace("return_loss", "Return loss", network, seen.reflection);
    if (loss.x.front() <= 0) loss.log_x = false;
    const auto least = std::min_element(loss.y.begin(), loss.y.end());
    outcome.add("least_return_loss", *least, Unit::db);
    outcome.add("least_at", loss.x[static_cast<std::size_t>(least - loss.y.begin())], Unit::hertz);
    const bool more_than_passive = *least < -0.1;
    outcome.traces.push_back(std::move(loss));
    if (!seen.mode_conversion.empty()) {
        Trace conversion =
            loss_trace("mode_conversion_loss", "Mode conversion loss", network, seen.mode_conversion);
        conversion.log_x = outcome.traces.front().log_x;
        outcome.add("least_mode_conversion_loss", *std::min_element(conversion.y.begin(), conversion.y.end()),
                    Unit::db);
        outcome.traces.push_back(std::move(conversion));
    }
    outcome.notes.push_back("losses count from " + format({seen.reference_ohm, Unit::ohm}));
    if (more_than_passive) {
        outcome.invalid =
            "more power comes back than goes in: the calibration of the network analyser does not hold";
    }
    return outcome;
}

}  // namespace

Procedure network_return_loss() {
    return {
        "network.return-loss",
        "Return loss and mode conversion of a port or a pair",
        "From scattering parameters (Touchstone, or a network analyser): one port as it is, a pair by its "
        "mixed-mode parameters Sdd11 and Scd11, on the reference resistance wanted. Lower limit lines "
        "judge the curves.",
        return_loss_parameters,
        return_loss_traces,
        return_loss_products,
        return_loss_setup,
        nullptr,
        preset_named,
        nullptr,
        false,
        return_loss_inputs,
        measure_return_loss};
}

}  // namespace rt
