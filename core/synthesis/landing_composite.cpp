// landing.composite: what a localiser or glide path sends.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/landing/channels.hpp"
#include "core/landing/morse.hpp"
#include "core/synthesis/signal.hpp"

namespace rt {
namespace {

using enum ParameterKind;

constexpr double circle = 2 * std::numbers::pi;

constexpr std::array landing_composite_parameters{
    ParameterInfo{"part", choice, Unit::none, "localiser", "localiser or glide-path", "localiser glide-path"},
    ParameterInfo{"deviation", quantity, Unit::none, "0",
                  "difference in depth of modulation, 150 Hz minus 90 Hz: 0.155 is full deflection of a "
                  "localiser, 0.175 of a glide path"},
    ParameterInfo{"depth_sum", quantity, Unit::percent, "",
                  "sum of both depths; 40 % of a localiser, 80 % of a glide path without it"},
    ParameterInfo{"phase", quantity, Unit::degree, "0 deg",
                  "of the 150 Hz tone where the 90 Hz tone crosses zero upwards"},
    ParameterInfo{"removed", choice, Unit::none, "none",
                  "tones that are not sent; the others stay as they are", "none 90 150 both"},
    ParameterInfo{"tone_90", quantity, Unit::hertz, "90 Hz", "frequency of the lower tone"},
    ParameterInfo{"tone_150", quantity, Unit::hertz, "150 Hz", "frequency of the upper tone"},
    ParameterInfo{"ident", text, Unit::none, "", "identification, such as ISK; none without it"},
    ParameterInfo{"ident_keying", choice, Unit::none, "morse",
                  "its text in Morse code, or a tone all the time", "morse steady"},
    ParameterInfo{"ident_depth", quantity, Unit::percent, "10 %", "depth of the identification"},
    ParameterInfo{"ident_frequency", quantity, Unit::hertz, "1020 Hz", "its tone"},
    ParameterInfo{"ident_dot", quantity, Unit::second, "120 ms", "length of its dots"},
    ParameterInfo{"ident_every", quantity, Unit::second, "10 s", "from one identification to the next"},
    ParameterInfo{"centre", quantity, Unit::hertz, "",
                  "carrier frequency, or the channel below; kept with files"},
    ParameterInfo{"channel", text, Unit::none, "", "channel by its name, such as 18X"},
    ParameterInfo{"carrier_level", quantity, Unit::dbm, "",
                  "kept with files: the power of the carrier alone"},
    ParameterInfo{"sample_rate", quantity, Unit::hertz, "50 kHz", "complex samples a second"},
};

// The frequency of which whole cycles fit.
double fitting(const char* name, double hz, double turn_s) {
    const double cycles = std::round(hz * turn_s);
    if (cycles < 1) fail_input(fmt::format("parameter {}: {} is too low", name, format({hz, Unit::hertz})));
    return cycles / turn_s;
}

// Of the localiser, by 50 kHz from 108.10 MHz; paired by ICAO Annex 10, volume I, 3.1.6.
double channel_hz(const std::string& name, bool glide_path) {
    const auto channel = landing::channel_called(name);
    if (!channel)
        fail_input("parameter channel: " + in_quotes(name) +
                   " is no channel of a landing system: write 18X to 56Y, of even numbers");
    return glide_path ? channel->glide_path_hz : channel->localiser_hz;
}

MadeSignal make_landing(const Parameters& p, const SignalInputs&) {
    const bool glide_path = p.text("part") == "glide-path";
    const double deviation = p.required("deviation");
    const double sum = p.number("depth_sum").value_or(glide_path ? 80 : 40) / 100;
    double low = (sum - deviation) / 2, high = (sum + deviation) / 2;
    if (low < 0 || high < 0)
        fail_input(fmt::format("parameter deviation: {} is more than the sum of both depths, {:.3g} %",
                               deviation, 100 * sum));
    const std::string removed = p.text("removed");
    if (removed == "90" || removed == "both") low = 0;
    if (removed == "150" || removed == "both") high = 0;
    const std::string word = p.text("ident");
    const bool morse = !word.empty() && p.text("ident_keying") == "morse";
    const double ident =
        word.empty() && p.text("ident_keying") == "morse" ? 0 : p.required("ident_depth") / 100;
    if (!(ident >= 0)) fail_input("parameter ident_depth: cannot be negative");
    if (low + high + ident > 1)
        fail_input(fmt::format("the depths make {:.3g} %: more than the carrier can carry",
                               100 * (low + high + ident)));
    const double rate = p.required("sample_rate");
    if (!(rate >= 5000 && rate <= 10e6)) fail_input("parameter sample_rate: 5 kHz to 10 MHz are possible");
    const double turn_s = morse ? p.required("ident_every") : 1;
    if (!(turn_s >= 0.1 && turn_s <= 60)) fail_input("parameter ident_every: 0.1 s to 60 s are possible");
    const double dot = p.required("ident_dot");
    if (morse && !(dot >= 0.02)) fail_input("parameter ident_dot: 20 ms or more are possible");
    auto marks = morse ? landing::keyed(word, dot) : std::vector<landing::Mark>{};
    // Whole within a record of one turn.
    for (auto& mark : marks) mark.start_s += 3 * dot, mark.stop_s += 3 * dot;
    if (morse && marks.back().stop_s + 3 * dot > turn_s)
        fail_input(fmt::format("parameter ident: {} takes {:.3g} s, it comes every {:.3g} s", word,
                               marks.back().stop_s, turn_s));
    const auto count = static_cast<std::size_t>(std::llround(turn_s * rate));
    const double whole_s = static_cast<double>(count) / rate;
    const double hz_90 = fitting("tone_90", p.required("tone_90"), whole_s);
    const double hz_150 = fitting("tone_150", p.required("tone_150"), whole_s);
    const double hz_ident = fitting("ident_frequency", p.required("ident_frequency"), whole_s);
    const double phase = p.required("phase") * std::numbers::pi / 180;
    // Highest envelope there can be stands for |x| = 1.
    const double highest = 1 + low + high + ident;
    std::vector<std::complex<float>> samples(count);
    std::size_t mark = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const double t = static_cast<double>(i) / rate;
        double modulation = low * std::sin(circle * hz_90 * t) + high * std::sin(circle * hz_150 * t + phase);
        bool on = !morse;
        if (morse) {
            while (mark < marks.size() && t >= marks[mark].stop_s) ++mark;
            on = mark < marks.size() && t >= marks[mark].start_s;
        }
        if (on) modulation += ident * std::sin(circle * hz_ident * t);
        samples[i] = static_cast<float>((1 + modulation) / highest);
    }
    const std::string channel = p.text("channel");
    if (!channel.empty() && p.stated("centre"))
        fail_input("parameters channel and centre both name the carrier: give one");
    const double centre = channel.empty() ? p.number("centre").value_or(0) : channel_hz(channel, glide_path);
    MadeSignal out;
    out.above_level_db = 20 * std::log10(highest);
    std::optional<double> reference;
    if (const auto level = p.number("carrier_level")) reference = *level + out.above_level_db;
    out.turn = iq_in_memory(std::move(samples), rate, centre, reference);
    const auto is = [&](const char* name, double value, Unit unit) {
        out.is.push_back({name, {value, unit}, {}});
    };
    is("depth_90", 100 * low, Unit::percent);
    is("depth_150", 100 * high, Unit::percent);
    is("ddm", high - low, Unit::none);
    is("tone_90", hz_90, Unit::hertz);
    is("tone_150", hz_150, Unit::hertz);
    if (ident > 0) is("ident_frequency", hz_ident, Unit::hertz);
    if (centre > 0) is("centre", centre, Unit::hertz);
    is("turn", whole_s, Unit::second);
    return out;
}

}  // namespace

SignalKind landing_composite() {
    return {"landing.composite",
            "Localiser or glide path of a landing system",
            "A carrier with 90 Hz, 150 Hz and an identification in amplitude (ICAO Annex 10, volume I, 3.1). "
            "Depths are relative to the carrier alone; the level of a generator that plays it is that of the "
            "carrier. Its turn is a second, or one identification.",
            landing_composite_parameters,
            true,
            false,
            make_landing};
}

}  // namespace rt
