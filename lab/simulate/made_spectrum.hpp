// What a signal that is made as samples is in an analyser's sweep: its power density.
#pragma once

#include "lab/simulate/landing_receiver.hpp"
#include "lab/simulate/world.hpp"

namespace rt::lab {

// Averaged over the whole of it, pauses included: bursts are in a sweep as strong as on average. Nothing for
// one without samples. `bandwidth_hz`: of the filter that will look at it.
EmittedDensity density_of(const ArrivingIq& arriving, double bandwidth_hz);

}  // namespace rt::lab
