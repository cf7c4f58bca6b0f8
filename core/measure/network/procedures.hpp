// Procedures on network data.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

Procedure network_return_loss();

}  // namespace rt
