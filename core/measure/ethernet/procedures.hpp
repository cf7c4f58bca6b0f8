// Procedures on Ethernet transmitters.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

Procedure ethernet_idle();
Procedure ethernet_density();
Procedure ethernet_droop();
Procedure ethernet_distortion();

}  // namespace rt
