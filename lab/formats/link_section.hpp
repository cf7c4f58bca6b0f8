// What a campaign says of a link to the unit: how it is kept up, and what the unit says of it.
#pragma once

#include "lab/formats/config.hpp"
#include "lab/model/test.hpp"

namespace rt::lab {

extern const SectionInfo association_section;

// The keys association and reads of a test, which has its procedure. Throws Error(input).
void read_link(const ConfigSection& section, Test& test);

}  // namespace rt::lab
