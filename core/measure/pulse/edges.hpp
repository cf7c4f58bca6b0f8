#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

Procedure pulse_edges();

}  // namespace rt
