// Spectra of a part of a record, or of bursts alone: which parts of a record the transforms may use.
#pragma once

#include "core/dsp/frames.hpp"
#include "core/measure/part.hpp"
#include "core/measure/trigger.hpp"

namespace rt {

inline constexpr ParameterInfo gate_parameter{"gate",
                                              ParameterKind::choice,
                                              Unit::none,
                                              "none",
                                              "bursts: only what lies within bursts counts (complex samples)",
                                              "none bursts"};
inline constexpr ParameterInfo gate_delay_parameter{"gate_delay", ParameterKind::quantity, Unit::second,
                                                    "0 s", "left out at the beginning of each burst"};
inline constexpr ParameterInfo gate_length_parameter{
    "gate_length", ParameterKind::quantity, Unit::second, "",
    "used of each burst after the delay; without it all up to its end"};

inline constexpr auto gate_rows =
    joined(std::array{gate_parameter, gate_delay_parameter, gate_length_parameter}, trigger_rows, part_rows);

// The gates that the parameters ask for, none for the whole record; each is `needed_s` long. Procedures
// without these rows have none. Throws Error(input) for wrong parameters and Error(signal) when no burst is
// long enough.
std::vector<Gate> gates_of(const IqRecord& record, const Parameters& parameters, double needed_s);

}  // namespace rt
