#include "lab/simulate/landing_receiver.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/dsp/resample.hpp"
#include "lab/simulate/between.hpp"
#include "lab/simulate/levels.hpp"
#include "lab/simulate/surroundings.hpp"

namespace rt::lab {
namespace {

constexpr std::array landing_keys{
    KeyInfo{"port", Key::text, true, "where its antenna would be: a wire from a generator leads to it"},
    KeyInfo{"when", Key::pairs, false, "settings under which this holds"},
    KeyInfo{"frequency", Key::quantity, true, "what it is tuned to", Unit::hertz},
    KeyInfo{"full_scale", Key::quantity, false, "what it indicates at full deflection; 150 without it",
            Unit::none},
    KeyInfo{"full_scale_ddm", Key::quantity, false, "deviation for that; 0.155 without it", Unit::none},
    KeyInfo{"offset", Key::quantity, false, "added to what it indicates", Unit::none},
    KeyInfo{"gain_error", Key::quantity, false, "it indicates so much more", Unit::percent},
    KeyInfo{"backlash", Key::quantity, false, "what it indicates stays so far behind", Unit::none},
    KeyInfo{"noise", Key::quantity, false, "of each reading, standard deviation", Unit::none},
    KeyInfo{"flag_level", Key::quantity, false, "the flag shows below it; -93 dBm without it", Unit::dbm},
    KeyInfo{"flag_depth", Key::quantity, false, "or below this sum of depths; 20 % without it",
            Unit::percent},
    KeyInfo{"flag_sticks", Key::flag, false, "the flag never shows"},
    KeyInfo{"loose_from", Key::quantity, false, "from this indication on a contact opens now and then",
            Unit::none},
    KeyInfo{"loose_to", Key::quantity, false, "up to this one", Unit::none},
};

constexpr double loose_share = 0.25;  // of the readings there

}  // namespace

const SectionInfo landing_section{
    "[[landing]]", "A landing-system receiver of the unit, fed by a vector generator.", landing_keys};

LandingReceiver read_landing_receiver(const ConfigSection& s,
                                      const std::map<std::string, std::string>& settings) {
    LandingReceiver out;
    out.port = s.text("port");
    out.when = when_of(s, settings);
    out.frequency_hz = s.quantity("frequency")->value;
    out.full_scale = s.quantity_or("full_scale", out.full_scale);
    out.full_scale_ddm = s.quantity_or("full_scale_ddm", out.full_scale_ddm);
    out.offset = s.quantity_or("offset", 0);
    out.gain_error = s.quantity_or("gain_error", 0) / 100;
    out.backlash = s.quantity_or("backlash", 0);
    out.noise = s.quantity_or("noise", 0);
    out.flag_dbm = s.quantity_or("flag_level", out.flag_dbm);
    out.flag_depth = s.quantity_or("flag_depth", 100 * out.flag_depth) / 100;
    out.flag_sticks = s.flag("flag_sticks");
    if (const auto from = s.quantity("loose_from")) out.loose_from = from->value;
    if (const auto to = s.quantity("loose_to")) out.loose_to = to->value;
    if (out.loose_from.has_value() != out.loose_to.has_value())
        s.fail("loose_from", "goes together with loose_to");
    if (!(out.full_scale > 0 && out.full_scale_ddm > 0)) s.fail("full_scale", "must be above 0");
    return out;
}

// Every `step` samples of a turn that goes on and on: what an analyser of that rate would fold back is
// filtered off.
static std::vector<std::complex<float>> narrowed(const std::vector<std::complex<float>>& turn, double begin,
                                                 double step, std::size_t count) {
    constexpr double pass = 0.42;  // of the analyser's rate
    const Resampler resampler(step, pass, 1 - pass);
    const auto reach = static_cast<std::ptrdiff_t>(std::min(resampler.reach() + 1, turn.size()));
    std::vector<std::complex<float>> around(turn.end() - reach, turn.end());
    around.insert(around.end(), turn.begin(), turn.end());
    around.insert(around.end(), turn.begin(), turn.begin() + reach);
    std::vector<std::complex<float>> out(count);
    const auto size = static_cast<double>(turn.size());
    for (std::size_t at = 0; at < count;) {
        const double place = std::fmod(begin + static_cast<double>(at) * step, size);
        const auto left = static_cast<std::size_t>(std::ceil((size - place) / step));
        const std::size_t piece = std::min(count - at, std::max<std::size_t>(1, left));
        resampler(around, place + static_cast<double>(reach), step, std::span(out).subspan(at, piece));
        at += piece;
    }
    return out;
}

void add_played(std::vector<std::complex<double>>& samples, const IqSetup& setup, double full_scale_dbm,
                const ArrivingIq& arriving, double even) {
    const double rate = setup.sample_rate_hz, offset = arriving.frequency_hz - setup.centre_hz;
    if (!arriving.played.samples || std::abs(offset) > rate / 2) return;
    const auto& turn = *arriving.played.samples;
    const double height = amplitude(arriving.level_dbm, full_scale_dbm);
    const double step = arriving.played.rate_hz / rate, begin = even * static_cast<double>(turn.size());
    const auto fewer =
        step > 1.01 ? narrowed(turn, begin, step, samples.size()) : std::vector<std::complex<float>>{};
    for (std::size_t n = 0; n < samples.size(); ++n) {
        const double cycles = offset * static_cast<double>(n) / rate;
        const std::complex<double> own = fewer.empty() ? between(turn, begin + static_cast<double>(n) * step)
                                                       : std::complex<double>(fewer[n]);
        samples[n] += own * std::polar(height, 2 * std::numbers::pi * (cycles - std::floor(cycles)));
    }
}

LandingHeard heard_of(const PlayedIq& played, double level_dbm) {
    LandingHeard out;
    if (!played.samples || played.samples->empty()) return out;
    double mean = 0;
    std::complex<double> low = 0, high = 0;
    const auto& x = *played.samples;
    // A second of it: whole cycles of both tones, and of the identification.
    const std::size_t count = std::min(x.size(), static_cast<std::size_t>(std::llround(played.rate_hz)));
    for (std::size_t i = 0; i < count; ++i) {
        const double envelope = static_cast<double>(std::abs(x[i]));
        const double t = static_cast<double>(i) / played.rate_hz;
        mean += envelope;
        low += envelope * std::polar(1.0, -2 * std::numbers::pi * 90 * t);
        high += envelope * std::polar(1.0, -2 * std::numbers::pi * 150 * t);
    }
    if (!(mean > 0)) return out;
    out.depth_90 = 2 * std::abs(low) / mean;
    out.depth_150 = 2 * std::abs(high) / mean;
    out.carrier_dbm = level_dbm + 20 * std::log10(mean / static_cast<double>(count));
    return out;
}

LandingReceiver::Shown LandingReceiver::shown(const LandingHeard& heard, double even, double normal,
                                              std::optional<double> before) const {
    Shown out;
    out.level = std::clamp((heard.carrier_dbm + 110) / 20, 0.0, 5.0);
    const bool weak = heard.carrier_dbm < flag_dbm || heard.depth_90 + heard.depth_150 < flag_depth ||
                      heard.depth_90 < flag_depth / 8 || heard.depth_150 < flag_depth / 8;
    out.flag = weak && !flag_sticks;
    double wanted =
        offset + (1 + gain_error) * (heard.depth_150 - heard.depth_90) / full_scale_ddm * full_scale;
    if (weak) wanted = 0;
    if (before) wanted = std::clamp(*before, wanted - backlash / 2, wanted + backlash / 2);
    out.needle = std::clamp(wanted, -2 * full_scale, 2 * full_scale);
    out.deviation = out.needle + noise * normal;
    if (loose_from && wanted >= *loose_from && wanted <= *loose_to && even < loose_share)
        out.deviation = 0, out.flag = !flag_sticks;
    return out;
}

}  // namespace rt::lab
