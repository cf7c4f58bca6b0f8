// What procedures on spectra share: the parameters of an analyser sweep and how they become a setup.
#pragma once

#include "core/dsp/resolution.hpp"
#include "core/measure/procedure.hpp"
#include "core/outcome/rows.hpp"

namespace rt {

// Rows for a procedure's parameter table.
inline constexpr ParameterInfo bandwidth_parameter{"bandwidth", ParameterKind::quantity, Unit::hertz, "",
                                                   "resolution bandwidth"};
inline constexpr ParameterInfo detector_parameter{"detector", ParameterKind::detector, Unit::none, "",
                                                  "detector of the receiver"};
inline constexpr ParameterInfo dwell_parameter{"dwell", ParameterKind::quantity, Unit::second, "20 ms",
                                               "measuring time at each frequency"};
inline constexpr ParameterInfo points_parameter{"points", ParameterKind::whole_number, Unit::none, "",
                                                "number of trace points; without it, a quarter of the "
                                                "resolution bandwidth apart, so that a line between two "
                                                "points of a Gaussian filter reads at most 0.4 dB low"};
inline constexpr ParameterInfo reference_parameter{
    "reference_level", ParameterKind::quantity, Unit::dbm, "-10 dBm",
    "level at the input that the analyser must still show without overload"};
inline constexpr ParameterInfo attenuation_parameter{
    "attenuation", ParameterKind::quantity, Unit::db, "",
    "input attenuation; without it the analyser couples it to the reference level"};

// A setup from `start_hz` to `stop_hz` with the parameters above. Throws Error(input) for a band that runs
// backwards, a bandwidth that is not positive, or more than 1,000,000 points.
SpectrumSetup spectrum_setup(const Parameters& parameters, double start_hz, double stop_hz);

// Row for procedures that also make their spectrum out of complex samples.
inline constexpr ParameterInfo filter_parameter{"filter",
                                                ParameterKind::choice,
                                                Unit::none,
                                                "customary",
                                                "where the resolution bandwidth of a Gaussian filter is "
                                                "meant: customary is 6 dB for 200 Hz, 9 kHz and 120 kHz "
                                                "and 3 dB for others (for complex samples)",
                                                "customary 3db 6db"};

// Row for procedures whose levels are judged as e.i.r.p. or e.r.p.
inline constexpr ParameterInfo gain_parameter{
    "gain", ParameterKind::quantity, Unit::db, "0 dB",
    "antenna and beamforming gain: turns power at the port into e.i.r.p. (against a dipole: e.r.p.); state "
    "0 dB where levels are radiated ones already"};

// All of these, as most procedures on spectra end their table.
inline constexpr std::array spectrum_rows{bandwidth_parameter, detector_parameter,  dwell_parameter,
                                          points_parameter,    reference_parameter, attenuation_parameter,
                                          filter_parameter};

// The filter that `bandwidth_hz` and the parameter above (if the procedure has it) name.
GaussianFilter resolution_filter(const Parameters& parameters, double bandwidth_hz);

// The spectrum in a capture; complex samples are analysed between `start_hz` and `stop_hz` (or over their
// whole band) with the parameters bandwidth, detector and filter. Without a bandwidth it is
// `fallback_bandwidth_hz`, without a detector `fallback`. Levels are in dBm, or in dBFS when the record
// states no reference level. Throws Error(input) naming the procedure for a capture of another kind. A
// bandwidth fine enough for `width` and wide enough for the record: a thousandth of the width, but at least
// 50 over the length of the record, and at most a fiftieth of the width. 0 for other captures.
double fine_bandwidth(const Capture& capture, const Parameters& parameters, double width_hz);

struct SpectrumWish {
    double start_hz = 0, stop_hz = 0;  // both 0: all of it
    double fallback_bandwidth_hz = 0;
    Detector fallback = Detector::rms;
};
Spectrum take_spectrum(Capture capture, const char* procedure, const Parameters& parameters,
                       const SpectrumWish& wish = {});

// The capture as a trace, with what it states of itself.
Trace trace_of(Spectrum capture, const char* name, const char* title);

// Sets bandwidth, detector and the rule's own presets where nothing is set yet.
void preset_conditions(const Rule& rule, Parameters& parameters);

}  // namespace rt
