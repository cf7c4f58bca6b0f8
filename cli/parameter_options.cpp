#include "cli/parameter_options.hpp"

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::cli {

std::pair<std::string, std::string> set_option(const std::string& text) {
    const auto equals = text.find('=');
    if (equals == std::string::npos) fail_input("--set " + text + ": write it as NAME=VALUE");
    return {std::string(trim(std::string_view(text).substr(0, equals))), text.substr(equals + 1)};
}

void set_parameters(Parameters& parameters, const std::vector<std::string>& settings) {
    for (const auto& setting : settings) {
        const auto [name, value] = set_option(setting);
        parameters.set(name, value);
    }
}

std::vector<std::vector<std::string>> parameter_rows(std::span<const ParameterInfo> parameters) {
    std::vector<std::vector<std::string>> rows;
    for (const auto& p : parameters) rows.push_back({p.name, p.otherwise, p.help});
    return rows;
}

}  // namespace rt::cli
