// What procedures on serial signals share: thresholds, edges and the clock.
#pragma once

#include "core/measure/wave_source.hpp"
#include "core/serial/clock.hpp"
#include "core/serial/edges.hpp"
#include "core/serial/levels.hpp"
#include "core/stats/spread.hpp"

namespace rt {

inline constexpr ParameterInfo threshold_parameter{
    "threshold", ParameterKind::quantity, Unit::volt, "",
    "voltage at which edges are timed; without it threshold_part of the amplitude"};
inline constexpr ParameterInfo threshold_part_parameter{
    "threshold_part", ParameterKind::quantity, Unit::percent, "50 %",
    "the same between the low (0 %) and the high level (100 %)"};
inline constexpr ParameterInfo band_parameter{
    "hysteresis", ParameterKind::quantity, Unit::percent, "10 %",
    "of the amplitude, to each side: an edge counts when the signal leaves this band on the other side"};
inline constexpr ParameterInfo packet_parameter{
    "packet", ParameterKind::whole_number, Unit::none, "",
    "of a line that rests between packets: which packet is measured, from 1; without it the whole record"};
inline constexpr ParameterInfo packet_level_parameter{"packet_level", ParameterKind::quantity, Unit::volt,
                                                      "100 mV",
                                                      "the line rests while it is nearer to 0 V than this"};
inline constexpr ParameterInfo packet_gap_parameter{"packet_gap", ParameterKind::quantity, Unit::second,
                                                    "50 ns",
                                                    "rest that ends a packet; shorter is part of it"};
inline constexpr std::array edge_rows{threshold_parameter, threshold_part_parameter, band_parameter,
                                      packet_parameter,    packet_level_parameter,   packet_gap_parameter};

inline constexpr ParameterInfo symbol_rate_parameter{
    "symbol_rate", ParameterKind::quantity, Unit::hertz, "",
    "nominal symbol rate: edges must fit it, deviations are told against it; without it the rate is found"};
inline constexpr ParameterInfo rate_within_parameter{"rate_within", ParameterKind::quantity, Unit::percent,
                                                     "1 %",
                                                     "the rate found may be off symbol_rate by this; farther "
                                                     "away it is another signal and nothing is told of it"};
inline constexpr ParameterInfo recovery_parameter{
    "recovery",
    ParameterKind::choice,
    Unit::none,
    "constant",
    "clock that edges are compared with: one constant rate, or a loop that follows slow jitter",
    "constant first-order second-order"};
inline constexpr ParameterInfo corner_parameter{"corner", ParameterKind::quantity, Unit::hertz, "",
                                                "of the loop: of the high-pass that jitter sees (first "
                                                "order), -3 dB of the loop's response (second order); "
                                                "without it the symbol rate / 1667"};
inline constexpr ParameterInfo damping_parameter{"damping", ParameterKind::quantity, Unit::none, "0.707",
                                                 "of a second-order loop"};
inline constexpr std::array clock_rows{symbol_rate_parameter, rate_within_parameter, recovery_parameter,
                                       corner_parameter, damping_parameter};

struct SerialSource {
    Signal signal;
    LevelHistogram histogram;
    Levels levels;
    double threshold = 0, hysteresis = 0;  // volts
    Edges edges;
    std::vector<double> edges_s;  // from the beginning of the signal
};

// Times from each edge to the next.
Spread spacings_of(const SerialSource& source);

// The packet that the parameters name, or all of the signal without. Throws Error(signal) when there are
// fewer.
Signal packet_of(const Signal& signal, const Parameters& parameters);

// Levels and edges of the signal that the parameters name. Throws Error(input) for wrong parameters,
// Error(signal) when there is no signal or it has fewer than `fewest` edges. Low and high are the outermost
// of `levels`.
SerialSource serial_source(Capture capture, const char* procedure, const Parameters& parameters,
                           std::size_t fewest = 16, std::size_t levels = 2);

// Where between levels the threshold stands, by the parameters above.
EdgeSettings edge_settings(const Levels& levels, const Parameters& parameters);

ClockSettings clock_settings(const Parameters& parameters, double symbol_rate_hz);

// The clock of these edges. Throws Error(signal) when they fit no rate, or not the one given.
Clock clock_of(const SerialSource& source, const Parameters& parameters);

// The same of a signal with so many levels: of more than two, only edges between symbols that lie evenly
// about the threshold stay in the source and tell the clock.
Clock clock_of_levels(SerialSource& source, std::size_t levels, const Parameters& parameters);

// Remarks on the clock used, and when not the whole record was gone through.
void note_clock(const SerialSource& source, const Clock& clock, const Parameters& parameters,
                Outcome& outcome);

// A curve over time. Of more than 200,000 places those farthest from zero in each small piece of time are
// kept.
Trace trace_over_time(const char* name, const char* title, Unit unit, const std::vector<double>& time_s,
                      const std::vector<double>& values);

}  // namespace rt
