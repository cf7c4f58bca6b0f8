// Parameters on the command line: of procedures, and of signals that are made.
#pragma once

#include <span>
#include <string>
#include <utility>
#include <vector>

#include "core/outcome/parameters.hpp"

namespace rt::cli {

// What "--set NAME=VALUE" says. Throws Error(input) for a text without =.
std::pair<std::string, std::string> set_option(const std::string& text);

// All that --set gives.
void set_parameters(Parameters& parameters, const std::vector<std::string>& settings);

// Name, default and meaning of each, to be aligned.
std::vector<std::vector<std::string>> parameter_rows(std::span<const ParameterInfo> parameters);

}  // namespace rt::cli
