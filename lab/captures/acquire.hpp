// Captures out of instruments, kind by kind: what each is told and what it gives back.
#pragma once

#include "core/signal/capture.hpp"
#include "lab/bench/instrument_role.hpp"

namespace rt::lab {

// All of these throw Error(bench) for answers of wrong size or that are not numbers. Overload status and
// entries of the error queue mark the capture as not to be trusted.

// One trace of a signal analyser or measuring receiver.
Spectrum sweep(InstrumentRole& analyser, const SpectrumSetup& setup);
// One reading of a power meter.
PowerReading read_power(InstrumentRole& meter, const PowerSetup& setup);
// Packets sent and received.
Counts count(InstrumentRole& counter, const CountSetup& setup);
// The devices that a link tester finds.
Devices find_devices(InstrumentRole& tester, const DeviceSetup& setup);
// So many readings of an indicator.
Indication read_indication(InstrumentRole& indicator, const IndicationSetup& setup);
// One that a person has typed: "-75", "-75 flag", "flag". Throws Error(input) saying what to type instead.
Indication typed_indication(const std::string& text);
// Frames sent and received.
Traffic pass_traffic(InstrumentRole& traffic, const TrafficSetup& setup);
// Complex samples of a signal analyser. |x| = 1 is the level that it says its full scale is.
IqRecord record_iq(InstrumentRole& analyser, const IqSetup& setup);
// A record of these channels, in this order.
Waveform record(InstrumentRole& oscilloscope, const WaveformSetup& setup);
// All four parameters of two ports.
Network scan_network(InstrumentRole& network_analyser, const NetworkSetup& setup);
// Voltages and currents of both channels, which are off behind it.
BiasCurves sweep_bias(InstrumentRole& source_measure, const BiasSetup& setup);

}  // namespace rt::lab
