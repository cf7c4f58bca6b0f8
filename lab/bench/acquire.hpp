// Captures out of instruments: what each kind is told and what it gives back.
#pragma once

#include <vector>

#include "core/measure/procedure.hpp"
#include "core/signal/capture.hpp"
#include "core/signal/network.hpp"
#include "core/signal/waveform.hpp"
#include "lab/bench/instrument_role.hpp"

namespace rt {

// All of these throw Error(bench) for answers of wrong size or that are not numbers. Overload status and
// entries of the error queue mark the capture as not to be trusted.

// One trace of a signal analyser or measuring receiver.
Spectrum sweep(InstrumentRole& analyser, const SpectrumSetup& setup);
// One reading of a power meter.
PowerReading read_power(InstrumentRole& meter, const PowerSetup& setup);
// Packets sent and received.
Counts count(InstrumentRole& counter, const CountSetup& setup);

// Complex samples of a signal analyser. |x| = 1 is the level that it says its full scale is.
IqRecord record_iq(InstrumentRole& analyser, const IqSetup& setup);

// Whatever the setup asks for, of an instrument of the kind that kind_for() says.
Capture acquire(InstrumentRole& instrument, const CaptureSetup& setup);

// A record of these channels, in this order.
Waveform record(InstrumentRole& oscilloscope, const WaveformSetup& setup);

// All four parameters of two ports.
Network scan_network(InstrumentRole& network_analyser, const NetworkSetup& setup);

// How long it takes: dwell time for each part of the spectrum measured at once, time for each packet ...
double acquire_seconds(const Instrument& instrument, const CaptureSetup& setup);

// The kind of instrument that gives it: "analyser".
const char* kind_for(const CaptureSetup& setup);

}  // namespace rt
