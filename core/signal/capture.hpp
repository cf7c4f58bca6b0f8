// What a bench brings back for one point, and what it is asked for. Each kind is data of its own; this is the
// list of them. What the lab does with a kind stands in lab/captures.
#pragma once

#include <concepts>
#include <functional>
#include <variant>

#include "core/signal/bias_curves.hpp"
#include "core/signal/calibration_kit.hpp"
#include "core/signal/code_word.hpp"
#include "core/signal/counts.hpp"
#include "core/signal/devices.hpp"
#include "core/signal/error_terms.hpp"
#include "core/signal/indication.hpp"
#include "core/signal/iq_record.hpp"
#include "core/signal/network.hpp"
#include "core/signal/power_reading.hpp"
#include "core/signal/registers.hpp"
#include "core/signal/result_table.hpp"
#include "core/signal/spectrum.hpp"
#include "core/signal/traffic.hpp"
#include "core/signal/wafer_map.hpp"
#include "core/signal/waveform.hpp"

namespace rt {

// What a kind of capture has to say of itself: its name for tally and messages, what it is asked for, why it
// cannot be trusted, and why it cannot have been measured.
template <typename Data>
concept CaptureData = requires(const Data& data) {
    { Data::kind } -> std::convertible_to<std::string>;
    { Data::needed } -> std::convertible_to<std::string>;
    typename Data::Setup;
    { data.distrust } -> std::same_as<const std::optional<std::string>&>;
    { implausible(data) } -> std::same_as<std::string>;
};

template <typename Variant>
struct KindsOf;
template <CaptureData... Kinds>
struct KindsOf<std::variant<Kinds...>> {
    using Setups = std::variant<typename Kinds::Setup...>;
};

using Capture =
    std::variant<Spectrum, PowerReading, Counts, IqRecord, Waveform, Network, BiasCurves, CalibrationKit,
                 ErrorTerms, WaferMap, Registers, CodeWord, Indication, Traffic, Devices, ResultTable>;
// In the order of Capture.
using CaptureSetup = KindsOf<Capture>::Setups;

// "spectrum", "power" ...: what tally and messages call it.
const char* kind_name(const Capture& capture);

// Why it cannot be trusted (overload, an entry of the error queue); nothing when it can.
const std::optional<std::string>& distrust(const Capture& capture);

// Why a capture cannot have been measured: a wrong byte order, a wrong unit or a dead input gives numbers
// too. Empty when it can.
std::string implausible(const Capture& capture);

// How long the signal was observed; nothing for kinds that have no time.
std::optional<double> observed_s(const Capture& capture);

// Whether nothing says what 1 V is.
bool unscaled(const Capture& capture);

// What is known only once samples have been read: a function that says why those read so far cannot be
// trusted, and outlives the capture.
std::function<std::string()> watch_reading(const Capture& capture);

// The capture as one kind. Throws Error(input) naming the procedure for one of another kind.
template <CaptureData Data>
Data take(Capture capture, const char* procedure);

}  // namespace rt
