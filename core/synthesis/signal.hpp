// Signals that the tool makes as samples: each kind is a row with its parameters, as procedures are.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <variant>
#include <vector>

#include "core/outcome/outcome.hpp"
#include "core/outcome/parameters.hpp"
#include "core/signal/iq_record.hpp"
#include "core/signal/network.hpp"
#include "core/signal/waveform.hpp"

namespace rt {

// What a signal takes besides its parameters.
struct SignalInputs {
    std::optional<Network> through;  // a channel that it goes through
};

// One turn: it goes on at the end as it begins. Volts of a waveform; complex samples with |x| = 1 at most.
struct MadeSignal {
    std::variant<Waveform, IqRecord> turn;
    std::vector<Result> is;  // what it is, where a wish had to be moved to fit
    std::vector<std::string> notes;
    double above_level_db = 0;  // of complex samples: |x| = 1 over what a level means

    std::uint64_t samples() const;
    double sample_rate_hz() const;
};

struct SignalKind {
    const char* name;  // "link.pattern"
    const char* title;
    const char* about;
    std::span<const ParameterInfo> parameters;
    bool complex;  // for a vector generator
    bool takes_channel;
    // The same parameters give the same samples. Throws Error(input).
    std::function<MadeSignal(const Parameters&, const SignalInputs&)> make;
};

std::span<const SignalKind> signal_kinds();
// Throws Error(input) with the nearest known name.
const SignalKind& find_signal(std::string_view name);

SignalKind link_pattern();
SignalKind landing_composite();
SignalKind noise_band();
SignalKind short_range_packets();
SignalKind cellular_lte_uplink();
SignalKind cellular_nr_uplink();

}  // namespace rt
