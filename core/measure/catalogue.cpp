// The list of procedures. Adding one is one file pair and one line here.
#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/bus/procedures.hpp"
#include "core/measure/emission/final.hpp"
#include "core/measure/emission/scan.hpp"
#include "core/measure/ethernet/procedures.hpp"
#include "core/measure/network/procedures.hpp"
#include "core/measure/power/level.hpp"
#include "core/measure/power/path_loss.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/pulse/edges.hpp"
#include "core/measure/radio/am_fm.hpp"
#include "core/measure/radio/bursts.hpp"
#include "core/measure/radio/carrier.hpp"
#include "core/measure/radio/gfsk.hpp"
#include "core/measure/radio/mask.hpp"
#include "core/measure/radio/occupancy.hpp"
#include "core/measure/radio/ofdm.hpp"
#include "core/measure/radio/oqpsk.hpp"
#include "core/measure/radio/spurious.hpp"
#include "core/measure/receiver/error_rate.hpp"
#include "core/measure/serial/procedures.hpp"
#include "core/measure/spectrum/channel_power.hpp"
#include "core/measure/spectrum/density.hpp"
#include "core/measure/spectrum/markers.hpp"
#include "core/measure/spectrum/occupied.hpp"
#include "core/measure/storage/procedures.hpp"
#include "core/measure/tone/tone.hpp"
#include "core/measure/usb/procedures.hpp"
#include "core/signal/plausible.hpp"

namespace rt {

std::span<const Procedure> procedures() {
    static const std::array list{emission_scan(),
                                 emission_final(),
                                 spectrum_density(),
                                 channel_power(),
                                 occupied_bandwidth(),
                                 spectrum_markers(),
                                 radio_mask(),
                                 spurious(),
                                 carrier(),
                                 bursts(),
                                 occupancy(),
                                 oqpsk_modulation(),
                                 gfsk_modulation(),
                                 ofdm_modulation(),
                                 am_fm(),
                                 tone_quality(),
                                 tone_response(),
                                 power_level(),
                                 path_loss(),
                                 error_rate(),
                                 pulse_edges(),
                                 serial_clock(),
                                 serial_jitter(),
                                 serial_eye(),
                                 serial_link(),
                                 serial_pattern(),
                                 two_wire_bus(),
                                 four_wire_bus(),
                                 ethernet_idle(),
                                 ethernet_density(),
                                 ethernet_droop(),
                                 ethernet_distortion(),
                                 network_return_loss(),
                                 storage_out_of_band(),
                                 storage_frames(),
                                 usb_handshake(),
                                 usb_levels(),
                                 serial_characters()};
    return list;
}

const Procedure& find_procedure(std::string_view name) {
    std::vector<std::string> names;
    for (const auto& entry : procedures()) {
        if (name == entry.name) return entry;
        names.emplace_back(entry.name);
    }
    fail_input("unknown procedure " + in_quotes(name) + suggestion(name, names));
}

bool Procedure::gives(std::string_view product) const {
    const auto named = [&](const Product& p) { return product == p.name; };
    return std::any_of(traces.begin(), traces.end(), named) ||
           std::any_of(results.begin(), results.end(), named);
}

const Product& Procedure::result(std::string_view wanted) const {
    std::vector<std::string> names;
    for (const auto& product : results) {
        if (wanted == product.name) return product;
        names.emplace_back(product.name);
    }
    fail_input(std::string(name) + " gives no result " + in_quotes(wanted) + suggestion(wanted, names));
}

void require_applicable(const Procedure& procedure, RuleRef ref) {
    if (procedure.gives(ref.rule->applies_to)) return;
    std::string list;
    for (const auto& p : procedure.traces) list += (list.empty() ? "" : ", ") + std::string(p.name);
    for (const auto& p : procedure.results) list += ", " + std::string(p.name);
    fail_input("rule " + ref.full_id() + " judges " + in_quotes(ref.rule->applies_to) + ", but procedure " +
               procedure.name + " gives " + list);
}

void preset_named(const Rule& rule, Parameters& parameters) {
    for (const auto& [key, value] : rule.presets) {
        if (parameters.find(key) && !parameters.has(key)) parameters.set(key, value);
    }
}

std::vector<std::string> deviations_from(const Rule& rule, const Parameters& parameters) {
    std::vector<std::string> out;
    if (!rule.changed_from.empty())
        out.push_back("limit of the lab's own rulebook instead of " + rule.changed_from);
    for (const auto& [name, wanted] : rule.presets) {
        const auto at = parameters.texts().find(name);
        if (at == parameters.texts().end() || parameters.same(name, at->second, wanted)) continue;
        out.push_back(name + " " + at->second + " instead of " + wanted);
    }
    return out;
}

namespace {

// What a verdict may need to know of how the outcome came about.
struct Circumstances {
    std::optional<double> observed_s;
    bool unscaled = false, by_volts = false;
};

Circumstances circumstances_of(const Capture& capture, const Parameters& p) {
    Circumstances out;
    if (const auto* record = std::get_if<IqRecord>(&capture)) out.observed_s = record->seconds();
    if (const auto* wave = std::get_if<Waveform>(&capture)) {
        out.observed_s = wave->seconds();
        out.unscaled = !wave->scaled;
    }
    if (out.observed_s) {
        const double end = std::min(*out.observed_s, p.number("to").value_or(*out.observed_s));
        out.observed_s = std::max(0.0, end - p.number("from").value_or(0));
    }
    for (const auto& row : p.known()) {
        const std::string_view name = row.name;
        // What an oscilloscope is asked for decides nothing in a record that is there.
        if (name == "range" || name == "trigger_voltage") continue;
        out.by_volts = out.by_volts || ((row.unit == Unit::volt || name == "mask") && p.has(name));
    }
    return out;
}

}  // namespace

Outcome measure(const Procedure& procedure, Capture capture, const Parameters& parameters) {
    auto trouble = distrust(capture);
    if (!trouble) trouble = implausible(capture);
    const Circumstances circumstances = circumstances_of(capture, parameters);
    std::optional<Unexpected> unexpected;
    if (procedure.check) unexpected = procedure.check(capture, parameters);
    // Whether samples were clipped is known when they have been read.
    const auto* record = std::get_if<IqRecord>(&capture);
    const auto samples = record ? record->samples : nullptr;
    Waveform channels;
    if (const auto* wave = std::get_if<Waveform>(&capture)) channels = *wave;
    Outcome outcome;
    try {
        outcome = procedure.measure(std::move(capture), parameters);
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::signal) throw;
        outcome.invalid = error.message();
    }
    if (samples && samples->clipped()) {
        outcome.invalid = "overload: the samples are clipped at the end of the converter's range";
    }
    if (samples) {
        if (const auto dead = samples->dead(); !dead.empty()) outcome.invalid = dead;
    }
    if (channels.clipped()) outcome.invalid = clipped_text;
    if (unexpected) outcome.invalid = unexpected->text();
    if (trouble) outcome.invalid = *trouble;
    if (outcome.invalid) invalidate(outcome, *outcome.invalid);
    if (!outcome.observed_s) outcome.observed_s = circumstances.observed_s;
    outcome.unscaled = circumstances.unscaled;
    outcome.by_volts = circumstances.by_volts;
    if (outcome.unscaled) {
        outcome.notes.push_back(
            "the record does not say how many volts a unit of it is: voltages are in its own units; give "
            "--volts-per-unit");
    }
    outcome.stated = parameters.stated_names();
    return outcome;
}

