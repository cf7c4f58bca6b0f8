// radio.am-fm: depth and deviation of analogue modulation.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

// AM depth from the highest and lowest envelope, FM deviation from the highest and lowest frequency, both
// after a low-pass; modulating frequency, carrier offset and power. Traces `envelope`, `frequency`.
Procedure am_fm();

}  // namespace rt
