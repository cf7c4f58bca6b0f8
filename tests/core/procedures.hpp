// Procedures called as measure does, and their results by name.
#pragma once

#include <doctest/doctest.h>

#include <utility>
#include <vector>

#include "core/catalogue/catalogue.hpp"
#include "core/measure/procedure.hpp"

using Settings = std::vector<std::pair<const char*, const char*>>;

inline rt::Outcome run(const char* procedure, rt::Capture capture, const Settings& settings = {}) {
    const rt::Procedure& known = rt::find_procedure(procedure);
    rt::Parameters parameters(known.parameters);
    for (const auto& [name, value] : settings) parameters.set(name, value);
    parameters.fill_defaults();
    return rt::measure(known, std::move(capture), parameters);
}

inline rt::Outcome run_inputs(const char* procedure, std::vector<rt::Input> inputs,
                              const Settings& settings = {}) {
    const rt::Procedure& known = rt::find_procedure(procedure);
    rt::Parameters parameters(known.parameters);
    for (const auto& [name, value] : settings) parameters.set(name, value);
    parameters.fill_defaults();
    return rt::measure(known, rt::Inputs(std::move(inputs)), parameters);
}

inline double value(const rt::Outcome& outcome, const char* name) {
    INFO(outcome.invalid.value_or(""));
    const rt::Result* result = outcome.find_result(name);
    REQUIRE_MESSAGE(result, name);
    return result->value.value;
}
