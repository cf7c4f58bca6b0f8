// Where the captures of a test come from, besides the bench in its own state: [[test.take]] and "inputs".
#pragma once

#include "lab/formats/config.hpp"
#include "lab/model/test.hpp"

namespace rt::lab {

extern const SectionInfo take_section;

// Fills takes and sources. Throws Error(input) for inputs that the procedure does not have, for one that
// comes from two places, and for one that is needed and comes from nowhere.
void read_inputs(const ConfigSection& section, Test& test);

}  // namespace rt::lab
