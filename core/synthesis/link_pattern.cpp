// link.pattern: a serial signal with stress.
#include <fmt/core.h>

#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/synthesis/signal.hpp"
#include "core/synthesis/stress.hpp"
#include "core/synthesis/symbols.hpp"

namespace rt {
namespace {

using enum ParameterKind;

constexpr std::array link_pattern_parameters{
    ParameterInfo{"pattern", text, Unit::none, "prbs7",
                  "segments with commas between: prbs7, clock 20, ones 4, zeros 4, quiet 480, bits:0110, "
                  "hex:3EB0, symbols:0312, characters:K28.5+D10.2, random 1000, clock/10 400 (held), 6 x "
                  "(clock 160, quiet 480)"},
    ParameterInfo{"symbols", whole_number, Unit::none, "",
                  "the pattern is repeated until there are at least so many; once without it"},
    ParameterInfo{"symbol_rate", quantity, Unit::hertz, "", "symbols a second; needed"},
    ParameterInfo{"sample_rate", quantity, Unit::hertz, "", "samples a second; 16 a symbol without it"},
    ParameterInfo{"levels", choice, Unit::none, "2", "levels of a symbol", "2 3 4"},
    ParameterInfo{"amplitude", quantity, Unit::volt, "0.8 V", "peak to peak, lowest to highest level"},
    ParameterInfo{"level_voltages", text, Unit::none, "",
                  "voltage of each level, the lowest first: \"-0.4 V, -0.1 V, 0.15 V, 0.4 V\"; even without "
                  "it"},
    ParameterInfo{"rest_voltage", quantity, Unit::volt, "0 V", "of quiet"},
    ParameterInfo{"rise", quantity, Unit::second, "", "20 % to 80 %; 0.3 unit intervals without it"},
    ParameterInfo{"fall", quantity, Unit::second, "", "the same downwards; as rise without it"},
    ParameterInfo{"bandwidth", quantity, Unit::hertz, "",
                  "first-order low-pass behind the transitions; none without it"},
    ParameterInfo{"loss", quantity, Unit::db, "",
                  "of a cable behind the transmitter, growing with the root of frequency"},
    ParameterInfo{"loss_at", quantity, Unit::hertz, "",
                  "where it has that loss; half the symbol rate without"},
    ParameterInfo{"random_jitter", quantity, Unit::unit_interval, "0 UI", "rms"},
    ParameterInfo{"sinusoidal_jitter", quantity, Unit::unit_interval, "0 UI", "peak to peak"},
    ParameterInfo{"sinusoidal_frequency", quantity, Unit::hertz, "", "its frequency"},
    ParameterInfo{"duty_cycle_distortion", quantity, Unit::unit_interval, "0 UI",
                  "rising edges late against falling ones"},
    ParameterInfo{"spread", quantity, Unit::ppm, "0 ppm",
                  "spread spectrum: the rate goes down by this and back, in straight lines"},
    ParameterInfo{"spread_frequency", quantity, Unit::hertz, "33 kHz", "how often"},
    ParameterInfo{"noise", quantity, Unit::volt, "0 V", "rms of white noise behind everything"},
    ParameterInfo{"interference", quantity, Unit::volt, "0 V", "peak to peak of a sine added to it"},
    ParameterInfo{"interference_frequency", quantity, Unit::hertz, "", "its frequency"},
    ParameterInfo{"crosstalk", quantity, Unit::volt, "0 V",
                  "peak to peak of another lane's sequence (prbs9) added to it"},
    ParameterInfo{"crosstalk_rate", quantity, Unit::hertz, "", "its symbol rate; the same without it"},
    ParameterInfo{"common_mode", quantity, Unit::volt, "0 V",
                  "peak to peak of a sine on both conductors: seen with conductor = positive or negative"},
    ParameterInfo{"common_mode_frequency", quantity, Unit::hertz, "", "its frequency"},
    ParameterInfo{"conductor", choice, Unit::none, "both",
                  "what is made: the difference of both conductors, or one of them, with half the amplitude",
                  "both positive negative"},
    ParameterInfo{"lane", whole_number, Unit::none, "1",
                  "lane of several: its pattern begins 37 symbols later than that of the one before, its "
                  "randomness is its own"},
    ParameterInfo{"delay", quantity, Unit::unit_interval, "0 UI", "of all edges: skew between lanes"},
    ParameterInfo{"seed", whole_number, Unit::none, "1", "of everything random"},
};

std::vector<double> voltages(const Parameters& p, int levels) {
    std::vector<double> out;
    const std::string stated = p.text("level_voltages");
    if (stated.empty()) {
        const double amplitude = p.required("amplitude");
        if (!(amplitude > 0)) fail_input("parameter amplitude: must be above 0 V");
        for (int k = 0; k < levels; ++k) out.push_back(amplitude * (k / (levels - 1.0) - 0.5));
        return out;
    }
    for (const auto part : split(stated, ',')) {
        try {
            out.push_back(parse_quantity(trim(part), Unit::volt).value);
        } catch (const Error& error) {
            fail_input("parameter level_voltages: " + error.message());
        }
        if (out.size() > 1 && out.back() <= out[out.size() - 2])
            fail_input("parameter level_voltages: the lowest stands first, each is above the one before");
    }
    if (out.size() != static_cast<std::size_t>(levels))
        fail_input(fmt::format("parameter level_voltages: {} voltages for {} levels", out.size(), levels));
    return out;
}

// The pattern as often as it takes, from the place where the lane begins.
std::vector<std::int8_t> whole_turn(const std::vector<std::int8_t>& once, std::size_t wanted,
                                    std::size_t begin) {
    const std::size_t times = std::max<std::size_t>(1, (wanted + once.size() - 1) / once.size());
    if (times * once.size() > std::size_t{1} << 28)
        fail_input("parameter symbols: at most 268435456 are possible");
    std::vector<std::int8_t> out(times * once.size());
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = once[(i + begin) % once.size()];
    return out;
}

// Sum of two waves of one turn.
std::shared_ptr<const WaveSamples> sum_of(std::shared_ptr<const WaveSamples> a,
                                          std::shared_ptr<const WaveSamples> b, double gain_a) {
    return mixed({std::move(a), std::move(b), gain_a, 1, 0});
}

Stress stress_of(const Parameters& p) {
    Stress s;
    const int levels = p.text("levels")[0] - '0';
    const auto lane = static_cast<std::uint64_t>(p.required("lane"));
    s.levels_v = voltages(p, levels);
    s.rest_v = p.required("rest_voltage");
    s.symbols = whole_turn(pattern_symbols(p.text("pattern"), levels),
                           static_cast<std::size_t>(p.number("symbols").value_or(1)), 37 * (lane - 1));
    s.symbol_rate_hz = p.required("symbol_rate");
    if (!(s.symbol_rate_hz > 0)) fail_input("parameter symbol_rate: must be above 0 Hz");
    s.sample_rate_hz = p.number("sample_rate").value_or(16 * s.symbol_rate_hz);
    s.rise_s = p.number("rise").value_or(0.3 / s.symbol_rate_hz);
    s.fall_s = p.number("fall").value_or(s.rise_s);
    s.bandwidth_hz = p.number("bandwidth").value_or(0);
    s.loss_db = p.number("loss").value_or(0);
    s.loss_at_hz = p.number("loss_at").value_or(s.symbol_rate_hz / 2);
    s.random_ui = p.required("random_jitter");
    s.sinusoidal_ui = p.required("sinusoidal_jitter");
    s.sinusoidal_hz = p.number("sinusoidal_frequency").value_or(0);
    s.duty_cycle_ui = p.required("duty_cycle_distortion");
    s.spread = p.required("spread") * 1e-6;
    s.spread_hz = p.required("spread_frequency");
    s.noise_v = p.required("noise");
    s.interference_v = p.required("interference") / 2;
    s.interference_hz = p.number("interference_frequency").value_or(0);
    s.delay_ui = p.required("delay");
    s.seed = static_cast<std::uint64_t>(p.required("seed")) * 1000 + lane;
    return s;
}

// Another lane's signal in the same turn.
std::shared_ptr<const WaveSamples> crosstalk_of(const Parameters& p, const Stress& main, double peak_to_peak,
                                                double turn_s, double& rate_hz) {
    const double rate = p.number("crosstalk_rate").value_or(main.symbol_rate_hz);
    Stress other;
    const auto count = static_cast<std::size_t>(std::llround(rate * turn_s));
    if (count < 1) fail_input("parameter crosstalk_rate: is less than a symbol in the turn");
    other.symbols = pattern_symbols("prbs9 " + std::to_string(count), 2);
    other.levels_v = {-peak_to_peak / 2, peak_to_peak / 2};
    rate_hz = static_cast<double>(count) / turn_s;
    other.symbol_rate_hz = rate_hz, other.sample_rate_hz = main.sample_rate_hz;
    other.rise_s = other.fall_s = std::max(main.rise_s, 1.5 / main.sample_rate_hz);
    other.delay_ui = 0.25;
    return stressed_turn(other).wave.channels.front();
}

MadeSignal make_link_pattern(const Parameters& p, const SignalInputs& inputs) {
    Stress s = stress_of(p);
    s.through = inputs.through;
    StressedTurn turn = stressed_turn(s);
    MadeSignal out;
    const auto is = [&](const char* name, double value, Unit unit) {
        out.is.push_back({name, {value, unit}, {}});
    };
    auto& wave = turn.wave.channels.front();
    const double turn_s = turn.wave.seconds();
    is("symbols", static_cast<double>(s.symbols.size()), Unit::count);
    is("symbol_rate", turn.symbol_rate_hz, Unit::hertz);
    is("turn", turn_s, Unit::second);
    if (turn.sinusoidal_hz > 0) is("sinusoidal_frequency", turn.sinusoidal_hz, Unit::hertz);
    if (turn.spread_hz > 0) is("spread_frequency", turn.spread_hz, Unit::hertz);
    if (turn.interference_hz > 0) is("interference_frequency", turn.interference_hz, Unit::hertz);
    const double crosstalk = p.required("crosstalk");
    if (crosstalk < 0) fail_input("parameter crosstalk: cannot be negative");
    if (crosstalk > 0) {
        double rate = 0;
        wave = sum_of(wave, crosstalk_of(p, s, crosstalk, turn_s, rate), 1);
        is("crosstalk_rate", rate, Unit::hertz);
    }
    const std::string conductor = p.text("conductor");
    const double common = p.required("common_mode");
    if (conductor == "both") {
        if (common != 0 && p.stated("common_mode"))
            out.notes.push_back(
                "common_mode has no part in the difference of both conductors: make positive and negative");
    } else {
        const double sign = conductor == "positive" ? 0.5 : -0.5;
        Stress still;  // one conductor carries half of the difference, and what both carry
        still.symbols.assign(s.symbols.size(), 0);
        still.levels_v = {0, 1};
        still.symbol_rate_hz = turn.symbol_rate_hz, still.sample_rate_hz = s.sample_rate_hz;
        still.rise_s = still.fall_s = s.rise_s;
        still.interference_v = common / 2;
        still.interference_hz = p.number("common_mode_frequency").value_or(0);
        const StressedTurn both = stressed_turn(still);
        if (both.interference_hz > 0) is("common_mode_frequency", both.interference_hz, Unit::hertz);
        wave = sum_of(wave, both.wave.channels.front(), sign);
    }
    out.turn = std::move(turn.wave);
    return out;
}

}  // namespace

SignalKind link_pattern() {
    return {
        "link.pattern",
        "Serial signal with stress",
        "A pattern of two to four levels. Every edge stands at its own time: random and sinusoidal jitter, "
        "duty-cycle distortion and a spread clock move it, transition time and bandwidth give it its shape; "
        "a cable's loss or two-port data (--through) act on all of it, noise, interference and crosstalk "
        "come behind. One turn goes on at its end as it began: frequencies are moved to the nearest of "
        "which whole cycles fit.",
        link_pattern_parameters,
        false,
        true,
        make_link_pattern};
}

}  // namespace rt
