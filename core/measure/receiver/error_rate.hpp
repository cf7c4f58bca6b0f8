// receiver.error-rate: packets lost and bits wrong, counted over a link.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

Procedure error_rate();

}  // namespace rt
