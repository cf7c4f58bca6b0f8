// landing.signal: the modulation of a localiser or glide path.
#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/landing/channels.hpp"
#include "core/measure/iq_setup.hpp"
#include "core/measure/landing/tones.hpp"
#include "core/measure/wave_source.hpp"

namespace rt {
namespace {

constexpr auto signal_parameters = joined(
    std::array{
        ParameterInfo{"ident", ParameterKind::text, Unit::none, "",
                      "what the identification has to spell, such as ISK; any without it"},
        ParameterInfo{
            "channel", ParameterKind::text, Unit::none, "",
            "channel that is meant, such as 18X; found by the frequency without it. Of a waveform the "
            "channel of the record"},
        iq_centre_parameter,
        ParameterInfo{"sample_rate", ParameterKind::quantity, Unit::hertz, "100 kHz",
                      "complex samples per second that the analyser records"},
        ParameterInfo{"duration", ParameterKind::quantity, Unit::second, "10 s",
                      "how long the analyser records; an identification comes once in 10 s"},
        iq_reference_parameter,
    },
    part_rows);

constexpr std::array signal_traces{
    Product{"modulation", Unit::percent, "modulation over time, 100 ms of it"}};
constexpr std::array signal_products{
    Product{"carrier_frequency", Unit::hertz, "of the carrier"},
    Product{"frequency_error", Unit::ppm, "from the frequency of its channel"},
    Product{"carrier_power", Unit::dbm, "of the carrier alone"},
    Product{"depth_90", Unit::percent, "depth of modulation by 90 Hz, relative to the carrier alone"},
    Product{"depth_150", Unit::percent, "the same by 150 Hz"},
    Product{"ddm", Unit::none,
            "difference in depth of modulation: 150 Hz minus 90 Hz, positive where 150 Hz predominates"},
    Product{"sdm", Unit::percent, "sum of both depths"},
    Product{"tone_90", Unit::hertz, "frequency of the lower tone"},
    Product{"tone_150", Unit::hertz, "frequency of the upper tone"},
    Product{"phase", Unit::degree,
            "of the 150 Hz tone where the 90 Hz tone crosses zero upwards, -60 to 60 degrees"},
    Product{"tones_missing", Unit::count, "of both tones those below 0.5 % of depth"},
    Product{"ident_depth", Unit::percent, "depth of the identification while it is on"},
    Product{"ident_frequency", Unit::hertz, "of its tone"},
    Product{"ident_dot", Unit::second, "mean length of its dots"},
    Product{"ident_wrong", Unit::count, "0 where it spells the parameter ident, else 1"},
};

constexpr double least_depth = 0.005;

void add_tones(const std::array<landing::Tone, 2>& tones, const CoherentAm& audio, Outcome& outcome) {
    const auto& low = tones[0];
    const auto& high = tones[1];
    // What is strongest at an edge of where it is looked for is no tone there.
    const auto missing = [](const landing::Tone& tone, double nominal) {
        return tone.depth < least_depth || std::abs(tone.hz / nominal - 1) > 0.05;
    };
    const bool missing_low = missing(low, 90), missing_high = missing(high, 150);
    const auto depth = [&](const char* name, const landing::Tone& tone, bool absent) {
        outcome.add(name, 100 * (absent ? std::max(least_depth, tone.depth) : tone.depth), Unit::percent,
                    absent ? Known::at_most : Known::exactly);
    };
    depth("depth_90", low, missing_low);
    depth("depth_150", high, missing_high);
    outcome.add("tones_missing", missing_low + missing_high, Unit::count);
    if (missing_low && missing_high) {
        for (const char* name : {"ddm", "sdm"}) outcome.lacking[name] = "neither tone is there";
    } else {
        outcome.add("ddm", high.depth - low.depth, Unit::none);
        outcome.add("sdm", 100 * (high.depth + low.depth), Unit::percent);
    }
    if (missing_low) {
        outcome.lacking["tone_90"] = "there is no tone of 90 Hz";
    } else {
        outcome.add("tone_90", low.hz, Unit::hertz);
    }
    if (missing_high) {
        outcome.lacking["tone_150"] = "there is no tone of 150 Hz";
    } else {
        outcome.add("tone_150", high.hz, Unit::hertz);
    }
    if (missing_low || missing_high) {
        outcome.lacking["phase"] = "phase needs both tones";
        return;
    }
    // Tones that are not 3 to 5 run through all phases.
    const double seconds = static_cast<double>(audio.depth.size()) / audio.rate;
    const double drift = 360 * std::abs(high.hz - low.hz * 5 / 3) * seconds;
    if (drift > 20) {
        outcome.lacking["phase"] = fmt::format(
            "the tones are not 3 to 5: their phase moves by {:.0f} degrees within the record", drift);
        return;
    }
    const double degrees = (high.phase - low.phase * 5 / 3) * 180 / std::numbers::pi;
    outcome.add("phase", degrees - 120 * std::round(degrees / 120), Unit::degree);
}

void add_ident(const std::array<landing::Tone, 2>& tones, const CoherentAm& audio, const std::string& wanted,
               Outcome& outcome) {
    constexpr double least = 0.01;
    const auto lack = [&](std::initializer_list<const char*> names, const std::string& why) {
        for (const char* name : names) outcome.lacking[name] = why;
    };
    const auto ident = landing::ident_tone(
        audio, tones, std::max(least, 6 * audio.noise / std::sqrt(audio.rate * 10e-3 / 2)));
    if (!ident) {
        lack({"ident_depth", "ident_frequency", "ident_dot"},
             "there is no identification of 1 % depth or more near 1020 Hz");
        if (!wanted.empty()) outcome.add("ident_wrong", 1, Unit::count);
        return;
    }
    outcome.add("ident_depth", 100 * ident->depth, Unit::percent);
    outcome.add("ident_frequency", ident->hz, Unit::hertz);
    const double seconds = static_cast<double>(audio.depth.size()) / audio.rate;
    const auto keyed = ident->keyed ? landing::read_morse(ident->marks, seconds) : std::nullopt;
    if (!keyed) {
        lack({"ident_dot"}, "the identification is a steady tone");
        outcome.notes.emplace_back("identification: a steady tone");
        if (!wanted.empty()) outcome.add("ident_wrong", 1, Unit::count);
        return;
    }
    if (keyed->dot_s > 0) {
        outcome.add("ident_dot", keyed->dot_s, Unit::second);
    } else {
        lack({"ident_dot"}, "the identification has no dots");
    }
    outcome.notes.push_back("identification: " + keyed->text +
                            (keyed->whole ? "" : " (cut off at an end of the record)"));
    if (wanted.empty()) return;
    std::string letters;
    for (const char c : keyed->text)
        if (c != ' ') letters += c;
    outcome.add("ident_wrong", lower(letters).find(lower(wanted)) == std::string::npos ? 1 : 0, Unit::count);
}

void add_channel(double hz, double centre_hz, const std::string& meant, Outcome& outcome) {
    auto found = landing::channel_at(hz);
    // A carrier that is too far off still belongs to the channel that was tuned to.
    if (!found) found = landing::channel_at(centre_hz);
    if (!meant.empty()) {
        const auto channel = landing::channel_called(meant);
        if (!channel)
            fail_input("parameter channel: " + in_quotes(meant) +
                       " is no channel of a landing system: write 18X to 56Y");
        const bool glide = std::abs(hz - channel->glide_path_hz) < std::abs(hz - channel->localiser_hz);
        found = landing::Found{*channel, glide};
    }
    if (!found) {
        outcome.lacking["frequency_error"] =
            "no channel of a landing system lies at " + format({hz, Unit::hertz}, 7);
        return;
    }
    const auto& c = found->channel;
    outcome.add("frequency_error", (hz / found->nominal_hz() - 1) * 1e6, Unit::ppm);
    outcome.notes.push_back(fmt::format("channel {}: localiser {}, glide path {}; this is the {}", c.name(),
                                        format({c.localiser_hz, Unit::hertz}),
                                        format({c.glide_path_hz, Unit::hertz}),
                                        found->glide_path ? "glide path" : "localiser"));
}

Trace trace_of(const CoherentAm& audio) {
    Trace out;
    out.name = "modulation", out.title = "Modulation", out.x_unit = Unit::second, out.x_title = "Time",
    out.y_unit = Unit::percent;
    const auto count = std::min(audio.depth.size(), static_cast<std::size_t>(0.1 * audio.rate));
    for (std::size_t n = 0; n < count; ++n) {
        out.x.push_back(static_cast<double>(n) / audio.rate);
        out.y.push_back(100 * (audio.depth[n] - 1));
    }
    return out;
}

Outcome measure_signal(Capture any, const Parameters& p) {
    Outcome outcome;
    CoherentAm audio;
    if (std::holds_alternative<Waveform>(any)) {
        const auto wave = take_waveform(std::move(any), "landing.signal");
        if (wave.channels.size() > 1 && p.text("channel").empty())
            fail_input("the record has several channels: name one by the parameter channel");
        const std::size_t channel = p.text("channel").empty()
                                        ? 1
                                        : static_cast<std::size_t>(to_double(p.text("channel")).value_or(0));
        const Signal signal = signal_of(wave, p, channel);
        audio = detected_am(signal.volts(), 1 / signal.step_s);
        for (const char* name : {"carrier_frequency", "frequency_error", "carrier_power"})
            outcome.lacking[name] = "detected audio has no carrier";
    } else {
        const IqRecord record = take_iq(std::move(any), "landing.signal", p);
        audio = coherent_am(record);
        if (audio.reason.empty()) {
            const double hz = record.centre_hz + *audio.offset_hz;
            outcome.add("carrier_frequency", hz, Unit::hertz);
            outcome.results.push_back({"carrier_power", level_of(record, audio.carrier * audio.carrier), {}});
            add_channel(hz, p.number("centre").value_or(record.centre_hz), p.text("channel"), outcome);
            note_reference(record, outcome);
        }
    }
    if (!audio.reason.empty()) {
        outcome.invalid = audio.reason;
        return outcome;
    }
    const auto tones = landing::navigation_tones(audio);
    add_tones(tones, audio, outcome);
    add_ident(tones, audio, p.text("ident"), outcome);
    outcome.traces.push_back(trace_of(audio));
    return outcome;
}

}  // namespace

// Depths, difference and sum, tone frequencies, phase and identification of a localiser or glide path (ICAO
// Annex 10, volume I, 3.1.3 and 3.1.5), from complex samples or from a detector's voltage. Trace
// `modulation`.
Procedure landing_signal() {
    return {"landing.signal",
            "Localiser or glide path signal",
            "Takes the part of the signal that has the carrier's phase, and fits 90 Hz and 150 Hz with their "
            "frequencies "
            "by least squares. Depths count from the carrier alone; the difference in depth is positive "
            "where 150 Hz "
            "predominates. The identification near 1020 Hz is told steady or read as Morse code.",
            signal_parameters,
            signal_traces,
            signal_products,
            iq_setup,
            measure_signal,
            preset_named};
}

}  // namespace rt