void complete(Capture& any, const Parameters& p) {
    auto* spectrum = std::get_if<Spectrum>(&any);
    if (!spectrum) return;
    Spectrum& capture = *spectrum;
    const auto declare = [&](const std::string& what) {
        capture.declared += (capture.declared.empty() ? "" : ", ") + what;
    };
    if (const auto detector = p.detector("detector"); detector && p.stated("detector")) {
        if (capture.detector && *capture.detector != *detector) {
            fail_input(std::string("the capture states the detector ") + name(*capture.detector) +
                       ", the parameter says " + name(*detector));
        }
        if (!capture.detector) declare(std::string("detector ") + name(*detector));
        capture.detector = detector;
    }
    if (const auto bandwidth = p.number("bandwidth"); bandwidth && p.stated("bandwidth")) {
        auto& known = capture.resolution_bandwidth_hz;
        if (known && std::abs(*known - *bandwidth) > 1e-6 * *bandwidth) {
            fail_input("the capture states the bandwidth " + format({*known, Unit::hertz}) +
                       ", the parameter says " + format({*bandwidth, Unit::hertz}));
        }
        if (!known) declare("bandwidth " + format({*bandwidth, Unit::hertz}));
        known = bandwidth;
    }
}

void invalidate(Outcome& outcome, std::string reason) {
    outcome.invalid = std::move(reason);
    outcome.results.clear();
    outcome.tables.clear();
    outcome.occurrences.clear();
}

}  // namespace rt
