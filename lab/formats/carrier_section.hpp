// Axes over cellular carriers: bands, widths and channels together.
#pragma once

#include <vector>

#include "core/sweep/sweep.hpp"
#include "lab/formats/config.hpp"

namespace rt::lab {

extern const SectionInfo carriers_section;

// The values of `axis`, one for each carrier, and behind it the axes that are coupled to it: band, bandwidth,
// channel, frequency and partner as far as they go anywhere. Throws Error(input) for a band that is not
// known, a channel that is not on its raster or reaches beyond it.
std::vector<Axis> carrier_axes(const ConfigSection& section, Axis axis);

}  // namespace rt::lab
