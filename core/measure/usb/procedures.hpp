// Procedures on USB ports.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

Procedure usb_handshake();
Procedure usb_levels();

}  // namespace rt
