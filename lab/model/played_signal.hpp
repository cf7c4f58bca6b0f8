// What a generator of samples plays: made by the tool, out of parameters that a campaign may set.
#pragma once

#include <map>
#include <string>

#include "core/synthesis/signal.hpp"

namespace rt::lab {

struct PlayedSignal {
    const SignalKind* kind = nullptr;
    std::map<std::string, std::string> parameters;  // as the bench states them
    SignalInputs inputs;

    bool has(const std::string& setting) const;
    // With what a campaign sets in place of what the bench says. Throws Error(input) for values that are not
    // usable.
    Parameters with(const std::map<std::string, std::string>& settings) const;
};

}  // namespace rt::lab
