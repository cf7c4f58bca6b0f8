// What both uplink procedures share: parameters of the measurement, products, and how slots become results.
#pragma once

#include "core/measure/cellular/uplink.hpp"
#include "core/measure/iq_setup.hpp"

namespace rt::cellular {

inline constexpr ParameterInfo band_parameter{"band", ParameterKind::text, Unit::none, "",
                                              "operating band, such as 7 or n78: channels are checked "
                                              "against it, and flatness is told apart near its edges"};
inline constexpr std::array uplink_rows{
    ParameterInfo{"first_block", ParameterKind::number_from_0, Unit::none, "0",
                  "first allocated block, from the lowest of the channel"},
    ParameterInfo{"blocks", ParameterKind::whole_number, Unit::none, "",
                  "allocated blocks; without it all of the channel's"},
    ParameterInfo{"slots", ParameterKind::whole_number, Unit::none, "20", "slots that are measured, at most"},
    ParameterInfo{"gains", ParameterKind::choice, Unit::none, "all",
                  "what the equaliser is fitted to: reference signals and data, or reference signals alone",
                  "all references"},
    ParameterInfo{
        "fit_bias", ParameterKind::choice, Unit::none, "removed",
        "gains fitted to few symbols take a part of the errors with them (one in seven of a slot of LTE, "
        "in power): removed counts it as error again, kept does not",
        "removed kept"},
    ParameterInfo{"image", ParameterKind::choice, Unit::none, "kept",
                  "whether an image at the other side of the carrier counts as error", "kept removed"},
    ParameterInfo{
        "window", ParameterKind::choice, Unit::none, "edges",
        "where transforms begin: at both edges of the window of the standard, the worse one counts, or "
        "in its middle",
        "edges middle"},
    ParameterInfo{"window_length", ParameterKind::quantity, Unit::percent, "",
                  "of the prefix between both edges; without it as the standard has it for the channel"},
    band_parameter,
    iq_centre_parameter,
};

inline constexpr std::array uplink_traces{
    Product{"constellation", Unit::none, "points of the data as received"},
    Product{"evm_symbols", Unit::percent, "error vector magnitude of each symbol of a slot"},
    Product{"evm_subcarriers", Unit::percent, "error vector magnitude of each subcarrier"},
    Product{"flatness_curve", Unit::db, "gain of each subcarrier over their mean"},
    Product{"emission_blocks", Unit::db,
            "power of blocks that are not allocated, over the mean of those that are"},
};
inline constexpr std::array uplink_products{
    Product{"evm", Unit::percent, "error vector magnitude, rms over all slots"},
    Product{"evm_worst", Unit::percent, "that of the worst slot"},
    Product{"evm_peak", Unit::percent, "largest error of a point"},
    Product{"evm_reference", Unit::percent, "error vector magnitude of reference signals"},
    Product{"power", Unit::dbm, "mean power of the slots, in the channel's blocks"},
    Product{"frequency_error", Unit::hertz, "of the carrier, farthest of all stretches of 1 ms"},
    Product{"frequency_error_ppm", Unit::ppm, "the same relative to the carrier"},
    Product{"clock_error", Unit::ppm, "of the symbol clock, positive where it is fast"},
    Product{"carrier_leakage", Unit::db, "power at the carrier frequency over that of the modulated signal"},
    Product{"image", Unit::db, "power of the image over that of the signal"},
    Product{
        "emission_excess", Unit::db,
        "farthest that a block that is not allocated lies above the limit of in-band emissions, without test "
        "tolerance; negative below it"},
    Product{"flatness", Unit::db, "difference between the highest and the lowest gain of a subcarrier"},
    Product{"flatness_inner", Unit::db, "the same 3 MHz and more from the edges of the band"},
    Product{"flatness_outer", Unit::db, "the same nearer to them"},
    Product{"flatness_inner_over_outer", Unit::db, "highest gain within over the lowest near the edges"},
    Product{"flatness_outer_over_inner", Unit::db, "highest gain near the edges over the lowest within"},
    Product{"slots_measured", Unit::count, "slots behind these numbers"},
};

// The uplink of this format in a record. `window` is the standard's for the channel, as a share of the
// prefix.
Outcome uplink_outcome(IqRecord record, const UplinkFormat& format, double window,
                       const Parameters& parameters, std::optional<double> up_converted_hz);

// Blocks as the parameters say, within a carrier whose blocks are set.
void set_blocks(UplinkFormat& format, const Parameters& parameters);
// Throws Error(input) where the parameters name a band of another kind, or a carrier that does not stand on
// its raster or reaches beyond it.
void require_channel(Technology technology, double spacing_hz, double bandwidth_hz,
                     const Parameters& parameters);

}  // namespace rt::cellular
