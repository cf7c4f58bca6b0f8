// What procedures on complex samples share: the parameters of a recording and how they become a setup.
#pragma once

#include "core/measure/part.hpp"
#include "core/measure/procedure.hpp"
#include "core/outcome/rows.hpp"

namespace rt {

inline constexpr ParameterInfo iq_centre_parameter{
    "centre", ParameterKind::quantity, Unit::hertz, "",
    "carrier frequency that is meant; a record has its own centre"};
inline constexpr ParameterInfo iq_rate_parameter{"sample_rate", ParameterKind::quantity, Unit::hertz,
                                                 "20 MHz",
                                                 "complex samples per second that the analyser records"};
inline constexpr ParameterInfo iq_duration_parameter{"duration", ParameterKind::quantity, Unit::second,
                                                     "10 ms", "how long the analyser records"};
inline constexpr ParameterInfo iq_reference_parameter{
    "reference_level", ParameterKind::quantity, Unit::dbm, "10 dBm",
    "level at the input that the analyser must still show without overload"};

// How long and how strong, behind a centre and a rate.
inline constexpr std::array iq_length_rows{iq_duration_parameter, iq_reference_parameter};
// The same, and which part of it is measured.
inline constexpr auto iq_part_rows = joined(iq_length_rows, part_rows);

// The recording that these parameters describe. Throws Error(input).
CaptureSetup iq_setup(const Parameters& parameters);

// The complex samples in a capture, or the part of them that the parameters name. Throws Error(input) naming
// the procedure for a capture of another kind.
IqRecord take_iq(Capture capture, const char* procedure, const Parameters& parameters);

// The part of a record that the parameters from and to name, all of it without them.
IqRecord part_named(IqRecord record, const Parameters& parameters);

// A remark when levels are only known relative to full scale.
void note_reference(const IqRecord& record, Outcome& outcome);

// Power of a magnitude squared, in dBm or dBFS of the record.
Quantity level_of(const IqRecord& record, double power);

}  // namespace rt
