// Procedures on USB ports.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

Procedure usb_handshake();

}  // namespace rt
