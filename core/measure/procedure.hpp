// A procedure: a pure function from a capture and parameters to an outcome. The catalogue lists all.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "core/measure/outcome.hpp"
#include "core/measure/parameters.hpp"
#include "core/rules/rule.hpp"
#include "core/signal/capture.hpp"
#include "core/stats/anomaly.hpp"

namespace rt {

// What an analyser has to be asked for so that a procedure gets its capture.
struct SpectrumSetup {
    double start_hz = 0;
    double stop_hz = 0;
    std::size_t points = 0;  // evenly spaced, both ends included
    double resolution_bandwidth_hz = 0;
    Detector detector = Detector::peak;
    double dwell_s = 0;     // measuring time per point
    Unit unit = Unit::dbm;  // of the levels wanted
    std::optional<Quantity> reference_level;
    std::optional<double> attenuation_db;

    // Distance between neighbouring points.
    double step_hz() const { return (stop_hz - start_hz) / static_cast<double>(points - 1); }
};

// What a power meter has to be asked for.
struct PowerSetup {
    double frequency_hz = 0;
    int sensor = 1;  // counts from 1
    int averages = 4;
};

// What a link counter has to be asked for.
struct CountSetup {
    std::uint64_t packets = 0;
    double seconds_per_packet = 0;  // for estimates of time
};

// What a signal analyser has to be asked for in complex samples.
struct IqSetup {
    double centre_hz = 0;
    double sample_rate_hz = 0;
    double duration_s = 0;
    double reference_level_dbm = 0;
};

// What an oscilloscope has to be asked for.
struct WaveformSetup {
    double span_s = 0;
    std::size_t points = 0;
    double range_v = 1;            // to both sides
    std::vector<int> channels{1};  // counted from 1
    int trigger_channel = 1;
    double trigger_v = 0;
};

// What a network analyser has to be asked for: all four parameters of two ports.
struct NetworkSetup {
    double start_hz = 0;
    double stop_hz = 0;
    std::size_t points = 0;  // evenly spaced, both ends included
    double bandwidth_hz = 0;
};

using CaptureSetup =
    std::variant<SpectrumSetup, PowerSetup, CountSetup, IqSetup, WaveformSetup, NetworkSetup>;

// A capture that is not the signal expected: what was seen and what should have been.
struct Unexpected {
    std::string seen, expected;
    std::string text() const { return "seen: " + seen + "; expected: " + expected; }
};

struct Product {
    const char* name;
    Unit unit;
    const char* help;
    Trend over_level =
        Trend::none;  // how it goes as a level of the sweep grows; what does not is shown as odd
};

struct Procedure {
    const char* name;  // "emission.scan"
    const char* title;
    const char* about;  // a few sentences: definition, source, when it refuses
    std::span<const ParameterInfo> parameters;
    std::span<const Product> traces;
    std::span<const Product> results;
    // Both throw Error(input) when a parameter they need is missing or out of range.
    CaptureSetup (*setup)(const Parameters&);
    // The capture is of the kind that setup asks for.
    Outcome (*measure)(Capture, const Parameters&);
    // What the rule fixes: band, bandwidth, detector ... Set only where nothing is set yet.
    void (*preset)(const Rule&, Parameters&);
    // Whether the signal is the one that the procedure measures; null when any will do.
    std::optional<Unexpected> (*check)(const Capture&, const Parameters&) = nullptr;
    // It takes frame by frame: those of several records of complex samples count together.
    bool several_records = false;

    bool gives(std::string_view product) const;
    // One of its results. Throws Error(input) with the nearest name.
    const Product& result(std::string_view name) const;
};

std::span<const Procedure> procedures();

// Throws Error(input) with the nearest known name.
const Procedure& find_procedure(std::string_view name);

// Throws Error(input) unless the procedure gives the trace or result that the rule judges.
void require_applicable(const Procedure& procedure, RuleRef rule);

// The rule's own presets, where nothing is set yet: all that many procedures need for Procedure::preset.
void preset_named(const Rule& rule, Parameters& parameters);

// Parameters that a rule fixes and that were set otherwise: "dwell 10 ms instead of 1 s".
std::vector<std::string> deviations_from(const Rule& rule, const Parameters& parameters);

// Detector and bandwidth that a spectrum does not state are taken from parameters that somebody stated, and
// marked as declared. Throws Error(input) when both are known and differ.
void complete(Capture& capture, const Parameters& parameters);

// Marks an outcome as not to be judged and drops its results: no number may look valid. Traces stay, to look
// at.
void invalidate(Outcome& outcome, std::string reason);

// Measures, and carries over what holds for every procedure: a capture that cannot be trusted, or is not the
// signal expected, invalidates the outcome. Throws Error(input) for a capture of another kind than the
// procedure takes.
Outcome measure(const Procedure& procedure, Capture capture, const Parameters& parameters);

}  // namespace rt
