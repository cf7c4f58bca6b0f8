// path.loss: what a signal path takes away, from a known level into it and a reading at its end.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

Procedure path_loss();

}  // namespace rt
