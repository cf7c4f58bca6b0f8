// The list of procedures. Adding one is one file pair and one line here.
#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/emission/scan.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/radio/mask.hpp"

namespace rt {

std::span<const Procedure> procedures() {
    static const std::array list{emission_scan(), radio_mask()};
    return list;
}

const Procedure& find_procedure(std::string_view name) {
    std::vector<std::string> names;
    for (const auto& entry : procedures()) {
        if (name == entry.name) return entry;
        names.emplace_back(entry.name);
    }
    fail_input("unknown procedure " + in_quotes(name) + suggestion(name, names));
}

bool Procedure::gives(std::string_view product) const {
    const auto named = [&](const Product& p) { return product == p.name; };
    return std::any_of(traces.begin(), traces.end(), named) ||
           std::any_of(results.begin(), results.end(), named);
}

void require_applicable(const Procedure& procedure, RuleRef ref) {
    if (procedure.gives(ref.rule->applies_to)) return;
    std::string list;
    for (const auto& p : procedure.traces) list += (list.empty() ? "" : ", ") + std::string(p.name);
    for (const auto& p : procedure.results) list += ", " + std::string(p.name);
    fail_input("rule " + ref.full_id() + " judges " + in_quotes(ref.rule->applies_to) + ", but procedure " +
               procedure.name + " gives " + list);
}

std::vector<std::string> deviations_from(const Rule& rule, const Parameters& parameters) {
    std::vector<std::string> out;
    for (const auto& [name, wanted] : rule.presets) {
        const auto at = parameters.texts().find(name);
        if (at == parameters.texts().end() || parameters.same(name, at->second, wanted)) continue;
        out.push_back(name + " " + at->second + " instead of " + wanted);
    }
    return out;
}

Outcome measure(const Procedure& procedure, Spectrum capture, const Parameters& parameters) {
    const auto overload = capture.overload;
    Outcome outcome = procedure.measure(std::move(capture), parameters);
    if (overload) outcome.invalid = *overload;
    if (outcome.invalid) invalidate(outcome, *outcome.invalid);
    return outcome;
}

void complete(Spectrum& capture, const Parameters& stated) {
    if (const auto detector = stated.detector("detector")) {
        if (capture.detector && *capture.detector != *detector) {
            fail_input(std::string("the capture states the detector ") + name(*capture.detector) +
                       ", the parameter says " + name(*detector));
        }
        capture.detector = detector;
    }
    if (const auto bandwidth = stated.number("bandwidth")) {
        auto& known = capture.resolution_bandwidth_hz;
        if (known && std::abs(*known - *bandwidth) > 1e-6 * *bandwidth) {
            fail_input("the capture states the bandwidth " + format({*known, Unit::hertz}) +
                       ", the parameter says " + format({*bandwidth, Unit::hertz}));
        }
        known = bandwidth;
    }
}

void invalidate(Outcome& outcome, std::string reason) {
    outcome.invalid = std::move(reason);
    outcome.results.clear();
}

}  // namespace rt
