// What a bench brings back for one point.
#pragma once

#include <variant>

#include "core/signal/counts.hpp"
#include "core/signal/iq_record.hpp"
#include "core/signal/network.hpp"
#include "core/signal/power_reading.hpp"
#include "core/signal/spectrum.hpp"
#include "core/signal/waveform.hpp"

namespace rt {

using Capture = std::variant<Spectrum, PowerReading, Counts, IqRecord, Waveform, Network>;

// "spectrum", "power", "counts", "iq", "waveform", "network": what tally and messages call it.
const char* kind_name(const Capture& capture);

// Why it cannot be trusted (overload, an entry of the error queue); nothing when it can.
const std::optional<std::string>& distrust(const Capture& capture);

}  // namespace rt
