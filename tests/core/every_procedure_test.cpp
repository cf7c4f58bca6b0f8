// Every procedure on what is not its signal: no result may look valid.
#include <algorithm>
#include <cmath>
#include <random>
#include <set>

#include "core/base/error.hpp"
#include "core/catalogue/catalogue.hpp"
#include "tests/about.hpp"
#include "tests/core/made_signals.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;

namespace {

// What a spectrum or a level of such a capture is worth: noise has one, silence has none.
enum class Takes { signal_only, any_power };

struct Line {
    const char* procedure;
    double rate;
    Settings settings;
    Takes takes = Takes::signal_only;
    std::set<std::string> fits{};  // hostile captures that are its signal after all
};

const std::vector<Line> on_samples{
    {"radio.oqpsk", 16e6, {}},
    {"radio.gfsk", 16e6, {}},
    {"radio.advertising", 16e6, {}},
    {"beacon.burst", 48e3, {}},
    {"beacon.homing", 48e3, {}},
    // A carrier without its tones is one that lacks them, and that is told.
    {"landing.signal", 48e3, {}, Takes::signal_only, {"tone", "steps", "ramp", "hum"}},
    {"radio.ofdm", 20e6, {}},
    {"cellular.lte-uplink", 1.92e6, {{"channel_bandwidth", "1.4 MHz"}}},
    {"cellular.nr-uplink", 7.68e6, {{"channel_bandwidth", "5 MHz"}, {"subcarrier_spacing", "15 kHz"}}},
    {"cellular.power",
     10e6,
     {{"channel_bandwidth", "1.4 MHz"}},
     Takes::signal_only,
     {"tone", "steps", "frequency-modulated", "ramp", "hum"}},
    {"cellular.leakage",
     10e6,
     {{"channel_bandwidth", "1.4 MHz"}},
     Takes::signal_only,
     {"tone", "steps", "frequency-modulated", "ramp", "hum"}},
    {"radio.bursts", 2e6, {}, Takes::signal_only, {"frequency-modulated", "tone", "steps"}},
    {"radio.occupancy", 2e6, {}, Takes::signal_only, {"frequency-modulated", "tone", "steps"}},
    {"radio.am-fm", 1e6, {}, Takes::signal_only, {"tone", "steps", "frequency-modulated"}},
    {"radio.carrier", 1e6, {}, Takes::signal_only, {"tone", "steps"}},
    {"radio.mask",
     16e6,
     {{"centre", "2.4 GHz"}, {"span", "12 MHz"}},
     Takes::signal_only,
     {"tone", "steps", "frequency-modulated"}},
    {"radio.spurious", 1e6, {{"start", "2.3998 GHz"}, {"stop", "2.4002 GHz"}}, Takes::any_power},
    {"spectrum.density", 1e6, {}, Takes::any_power},
    {"spectrum.channel-power",
     16e6,
     {{"centre", "2.4 GHz"}, {"channel_bandwidth", "3 MHz"}},
     Takes::any_power},
    {"spectrum.occupied-bandwidth", 16e6, {}, Takes::any_power},
    {"spectrum.markers", 1e6, {}, Takes::any_power},
    {"emission.scan",
     1e6,
     {{"start", "2.3998 GHz"}, {"stop", "2.4002 GHz"}, {"bandwidth", "9 kHz"}, {"detector", "rms"}},
     Takes::any_power},
    {"emission.final",
     1e6,
     {{"frequency", "2.4 GHz"}, {"bandwidth", "9 kHz"}, {"detector", "rms"}},
     Takes::any_power},
};

const std::vector<Line> on_waveforms{
    {"serial.clock", 10e9, {{"symbol_rate", "2.5 GHz"}}},
    {"serial.jitter", 10e9, {{"symbol_rate", "2.5 GHz"}}},
    {"serial.eye", 10e9, {{"symbol_rate", "2.5 GHz"}}},
    {"serial.link", 10e9, {{"symbol_rate", "2.5 GHz"}}},
    {"serial.pattern", 10e9, {{"symbol_rate", "2.5 GHz"}, {"sequence", "prbs7"}}},
    {"serial.characters", 10e9, {{"symbol_rate", "2.5 GHz"}}},
    {"storage.frames", 6e9, {{"symbol_rate", "1.5 GHz"}}},
    {"storage.out-of-band", 6e9, {}},
    {"usb.handshake", 10e6, {{"sequence", "suspend"}}},
    {"usb.levels", 10e6, {{"state", "se0"}}, Takes::signal_only, {"zero", "noise"}},
    {"ethernet.idle", 10e6, {}},
    {"ethernet.density", 1e9, {{"bandwidth", "1 MHz"}}, Takes::any_power},
    {"ethernet.droop", 1e9, {}, Takes::signal_only, {"steps"}},
    {"ethernet.distortion", 1e9, {{"symbol_rate", "66.666667 MHz"}}},
    {"ethernet.mlt3", 1e9, {}},
    {"serial.skew", 1e9, {}},
    {"ethernet.manchester", 1e9, {}},
    {"ethernet.test-mode-1", 1e9, {}},
    {"pulse.edges", 1e9, {}, Takes::signal_only, {"steps", "tone", "frequency-modulated"}},
    {"bus.two-wire", 10e6, {{"supply", "3.3 V"}}},
    {"bus.four-wire", 10e6, {{"supply", "3.3 V"}, {"out_channel", "1"}}},
    {"tone.quality", 48e3, {}, Takes::signal_only, {"tone", "steps"}},
    {"tone.response", 48e3, {}},
};

struct Hostile {
    const char* name;
    std::vector<made::Complex> samples;  // waveforms take the real part for channel 1, the imaginary for 2
};

std::vector<Hostile> hostile(std::size_t count) {
    std::mt19937_64 random(17);
    std::normal_distribution<double> normal(0, 1);
    std::vector<Hostile> out{{"zero", {}},
                             {"constant", {}},
                             {"noise", {}},
                             {"loud noise", {}},
                             {"tone", {}},
                             {"steps", {}},
                             {"frequency-modulated", {}},
                             {"ramp", {}},
                             {"hum", {}},
                             {"click", {}}};
    double phase = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const auto t = static_cast<double>(i);
        const double length = static_cast<double>(count);
        const made::Complex noise(normal(random), normal(random));
        phase += 0.3 + 0.2 * std::sin(2 * made::pi * t * 0.001);
        out[0].samples.emplace_back(0, 0);
        out[1].samples.emplace_back(0.4, 0.3);
        out[2].samples.push_back(1e-3 * noise);
        out[3].samples.push_back(0.15 * noise);
        out[4].samples.push_back(std::polar(0.4, 2 * made::pi * 0.0213 * t) + 1e-4 * noise);
        // A slow square wave and its quarter-shifted twin: edges, but no traffic.
        const double place = std::fmod(t / length * 20.0, 1.0);
        out[5].samples.push_back(
            made::Complex(place < 0.5 ? 0.5 : -0.5, place > 0.25 && place < 0.75 ? 0.5 : -0.5) +
            1e-4 * noise);
        out[6].samples.push_back(std::polar(0.4, phase) + 1e-4 * noise);
        out[7].samples.emplace_back(t / length - 0.5, 0.5 - t / length);
        // Of the mains: half a period in the record.
        out[8].samples.push_back(0.5 * std::sin(made::pi * t / length) + 1e-4 * noise);
        out[9].samples.push_back((i == count / 2 ? 0.5 : 0) + 1e-5 * noise);
    }
    return out;
}

