#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/wave_source.hpp"
#include "core/serial/pieces.hpp"

namespace rt {
namespace {

constexpr auto levels_parameters = joined(
    std::array{
        ParameterInfo{"state", ParameterKind::choice, Unit::none, "",
                      "state that the device holds: test mode j, k, or se0 (both lines low)", "j k se0"},
        ParameterInfo{"plus_channel", ParameterKind::whole_number, Unit::none, "1", "channel of D+"},
        ParameterInfo{"minus_channel", ParameterKind::whole_number, Unit::none, "2", "channel of D-"},
        ParameterInfo{"steady_within", ParameterKind::quantity, Unit::volt, "100 mV",
                      "a line that strays farther from its mean does not hold a state"},
        probe_ratio_parameter,
        from_parameter,
        to_parameter,
    },
    record_rows);

constexpr std::array<Product, 0> levels_traces{};
constexpr std::array levels_products{
    Product{"plus_level", Unit::volt, "mean of D+"},
    Product{"minus_level", Unit::volt, "mean of D-"},
    Product{"driven_level", Unit::volt, "mean of the line that the state drives (j: D+, k: D-)"},
    Product{"resting_level", Unit::volt,
            "mean of the line that the state leaves; of se0 the one farther from 0 V"},
    Product{"differential", Unit::volt, "D+ minus D-"},
    Product{"plus_noise", Unit::volt, "rms about the mean of D+"},
    Product{"minus_noise", Unit::volt, "rms about the mean of D-"},
};

struct Level {
    double mean = 0, rms = 0, stray = 0;
};

Level level_of(const Signal& signal) {
    struct Sums {
        double sum = 0, squares = 0, low = 1e300, high = -1e300;
    };
    double sum = 0, squares = 0, low = 1e300, high = -1e300;
    for (const Sums& part :
         over_pieces<Sums>(*signal.samples, [](Sums&s, std::span<const float> piece, std::uint64_t) {
             for (const float value : piece) {
                 const auto v = static_cast<double>(value);
                 s.sum += v, s.squares += v * v;
                 s.low = std::min(s.low, v), s.high = std::max(s.high, v);
             }
         })) {
        sum += part.sum, squares += part.squares;
        low = std::min(low, part.low), high = std::max(high, part.high);
    }
    const auto n = static_cast<double>(signal.size());
    Level out;
    out.mean = sum / n;
    out.rms = std::sqrt(std::max(0.0, squares / n - out.mean * out.mean));
    out.stray = std::max(high - out.mean, out.mean - low);
    return out;
}

Outcome measure_levels(Capture any, const Parameters& p) {
    const Waveform wave = take_waveform(std::move(any), "usb.levels");
    const std::string state = p.text("state");
    if (state.empty()) fail_input("parameter state is missing: j, k or se0");
    const Signal plus_line = signal_of(wave, p, static_cast<std::size_t>(p.required("plus_channel")));
    const Signal minus_line = signal_of(wave, p, static_cast<std::size_t>(p.required("minus_channel")));
    const Level plus = level_of(plus_line), minus = level_of(minus_line);
    const double apart = plus.mean - minus.mean, steady = p.required("steady_within");
    const auto refuse = [&](const std::string& seen) {
        fail_signal("expected: a steady " + state + "; seen: " + seen);
    };
    if (std::max(plus.stray, minus.stray) > steady) {
        refuse("lines that stray by " + format({std::max(plus.stray, minus.stray), Unit::volt}, 3) +
               " from their mean: no state is held");
    }
    // Between SE0 and the driven states lies the squelch level of receivers.
    constexpr double squelch = 0.15;
    const char* seen = std::abs(apart) < squelch ? "se0" : apart > 0 ? "j" : "k";
    if (state != seen) {
        refuse(std::string(seen) + ", D+ at " + format({plus.mean, Unit::volt}, 3) + " and D- at " +
               format({minus.mean, Unit::volt}, 3));
    }
    Outcome outcome;
    outcome.add("plus_level", plus.mean, Unit::volt);
    outcome.add("minus_level", minus.mean, Unit::volt);
    if (state == "se0") {
        outcome.add("resting_level", std::abs(plus.mean) > std::abs(minus.mean) ? plus.mean : minus.mean,
                    Unit::volt);
    } else {
        outcome.add("driven_level", state == "j" ? plus.mean : minus.mean, Unit::volt);
        outcome.add("resting_level", state == "j" ? minus.mean : plus.mean, Unit::volt);
    }
    outcome.add("differential", apart, Unit::volt);
    outcome.add("plus_noise", plus.rms, Unit::volt);
    outcome.add("minus_noise", minus.rms, Unit::volt);
    return outcome;
}

}  // namespace

Procedure usb_levels() {
    return {
        "usb.levels",
        "Levels of a USB 2.0 high-speed device that holds a state",
        "Means of D+ and D- while the device sends test mode J, K or SE0_NAK into its terminations. A line "
        "that moves, or another state, has no verdict.",
        levels_parameters,
        levels_traces,
        levels_products,
        waveform_setup,
        measure_levels,
        preset_named};
}

}  // namespace rt
