// What procedures on network data share: what the analyser is asked for, and the steps from raw data to the
// parameters meant.
#pragma once

#include <array>
#include <string>

#include "core/measure/procedure.hpp"
#include "core/network/forms.hpp"
#include "core/signal/error_terms.hpp"

namespace rt {

inline constexpr ParameterInfo network_start_parameter{"start", ParameterKind::quantity, Unit::hertz, "1 MHz",
                                                       "first frequency asked for"};
inline constexpr ParameterInfo network_stop_parameter{"stop", ParameterKind::quantity, Unit::hertz, "",
                                                      "last frequency asked for"};
inline constexpr ParameterInfo network_points_parameter{"points", ParameterKind::whole_number, Unit::none,
                                                        "401", "frequencies asked for"};
inline constexpr ParameterInfo network_bandwidth_parameter{"bandwidth", ParameterKind::quantity, Unit::hertz,
                                                           "1 kHz", "of the network analyser"};
inline constexpr ParameterInfo level_within_parameter{
    "level_within", ParameterKind::quantity, Unit::db, "",
    "how far the source level may lie below that of the calibration; without it this is only noted"};
inline constexpr ParameterInfo network_reference_parameter{
    "reference", ParameterKind::quantity, Unit::ohm, "",
    "resistance that parameters count from; that of the data without it"};

inline constexpr ParameterInfo network_data_parameter{
    "data",
    ParameterKind::choice,
    Unit::none,
    "corrected",
    "what the analyser gives: corrected (by its own calibration), or raw, for terms",
    "corrected raw"};

// Throws Error(input) for values out of range. Raw data where the parameter `data` says so.
CaptureSetup network_setup(const Parameters& p);
CaptureSetup kit_setup(const Parameters&);

inline constexpr InputInfo device_input{"device", "network data of the device"};
CaptureSetup error_terms_setup(const Parameters&);
inline constexpr InputInfo terms_input{
    "terms", "error terms that correct every input that was not corrected before", false, error_terms_setup};

// Corrects it by the terms (null for none) unless it says that it was. Notes and deviations say what there is
// to say of it. Throws as corrected(), Error(signal) for a level below that allowed and for terms that cannot
// be trusted. A "name" stands in messages.
Network corrected_input(Network raw, const ErrorTerms* terms, const Parameters& p, const std::string& name,
                        Outcome& outcome);

// Raw or corrected, below this |S21| at its lowest frequency probes have no contact.
inline constexpr ParameterInfo contact_parameter{"contact", ParameterKind::quantity, Unit::db, "",
                                                 "least |S21| at the lowest frequency, as it was measured: "
                                                 "below it the probes have no contact, and touch down again"};
// By the parameter `contact`; nothing without it.
std::optional<Unexpected> lost_contact(const Capture& capture, const Parameters& p);

// Takes inputs "terms" and `name`; the latter corrected.
Network taken_network(Inputs& inputs, const char* name, const Parameters& p, const char* procedure,
                      Outcome& outcome);

// Tells what was done to the data, if anything was.
void note_steps(const Network& network, Outcome& outcome);

// "S21", "SDD21" (of pairs), "S12,11" for ports above 9.
struct ParameterName {
    std::string text;
    std::size_t to = 1, from = 1;  // rows of the matrix, mixed-mode or not
    bool reflection() const { return to == from; }
};
ParameterName parameter_named(const std::string& text, std::size_t ports, const PortPairs& pairs);
// "1-2 3-4"
PortPairs pairs_of(const std::string& text);
// One parameter at all frequencies.
std::vector<std::complex<double>> values_of(const Network& network, const ParameterName& name);

}  // namespace rt
