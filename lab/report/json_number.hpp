// Numbers in JSON: null for none, and for what JSON has no number for.
#pragma once

#include <cmath>
#include <nlohmann/json.hpp>
#include <optional>

namespace rt::lab {

inline nlohmann::ordered_json json_number(std::optional<double> value) {
    if (!value || !std::isfinite(*value)) return nullptr;
    return *value;
}

}  // namespace rt::lab
