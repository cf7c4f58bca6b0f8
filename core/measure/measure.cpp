#include "core/measure/procedure.hpp"

#include <algorithm>
#include <cmath>
#include <functional>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {

bool Procedure::gives(std::string_view product) const {
    const auto named = [&](const Product& p) { return product == p.name; };
    return std::any_of(traces.begin(), traces.end(), named) ||
           std::any_of(results.begin(), results.end(), named);
}

const Product& Procedure::result(std::string_view wanted) const {
    std::vector<std::string> names;
    for (const auto& product : results) {
        if (wanted == product.name) return product;
        names.emplace_back(product.name);
    }
    fail_input(std::string(name) + " gives no result " + in_quotes(wanted) + suggestion(wanted, names));
}

namespace {

// A bound in another kind of unit than the result could only be met with when the point has been measured.
void require_unit(const Procedure& procedure, RuleRef ref) {
    const Rule& rule = *ref.rule;
    if (!rule.bound()) return;
    for (const auto& product : procedure.results) {
        const bool dynamic = product.unit == Unit::none;  // that of what a conclusion is drawn from
        if (rule.applies_to != product.name || dynamic || product.unit == rule.unit) continue;
        if (is_decibel(product.unit) && is_decibel(rule.unit)) return;  // by impedance or antenna
        if (convert({1, product.unit}, rule.unit)) return;
        fail_input("rule " + ref.full_id() + " is in " + in_quotes(symbol(rule.unit)) + ", but " +
                   procedure.name + " gives " + rule.applies_to + " in " + in_quotes(symbol(product.unit)));
    }
}

}  // namespace

void require_applicable(const Procedure& procedure, RuleRef ref) {
    if (procedure.gives(ref.rule->applies_to)) return require_unit(procedure, ref);
    std::string list;
    for (const auto& p : procedure.traces) list += (list.empty() ? "" : ", ") + std::string(p.name);
    for (const auto& p : procedure.results) list += ", " + std::string(p.name);
    fail_input("rule " + ref.full_id() + " judges " + in_quotes(ref.rule->applies_to) + ", but procedure " +
               procedure.name + " gives " + list);
}

void preset_named(const Rule& rule, Parameters& parameters) {
    for (const auto& [key, value] : rule.presets) {
        if (parameters.find(key) && !parameters.has(key)) parameters.set(key, value);
    }
}

namespace {

// Whether thresholds or a mask in volts decided what was measured.
bool decided_by_volts(const Parameters& p) {
    return std::any_of(p.known().begin(), p.known().end(), [&](const ParameterInfo& row) {
        const std::string_view name = row.name;
        // What an oscilloscope is asked for decides nothing in a record that is there.
        if (name == "range" || name == "trigger_voltage") return false;
        return (row.unit == Unit::volt || name == "mask") && p.has(row.name);
    });
}

// How long the part that the parameters from and to name was observed.
std::optional<double> observed_part_s(const Capture& capture, const Parameters& p) {
    const auto whole = observed_s(capture);
    if (!whole) return whole;
    const double end = std::min(*whole, p.number("to").value_or(*whole));
    return std::max(0.0, end - p.number("from").value_or(0));
}

// Why an input cannot be trusted or cannot have been measured, and of several which one it is.
std::optional<std::string> doubt_of(const Inputs& inputs) {
    for (const auto& input : inputs.all()) {
        auto why = distrust(input.capture).value_or(implausible(input.capture));
        if (!why.empty()) return inputs.prefix(input) + why;
    }
    return std::nullopt;
}

Outcome run(const Procedure& procedure, Inputs inputs, const Parameters& parameters) {
    try {
        if (procedure.measure_inputs) return procedure.measure_inputs(std::move(inputs), parameters);
        return procedure.measure(inputs.take_first(), parameters);
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::signal) throw;
        Outcome outcome;
        outcome.invalid = error.message();
        return outcome;
    }
}

}  // namespace

Outcome measure(const Procedure& procedure, Inputs inputs, const Parameters& parameters) {
    inputs.require(procedure.inputs, procedure.name);
    if (procedure.require_named) {
        std::set<std::string> names;
        for (const auto& input : inputs.all()) names.insert(input.name);
        procedure.require_named(names);
    }
    const Capture& first = inputs.all().front().capture;
    const auto doubt = doubt_of(inputs);
    const auto observed = observed_part_s(first, parameters);
    bool no_scale = false;
    std::optional<Unexpected> unexpected;
    if (procedure.check) unexpected = procedure.check(first, parameters);
    // Whether samples were clipped is known when they have been read.
    std::vector<std::pair<std::string, std::function<std::string()>>> watched;
    for (const auto& input : inputs.all()) {
        no_scale = no_scale || unscaled(input.capture);
        watched.emplace_back(inputs.prefix(input), watch_reading(input.capture));
    }
    Outcome outcome = run(procedure, std::move(inputs), parameters);
    for (const auto& [prefix, spoilt] : watched) {
        if (const auto why = spoilt(); !why.empty()) outcome.invalid = prefix + why;
    }
    if (unexpected) outcome.invalid = unexpected->text();
    if (doubt) outcome.invalid = *doubt;
    if (outcome.invalid) invalidate(outcome, *outcome.invalid);
    if (!outcome.observed_s) outcome.observed_s = observed;
    outcome.unscaled = no_scale;
    outcome.by_volts = decided_by_volts(parameters);
    if (outcome.unscaled) {
        outcome.notes.push_back(
            "the record does not say how many volts a unit of it is: voltages are in its own units; give "
            "--volts-per-unit");
    }
    outcome.stated = parameters.stated_names();
    return outcome;
}

void complete(Capture& any, const Parameters& p) {
    auto* spectrum = std::get_if<Spectrum>(&any);
    if (!spectrum) return;
    Spectrum& capture = *spectrum;
    const auto declare = [&](const std::string& what) {
        capture.declared += (capture.declared.empty() ? "" : ", ") + what;
    };
    if (const auto detector = p.detector("detector"); detector && p.stated("detector")) {
        if (capture.detector && *capture.detector != *detector) {
            fail_input(std::string("the capture states the detector ") + name(*capture.detector) +
                       ", the parameter says " + name(*detector));
        }
        if (!capture.detector) declare(std::string("detector ") + name(*detector));
        capture.detector = detector;
    }
    if (const auto bandwidth = p.number("bandwidth"); bandwidth && p.stated("bandwidth")) {
        auto& known = capture.resolution_bandwidth_hz;
        if (known && std::abs(*known - *bandwidth) > 1e-6 * *bandwidth) {
            fail_input("the capture states the bandwidth " + format({*known, Unit::hertz}) +
                       ", the parameter says " + format({*bandwidth, Unit::hertz}));
        }
        if (!known) declare("bandwidth " + format({*bandwidth, Unit::hertz}));
        known = bandwidth;
    }
}

}  // namespace rt
