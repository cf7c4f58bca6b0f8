// Procedures on storage links.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

Procedure storage_out_of_band();
Procedure storage_frames();

}  // namespace rt
