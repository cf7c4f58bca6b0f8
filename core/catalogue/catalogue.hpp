// The list of procedures. Adding one is one file below core/measure and one line in catalogue.cpp.
#pragma once

#include <span>
#include <string_view>

#include "core/catalogue/catalogue.hpp"
#include "core/measure/procedure.hpp"

namespace rt {

std::span<const Procedure> procedures();

// Throws Error(input) with the nearest known name.
const Procedure& find_procedure(std::string_view name);

}  // namespace rt
