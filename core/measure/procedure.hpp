// A procedure: a pure function from a capture and parameters to an outcome. core/catalogue lists all.
#pragma once

#include <functional>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/measure/inputs.hpp"
#include "core/outcome/outcome.hpp"
#include "core/outcome/parameters.hpp"
#include "core/rules/rule.hpp"
#include "core/signal/capture.hpp"
#include "core/stats/anomaly.hpp"

namespace rt {

// A capture that is not the signal expected: what was seen and what should have been.
struct Unexpected {
    std::string seen, expected;
    std::string text() const { return "seen: " + seen + "; expected: " + expected; }
};

struct Product {
    const char* name;
    Unit unit;
    const char* help;
    Trend over_level =
        Trend::none;  // how it goes as a level of the sweep grows; what does not is shown as odd
};

struct Procedure {
    const char* name;  // "emission.scan"
    const char* title;
    const char* about;  // a few sentences: definition, source, when it refuses
    std::span<const ParameterInfo> parameters;
    std::span<const Product> traces;
    std::span<const Product> results;
    // Both throw Error(input) when a parameter they need is missing or out of range.
    std::function<CaptureSetup(const Parameters&)> setup;
    // The capture is of the kind that setup asks for.
    std::function<Outcome(Capture, const Parameters&)> measure;
    // What the rule fixes: band, bandwidth, detector ... Set only where nothing is set yet.
    void (*preset)(const Rule&, Parameters&);
    // Whether the signal is the one that the procedure measures; null when any will do.
    std::optional<Unexpected> (*check)(const Capture&, const Parameters&) = nullptr;
    // It takes frame by frame: those of several records of complex samples count together.
    bool several_records = false;
    // Where it takes several captures: all of them, and the function that takes them in place of `measure`.
    std::span<const InputInfo> inputs = {};
    std::function<Outcome(Inputs, const Parameters&)> measure_inputs = nullptr;
    // A program of the user's makes the outcome: it is kept, and not made again from the capture.
    bool by_program = false;
    // The kind of capture that it makes for later tests (Outcome::made); null for none.
    const char* makes = nullptr;
    // Throws Error(input) when inputs of these names are not enough for a result: known before anything is
    // measured. Null when the required ones are.
    void (*require_named)(const std::set<std::string>& names) = nullptr;

    bool gives(std::string_view product) const;
    // One of its results. Throws Error(input) with the nearest name.
    const Product& result(std::string_view name) const;
};

// Throws Error(input) unless the procedure gives the trace or result that the rule judges.
void require_applicable(const Procedure& procedure, RuleRef rule);

// The rule's own presets, where nothing is set yet: all that many procedures need for Procedure::preset.
void preset_named(const Rule& rule, Parameters& parameters);

// Detector and bandwidth that a spectrum does not state are taken from parameters that somebody stated, and
// marked as declared. Throws Error(input) when both are known and differ.
void complete(Capture& capture, const Parameters& parameters);

// Measures, and carries over what holds for every procedure: a capture that cannot be trusted, or is not the
// signal expected, invalidates the outcome. Throws Error(input) for a capture of another kind than the
// procedure takes, and for inputs that it does not have or that are missing.
Outcome measure(const Procedure& procedure, Inputs inputs, const Parameters& parameters);

}  // namespace rt
