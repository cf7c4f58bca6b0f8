// In-band emissions of an uplink.
#pragma once

#include <optional>

#include "core/measure/cellular/uplink.hpp"
#include "core/outcome/outcome.hpp"

namespace rt::cellular {

// Blocks that are not allocated against the limit of TS 36.101 clause 6.5.2.3 and TS 38.101-1 clause 6.4.2.3:
// result emission_excess, trace emission_blocks with the limit beside it. Without a reference level the part
// of the limit that counts in dBm is left out, and the strictest of those that depend on power counts.
void add_emission(const Uplink& uplink, const UplinkFormat& format, std::optional<double> reference_level_dbm,
                  Outcome& outcome);

}  // namespace rt::cellular
