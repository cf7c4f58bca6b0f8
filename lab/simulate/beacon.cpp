#include "lab/simulate/beacon.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/base/text.hpp"
#include "core/quantity/quantity.hpp"
#include "lab/simulate/levels.hpp"
#include "lab/simulate/surroundings.hpp"

namespace rt::lab {
namespace {

using std::numbers::pi;

constexpr std::array beacon_keys{
    KeyInfo{"port", Key::text, true, "where it transmits"},
    KeyInfo{"when", Key::pairs, false, "settings under which it does"},
    KeyInfo{"frequency", Key::quantity, true, "of its carrier", Unit::hertz},
    KeyInfo{"level", Key::quantity, true, "of its bursts", Unit::dbm},
    KeyInfo{"message", Key::text, true, "22 or 30 hexadecimal digits, from bit 25 on"},
    KeyInfo{"self_test", Key::flag, false, "the frame synchronisation is that of a self-test"},
    KeyInfo{"first", Key::quantity, false, "when the first burst comes; 5 s without it", Unit::second},
    KeyInfo{"period", Key::quantity, false, "from burst to burst; 50 s without it", Unit::second},
    KeyInfo{"carrier", Key::quantity, false, "unmodulated; 160 ms without it", Unit::second},
    KeyInfo{"bit_rate", Key::quantity, false, "400 bit/s without it", Unit::bit_per_second},
    KeyInfo{"positive", Key::quantity, false, "deviation of the phase; 1.1 rad without it", Unit::radian},
    KeyInfo{"negative", Key::quantity, false, "the same; 1.1 rad without it", Unit::radian},
    KeyInfo{"rise_time", Key::quantity, false, "of the phase, 10 % to 90 %; 150 us without it", Unit::second},
    KeyInfo{"wrong_bits", Key::texts, false, "numbers of bits that are sent wrong"},
    KeyInfo{"cut", Key::quantity, false, "it ends so much early", Unit::second},
};
constexpr std::array homing_keys{
    KeyInfo{"port", Key::text, true, "where it transmits"},
    KeyInfo{"when", Key::pairs, false, "settings under which it does"},
    KeyInfo{"frequency", Key::quantity, true, "of its carrier", Unit::hertz},
    KeyInfo{"level", Key::quantity, true, "at the crest of the envelope", Unit::dbm},
    KeyInfo{"from", Key::quantity, false, "of the tone, where a sweep begins; 1400 Hz without it",
            Unit::hertz},
    KeyInfo{"to", Key::quantity, false, "where it ends; 500 Hz without it", Unit::hertz},
    KeyInfo{"rate", Key::quantity, false, "sweeps a second; 3 Hz without it", Unit::hertz},
    KeyInfo{"duty", Key::quantity, false, "of the tone; 40 % without it", Unit::percent},
    KeyInfo{"factor", Key::quantity, false, "of modulation; 95 % without it", Unit::percent},
};

// The phase of the modulation `t` after its beginning: straight ramps around each change.
double phase_at(const SimulatedBeacon& b, double t) {
    const double half = 0.5 / b.bit_rate, ramp = b.rise_s / 0.8;
    const auto level = [&](long place) {
        if (place < 0) return 0.0;
        const auto bit = static_cast<std::size_t>(place / 2);
        if (bit >= b.bits.size()) return 0.0;
        const bool first = place % 2 == 0;
        return (b.bits[bit] == 1) == first ? b.positive_rad : -b.negative_rad;
    };
    const auto place = static_cast<long>(std::floor(t / half));
    const double since = t - static_cast<double>(place) * half;
    if (since < ramp / 2) return level(place - 1) + (level(place) - level(place - 1)) * (0.5 + since / ramp);
    if (half - since < ramp / 2)
        return level(place) + (level(place + 1) - level(place)) * (0.5 - (half - since) / ramp);
    return level(place);
}

}  // namespace

const SectionInfo beacon_section{"[[beacon]]", "A distress beacon on 406 MHz.", beacon_keys};
const SectionInfo homing_section{"[[homing]]", "A signal to home on.", homing_keys};

SimulatedBeacon read_beacon(const ConfigSection& s, const std::map<std::string, std::string>& settings) {
    SimulatedBeacon out;
    out.port = s.text("port");
    out.when = when_of(s, settings);
    out.frequency_hz = s.quantity("frequency")->value;
    out.level_dbm = s.quantity("level")->value;
    out.first_s = s.quantity_or("first", out.first_s);
    out.period_s = s.quantity_or("period", out.period_s);
    out.carrier_s = s.quantity_or("carrier", out.carrier_s);
    out.bit_rate = s.quantity_or("bit_rate", out.bit_rate);
    out.positive_rad = s.quantity_or("positive", out.positive_rad);
    out.negative_rad = s.quantity_or("negative", out.negative_rad);
    out.rise_s = s.quantity_or("rise_time", out.rise_s);
    out.cut_s = s.quantity_or("cut", 0);
    if (!(out.period_s > 1)) s.fail("period", "must be above 1 s");
    if (!(out.bit_rate > 0)) s.fail("bit_rate", "must be above 0 bit/s");
    out.bits.assign(15, 1);
    for (const char c : std::string(s.flag("self_test") ? "011010000" : "000101111"))
        out.bits.push_back(c - '0');
    const std::string digits = s.text("message");
    constexpr std::size_t short_digits = 22, long_digits = 30;
    if (digits.size() != short_digits && digits.size() != long_digits)
        s.fail("message", "22 or 30 hexadecimal digits are needed");
    for (const char c : digits) {
        const auto value = std::string_view("0123456789ABCDEF").find(c);
        if (value == std::string_view::npos)
            s.fail("message", "holds what is no hexadecimal digit: 0 to 9, A to F");
        for (int k = 3; k >= 0; --k) out.bits.push_back(static_cast<int>(value >> k & 1));
    }
    for (const auto& text : s.texts("wrong_bits")) {
        const auto number = to_double(text);
        if (!number || *number < 1 || *number > static_cast<double>(out.bits.size()))
            s.fail("wrong_bits", in_quotes(text) + " is the number of no bit");
        out.bits[static_cast<std::size_t>(*number) - 1] ^= 1;
    }
    return out;
}

SimulatedHoming read_homing(const ConfigSection& s, const std::map<std::string, std::string>& settings) {
    SimulatedHoming out;
    out.port = s.text("port");
    out.when = when_of(s, settings);
    out.frequency_hz = s.quantity("frequency")->value;
    out.level_dbm = s.quantity("level")->value;
    out.from_hz = s.quantity_or("from", out.from_hz);
    out.to_hz = s.quantity_or("to", out.to_hz);
    out.sweeps_hz = s.quantity_or("rate", out.sweeps_hz);
    out.duty = s.quantity_or("duty", 100 * out.duty) / 100;
    out.factor = s.quantity_or("factor", 100 * out.factor) / 100;
    if (!(out.sweeps_hz > 0)) s.fail("rate", "must be above 0 Hz");
    return out;
}

void add_beacon(std::vector<std::complex<double>>& samples, const IqSetup& setup, double full_scale_dbm,
                const SimulatedBeacon& b, double now_s) {
    const double rate = setup.sample_rate_hz, offset = b.frequency_hz - setup.centre_hz;
    if (std::abs(offset) > rate / 2) return;
    const double height = amplitude(b.level_dbm, full_scale_dbm);
    constexpr double ramp_s = 0.5e-3;  // of the amplitude
    const double first = std::max(0.0, std::floor((now_s - b.first_s - 1) / b.period_s));
    for (double begin = b.first_s + first * b.period_s - now_s; begin < setup.duration_s;
         begin += b.period_s) {
        const auto from = static_cast<std::size_t>(std::max(0.0, std::ceil((begin - ramp_s) * rate)));
        const double end = begin + b.length_s() + ramp_s;
        if (end <= 0) continue;
        const auto to = std::min(samples.size(), static_cast<std::size_t>(end * rate));
        for (std::size_t n = from; n < to; ++n) {
            const double t = static_cast<double>(n) / rate - begin;
            const double edge = std::min(t, b.length_s() - t) / ramp_s + 0.95;
            const double cycles = offset * t;
            samples[n] += std::polar(height * std::clamp(edge, 0.0, 1.0),
                                     2 * pi * (cycles - std::floor(cycles)) + phase_at(b, t - b.carrier_s));
        }
    }
}

void add_homing(std::vector<std::complex<double>>& samples, const IqSetup& setup, double full_scale_dbm,
                const SimulatedHoming& h, double now_s) {
    const double rate = setup.sample_rate_hz, offset = h.frequency_hz - setup.centre_hz;
    if (std::abs(offset) > rate / 2) return;
    const double height = amplitude(h.level_dbm, full_scale_dbm);
    // B over A from (A - B) / (A + B).
    const double rest = (1 - h.factor) / (1 + h.factor);
    double turns = 0;
    for (std::size_t n = 0; n < samples.size(); ++n) {
        const double t = static_cast<double>(n) / rate, place = (now_s + t) * h.sweeps_hz;
        turns += (h.from_hz + (h.to_hz - h.from_hz) * (place - std::floor(place))) / rate;
        const bool on = turns - std::floor(turns) < h.duty;
        const double cycles = offset * t;
        samples[n] += std::polar(on ? height : height * rest, 2 * pi * (cycles - std::floor(cycles)));
    }
}

}  // namespace rt::lab
