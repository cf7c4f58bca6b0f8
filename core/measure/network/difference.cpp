// Network data against what it should be, or was.
#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/measure/network/prepare.hpp"
#include "core/network/standard.hpp"

namespace rt {
namespace {

constexpr std::array verification_parameters{
    ParameterInfo{"standard", ParameterKind::text, Unit::none, "line",
                  "which one of the kit the device is, where a kit is given: line, open, short ..."},
    ParameterInfo{"port", ParameterKind::whole_number, Unit::none, "1",
                  "port that a one-port standard is at"},
    level_within_parameter,
    network_start_parameter,
    network_stop_parameter,
    network_points_parameter,
    network_bandwidth_parameter,
    network_data_parameter,
};
constexpr std::array verification_traces{
    Product{"vector_difference", Unit::none, "largest |difference| of any parameter"},
};
constexpr std::array verification_products{
    Product{"worst_vector_difference", Unit::none, "over all frequencies"},
    Product{"worst_at", Unit::hertz, "its frequency"},
    Product{"worst_magnitude_difference", Unit::db, "largest difference in dB, of parameters above -40 dB"},
    Product{"worst_phase_difference", Unit::degree, "largest difference of phase, of the same"},
};

constexpr std::array verification_inputs{
    device_input,
    terms_input,
    InputInfo{"model", "network data of what it should be, or was", false},
    InputInfo{"kit", "calibration kit that it belongs to, in place of a model", false, kit_setup},
};

Network model_of(Inputs& inputs, const Parameters& p, const Network& device) {
    if (inputs.find("model") && inputs.find("kit"))
        fail_input("model and kit are given: one of them is enough");
    if (inputs.find("model")) {
        Network model = take<Network>(inputs.take("model"), "network.verification");
        if (model.ports != device.ports)
            fail_input(fmt::format("the device has {} ports, the model {}", device.ports, model.ports));
        if (model.reference_ohm != device.reference_ohm) model = renormalised(model, device.reference_ohm);
        return model;
    }
    if (!inputs.find("kit"))
        fail_input("network.verification needs the input model, or a kit: write model=FILE");
    const auto kit = take<CalibrationKit>(inputs.take("kit"), "network.verification");
    const std::string name = p.text("standard");
    const auto port = static_cast<std::size_t>(p.required("port"));
    const Standard* found = kit.find(name, 0);
    for (const std::size_t number : {std::size_t{1}, std::size_t{2}}) {
        if (!found && (number == port)) found = kit.find(name, number);
    }
    if (!found) fail_input("the kit has no " + name);
    const bool two = found->kind == StandardKind::thru || found->kind == StandardKind::line;
    if (two != (device.ports == 2))
        fail_input(fmt::format("the kit's {} has {}, the device {} ports", name,
                               two ? "two ports" : "one port", device.ports));
    Network out = device;
    for (std::size_t i = 0; i < device.frequency_hz.size(); ++i) {
        const double hz = device.frequency_hz[i];
        if (two)
            put(out, i, transmission_of(*found, hz, device.reference(1)));
        else
            out.s[i] = reflection_of(*found, hz, device.reference(1));
    }
    return out;
}

Outcome measure_verification(Inputs inputs, const Parameters& p) {
    Outcome outcome;
    const Network device = taken_network(inputs, "device", p, "network.verification", outcome);
    const Network model = model_of(inputs, p, device);
    require_same_grid(device, "the device", model, "the model");
    Trace trace;
    trace.name = "vector_difference", trace.title = "Vector difference", trace.y_unit = Unit::none;
    trace.x = device.frequency_hz;
    const std::size_t all = device.ports * device.ports;
    double db = 0, degrees = 0;
    constexpr double least = 0.01;  // -40 dB
    for (std::size_t i = 0; i < device.frequency_hz.size(); ++i) {
        double worst = 0;
        for (std::size_t k = i * all; k < (i + 1) * all; ++k) {
            worst = std::max(worst, std::abs(device.s[k] - model.s[k]));
            if (std::abs(model.s[k]) < least) continue;
            const auto ratio = device.s[k] / model.s[k];
            db = std::max(db, std::abs(20 * std::log10(std::max(std::abs(ratio), 1e-15))));
            degrees = std::max(degrees, std::abs(std::arg(ratio)) * 180 / std::numbers::pi);
        }
        trace.y.push_back(worst);
    }
    const auto worst = std::max_element(trace.y.begin(), trace.y.end());
    outcome.add("worst_vector_difference", *worst, Unit::none);
    outcome.add("worst_at", trace.x[static_cast<std::size_t>(worst - trace.y.begin())], Unit::hertz);
    outcome.add("worst_magnitude_difference", db, Unit::db);
    outcome.add("worst_phase_difference", degrees, Unit::degree);
    outcome.traces.push_back(std::move(trace));
    return outcome;
}

}  // namespace

Procedure network_verification() {
    return {
        "network.verification",
        "A known device against its model or its earlier data",
        "Every parameter at every frequency as a vector difference; magnitude in dB and phase in degrees for "
        "parameters above -40 dB. The model is a file, an earlier test, or a standard of a kit. Raw data is "
        "corrected by error terms first where they are given.",
        verification_parameters,
        verification_traces,
        verification_products,
        network_setup,
        nullptr,
        preset_named,
        nullptr,
        false,
        verification_inputs,
        measure_verification};
}

}  // namespace rt
