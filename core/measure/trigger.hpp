// The burst trigger as procedures on bursts share it.
#pragma once

#include "core/dsp/bursts.hpp"
#include "core/measure/iq_setup.hpp"

namespace rt {

inline constexpr ParameterInfo trigger_level_parameter{
    "trigger_level", ParameterKind::quantity, Unit::db, "",
    "power at which a burst begins, relative to the highest in the record (-30 dB in EN 300 328); without it "
    "20 dB "
    "below the loudest piece of the record, or half way in dB down to the quietest if that is higher"};
inline constexpr ParameterInfo trigger_power_parameter{
    "trigger_power", ParameterKind::quantity, Unit::dbm, "",
    "the same as an absolute power; wins over trigger_level"};
inline constexpr ParameterInfo hysteresis_parameter{
    "hysteresis", ParameterKind::quantity, Unit::db, "3 dB",
    "a burst ends when power is this much below the trigger ..."};
inline constexpr ParameterInfo hold_off_parameter{"hold_off", ParameterKind::quantity, Unit::second, "2 us",
                                                  "... for this long: shorter gaps do not end it"};
inline constexpr ParameterInfo shortest_burst_parameter{
    "shortest_burst", ParameterKind::quantity, Unit::second, "1 us", "shorter bursts are not counted"};

inline constexpr std::array trigger_rows{trigger_level_parameter, trigger_power_parameter,
                                         hysteresis_parameter, hold_off_parameter, shortest_burst_parameter};

// Bursts found with these parameters. Throws Error(input) for an absolute level with a record that has no
// reference.
BurstList bursts_of(const IqRecord& record, const Parameters& parameters);

// Why there is none: the level that nothing has reached.
std::string no_burst(const IqRecord& record, const BurstList& list);

// Power against time, thinned for drawing: the highest of each piece.
Trace power_trace(const IqRecord& record);

}  // namespace rt
