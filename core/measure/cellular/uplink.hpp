// All slots of an uplink in a record.
#pragma once

#include <string>
#include <vector>

#include "core/measure/cellular/slot.hpp"

namespace rt::cellular {

struct UplinkSettings {
    SlotSettings slot;
    std::optional<double> up_converted_hz;  // not known: for `carrier_hz` or for none, what fits
    double carrier_hz = 0;                  // that is meant
    std::size_t most_slots = 20;
};

struct MeasuredSlot {
    std::size_t number = 0;
    double start_s = 0, offset_hz = 0;
    SlotQuality quality;
};

struct Uplink {
    std::string trouble;    // why nothing was measured; empty when it was
    bool numbered = false;  // slots by their number in the frame
    double stretch = 0;     // of its times
    double up_converted_hz = 0;
    std::vector<MeasuredSlot> slots;
    std::size_t silent = 0;        // slots between these in which nothing was sent
    std::vector<double> unlike_s;  // starts of slots in which something else was sent
};

// `record` has the carrier at 0 Hz.
Uplink measure_uplink(const IqRecord& record, const UplinkFormat& format, const UplinkSettings& settings);

}  // namespace rt::cellular
