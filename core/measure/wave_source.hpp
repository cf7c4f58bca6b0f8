// What procedures on waveforms share: which signal of a record is meant, and which part of it.
#pragma once

#include "core/measure/part.hpp"
#include "core/measure/procedure.hpp"
#include "core/outcome/rows.hpp"

namespace rt {

inline constexpr ParameterInfo channel_parameter{
    "channel", ParameterKind::text, Unit::none, "1",
    "channel of the record: 1, 2 ..., the difference of two as 1-2, their common mode as (1+2)/2"};
inline constexpr ParameterInfo probe_ratio_parameter{"probe_ratio", ParameterKind::quantity, Unit::none, "1",
                                                     "volts at the tip of the probe for a volt in the record "
                                                     "(10 for a 10:1 probe that is not yet counted in)"};
inline constexpr ParameterInfo deskew_parameter{
    "deskew", ParameterKind::quantity, Unit::second, "0 s",
    "how much later the second channel of two arrives; taken out before they are combined"};
// What an oscilloscope is asked for; a record from a file has its own.
inline constexpr ParameterInfo wave_duration_parameter{"duration", ParameterKind::quantity, Unit::second,
                                                       "10 us", "how long the oscilloscope records"};
inline constexpr ParameterInfo wave_rate_parameter{"sample_rate", ParameterKind::quantity, Unit::hertz,
                                                   "20 GHz", "samples per second that it records"};
inline constexpr ParameterInfo wave_range_parameter{"range", ParameterKind::quantity, Unit::volt, "1 V",
                                                    "voltage to both sides of zero that it must still show"};
inline constexpr ParameterInfo trigger_voltage_parameter{
    "trigger_voltage", ParameterKind::quantity, Unit::volt, "0 V",
    "voltage at which the record begins, on the first of its channels"};
inline constexpr std::array record_rows{wave_duration_parameter, wave_rate_parameter, wave_range_parameter,
                                        trigger_voltage_parameter};

inline constexpr auto signal_rows = joined(
    std::array{channel_parameter, probe_ratio_parameter, deskew_parameter, from_parameter, to_parameter},
    record_rows);

// A voltage against time.
struct Signal {
    std::shared_ptr<const WaveSamples> samples;
    double step_s = 0;
    double from_s = 0;  // time of the first sample in the record

    std::uint64_t size() const { return samples->size(); }
    double seconds() const { return static_cast<double>(size()) * step_s; }
    // All of it. Throws Error(input) for more than 100 million samples.
    std::vector<double> volts() const;
};

// The channels in a capture; the two of a two-channel record of samples as well. Throws Error(input) naming
// the procedure for a capture of another kind.
Waveform take_waveform(Capture capture, const char* procedure);

// The signal that the parameters name. Throws Error(input) for a channel that is not there and for a part
// outside the record or of fewer than 64 samples.
Signal signal_of(const Waveform& wave, const Parameters& parameters);

// The same part of one channel, counted from 1.
Signal signal_of(const Waveform& wave, const Parameters& parameters, std::size_t channel);

// The record that the parameters describe, of all channels up to the highest that they name ("channel" and
// whatever ends in "_channel"). Throws Error(input).
CaptureSetup waveform_setup(const Parameters& parameters);

}  // namespace rt
