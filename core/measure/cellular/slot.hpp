// One slot of an uplink: its clocks, its channel, what it sends and how far that is from what it should be.
#pragma once

#include <string>
#include <vector>

#include "core/measure/cellular/grid.hpp"

namespace rt::cellular {

struct SlotSettings {
    double up_converted_hz = 0;   // NR: carrier that symbols were turned for; 0 for none
    bool reference_only = false;  // gains from reference signals alone
    bool remove_image = false;
    bool keep_bias = false;  // gains that were fitted to errors make them look smaller
    double window = 0;       // share of the prefix between both places of the transform; 0: its middle alone
};

// How the clocks run over a slot, from its reference signals and data.
struct SlotClocks {
    double start_s = 0;  // where its prefix begins, by the signal as it is at this time in the slot
    double middle_s = 0;
    double offset_hz = 0;  // at the middle of the allocation: carrier offset and stretch together
    double stretch = 0;    // by this slot alone
    double middle_hz = 0;  // of the allocation, from the carrier
    double data_over_reference_db = 0;  // power of data elements over what reference signals promise
    double lost = 0;  // rms error over that of a signal that has nothing to do with the modulation
};

// Throws nothing: a slot whose symbols cannot be told has `lost` near 1. Where `received` is given, what
// stood on the subcarriers is left there.
SlotClocks clocks_of(const GridReader& reader, const UplinkFormat& format, const SlotPlace& place,
                     std::size_t slot, const SlotSettings& settings, Rows* received = nullptr);

struct SlotQuality {
    double power = 0;  // of the samples, |x|^2: all subcarriers of the channel
    double error = 0;  // mean |error|^2 of data over the mean power of the points; the worst window counts
    double reference_error = 0;     // of reference signals
    double peak = 0;                // largest error, as amplitude over the rms of the points
    double image = 0;               // power of the image over that of the signal
    Complex carrier;                // amplitude of what stands at the carrier frequency
    std::vector<Complex> gains;     // of the allocated subcarriers
    std::vector<double> blocks;     // mean power of a subcarrier in each block of the channel
    std::vector<double> by_symbol;  // mean |error|^2 of each symbol that carries data, else 0
    std::vector<double> by_subcarrier;
    std::vector<Complex> points;  // data as received, equalised
};

// `place` with the right clocks.
SlotQuality quality_of(const GridReader& reader, const UplinkFormat& format, const SlotPlace& place,
                       std::size_t slot, const SlotSettings& settings);

}  // namespace rt::cellular
