// Procedures on buses.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

Procedure two_wire_bus();
Procedure four_wire_bus();

}  // namespace rt