// Refused as input, or no results: both keep a rule from a verdict.
bool gives_results(const Line& line, Capture capture, std::string& said) {
    try {
        const Outcome out = run(line.procedure, std::move(capture), line.settings);
        said = out.invalid.value_or("");
        for (const auto& result : out.results)
            said += " " + result.name + "=" + std::to_string(result.value.value);
        // Whoever has nothing to say gives no result.
        CHECK(out.results.empty() == out.invalid.has_value());
        return !out.invalid;
    } catch (const Error& error) {
        said = error.message();
        return false;
    }
}

bool expected(const Line& line, const std::string& name) {
    if (line.takes == Takes::any_power) return name != "zero" && name != "constant";
    return line.fits.contains(name);
}

}  // namespace

TEST_CASE("no procedure on complex samples makes a result of what is not its signal") {
    for (const auto& h : hostile(30000)) {
        for (const auto& line : on_samples) {
            std::string said;
            made::Samples x(h.samples.begin(), h.samples.end());
            const bool gives = gives_results(line, made::record(x, line.rate, 2.4e9, 10.0), said);
            INFO(line.procedure, " on ", h.name, ": ", said);
            CHECK(gives == expected(line, h.name));
        }
    }
}

TEST_CASE("no procedure on waveforms makes a result of what is not its signal") {
    for (const auto& h : hostile(30000)) {
        std::vector<double> one, two;
        for (const auto& value : h.samples)
            one.push_back(3.3 * value.real()), two.push_back(3.3 * value.imag());
        for (const auto& line : on_waveforms) {
            std::string said;
            const bool gives = gives_results(line, waveform_in_memory({one, two}, 1 / line.rate), said);
            INFO(line.procedure, " on ", h.name, ": ", said);
            CHECK(gives == expected(line, h.name));
        }
    }
}

TEST_CASE("every procedure on captures has its line here") {
    std::set<std::string> here;
    for (const auto& list : {on_samples, on_waveforms}) {
        for (const auto& line : list) here.insert(line.procedure);
    }
    // Of readings, not of captures with a signal.
    for (const char* other :
         {"network.return-loss", "network.parameters", "network.calibration", "network.verification",
          "device.figures", "device.curves", "device.disturbance", "power.level", "power.gain",
          "power.insertion", "power.return-loss", "path.loss", "receiver.error-rate", "receiver.throughput",
          "radio.devices", "module.registers", "beacon.message", "landing.indication",
          "cellular.dual-uplink"})
        here.insert(other);
    for (const auto& procedure : procedures()) {
        // Conclusions are drawn from results: results_test.cpp.
        if (std::string_view(procedure.name).starts_with("results.")) continue;
        CAPTURE(procedure.name);
        CHECK(here.contains(procedure.name));
    }
}
