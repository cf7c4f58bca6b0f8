// A wafer map as a stage has it, or as a person shows it by moving there.
#pragma once

#include <functional>
#include <string>

#include "core/signal/wafer_map.hpp"
#include "lab/bench/instrument_role.hpp"

namespace rt::lab {

// Asks somebody to move the stage to a place; false when he gives up.
using Lead = std::function<bool(const std::string& where)>;

// Dies and devices as the stage lists them (list_dies, list_devices). Its reference die, pitches and places
// of devices are what it says of them (list_reference, list_pitch, list_places: micrometres); with `lead`
// pitches and places are those that a person moves it to (query_x, query_y: micrometres to the right and
// downwards). `reference` counts before what the stage says. Throws Error(input) for what is missing, and
// Error(bench) for answers that make no map.
WaferMap map_of_stage(InstrumentRole& stage, const std::string& reference, const Lead& lead);

}  // namespace rt::lab
