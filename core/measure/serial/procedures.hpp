// Procedures on serial signals.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

Procedure serial_clock();
Procedure serial_jitter();
Procedure serial_eye();
Procedure serial_link();
Procedure serial_pattern();
Procedure serial_characters();

}  // namespace rt
