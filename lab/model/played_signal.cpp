#include "lab/model/played_signal.hpp"

#include <algorithm>

namespace rt::lab {

bool PlayedSignal::has(const std::string& setting) const {
    return std::any_of(kind->parameters.begin(), kind->parameters.end(),
                       [&](const ParameterInfo& info) { return setting == info.name; });
}

Parameters PlayedSignal::with(const std::map<std::string, std::string>& settings) const {
    Parameters out(kind->parameters);
    for (const auto& [name, value] : parameters) out.set(name, value);
    for (const auto& [name, value] : settings) out.set(name, value);
    out.fill_defaults();
    return out;
}

}  // namespace rt::lab
