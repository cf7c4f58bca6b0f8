// ethernet.test-mode-1: levels and droop of the first test mode of 1000BASE-T.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/dsp/fft.hpp"
#include "core/dsp/least_squares.hpp"
#include "core/dsp/peaks.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/serial/source.hpp"

namespace rt {
namespace {

constexpr auto test_mode_parameters =
    joined(std::array{ParameterInfo{"symbol_rate", ParameterKind::quantity, Unit::hertz, "125 MHz",
                                    "symbols a second"}},
           signal_rows);

constexpr std::array test_mode_traces{
    Product{"period", Unit::volt, "mean of all periods, from the first symbol on"}};
constexpr std::array test_mode_products{
    Product{"peak_a", Unit::volt, "of the pulse of +2"},
    Product{"peak_b", Unit::volt, "of the pulse of -2, as a positive number"},
    Product{"peak_c", Unit::volt, "of the pulse of +1"},
    Product{"peak_d", Unit::volt, "of the pulse of -1, as a positive number"},
    Product{"least_peak", Unit::volt, "the smaller of peaks a and b"},
    Product{"greatest_peak", Unit::volt, "the greater of them"},
    Product{"symmetry_error", Unit::percent, "peaks a and b from their mean"},
    Product{"half_error", Unit::percent, "peaks c and d from half of that mean, the farther"},
    Product{"left_of_f", Unit::percent,
            "voltage 500 ns behind the peak of the negative run (G), of that peak (F)"},
    Product{"left_of_h", Unit::percent,
            "voltage 500 ns behind the peak of the positive run (J), of that peak (H)"},
    Product{"measured_rate", Unit::hertz, "symbol rate, by the beginnings of all periods"},
    Product{"rate_error", Unit::ppm, "its deviation from symbol_rate"},
    Product{"periods", Unit::count, "whole periods in the record"},
};

constexpr std::size_t period_symbols = 2048;

// IEEE 802.3, 40.6.1.1.2: single pulses, then long runs, then nothing.
std::array<int, period_symbols> test_symbols() {
    std::array<int, period_symbols> out{};
    out[0] = 2, out[128] = -2, out[256] = 1, out[384] = -1;
    for (std::size_t i = 0; i < 512; ++i) out[512 + i] = i / 128 % 2 == 0 ? 2 : -2;
    return out;
}

// How the signal goes with the pattern that begins at each of its samples, from -1 to 1; over one period.
struct Match {
    std::size_t at = 0;
    double coefficient = 0;
};

class Finder {
  public:
    Finder(const std::vector<double>& volts, double per_symbol) : volts_(volts) {
        const auto symbols = test_symbols();
        pattern_.resize(static_cast<std::size_t>(std::floor(per_symbol * period_symbols)));
        for (std::size_t i = 0; i < pattern_.size(); ++i)
            pattern_[i] = symbols[std::min<std::size_t>(
                static_cast<std::size_t>(static_cast<double>(i) / per_symbol), period_symbols - 1)];
        for (const double x : pattern_) energy_ += x * x;
    }

    // The best place within the first period.
    Match first() const {
        const std::size_t size = fast_size(3 * pattern_.size());
        const std::size_t count = std::min(volts_.size(), 2 * pattern_.size());
        std::vector<std::complex<double>> signal(size), wanted(size);
        for (std::size_t i = 0; i < count; ++i) signal[i] = volts_[i];
        for (std::size_t i = 0; i < pattern_.size(); ++i) wanted[i] = pattern_[i];
        const Fft<double> forward(size), backward(size, Fft<double>::Direction::backward);
        forward(signal.data());
        forward(wanted.data());
        for (std::size_t i = 0; i < size; ++i) signal[i] *= std::conj(wanted[i]) / static_cast<double>(size);
        backward(signal.data());
        Match best;
        const std::size_t last = count - pattern_.size();
        // Of the samples that the pattern covers, as it moves on.
        double power = 0;
        for (std::size_t i = 0; i < pattern_.size(); ++i) power += volts_[i] * volts_[i];
        for (std::size_t i = 0; i <= std::min(last, pattern_.size() - 1); ++i) {
            if (i > 0) {
                const double gone = volts_[i - 1], more = volts_[i + pattern_.size() - 1];
                power = power + more * more - gone * gone;
            }
            const double c = signal[i].real() / std::sqrt(energy_ * std::max(power, 1e-300));
            if (std::abs(c) > std::abs(best.coefficient)) best = {i, c};
        }
        return best;
    }

    // The best place at most `reach` samples from one, to a part of a sample.
    double near(double place, std::ptrdiff_t reach) const {
        const auto middle = static_cast<std::ptrdiff_t>(std::llround(place));
        std::vector<double> sums;
        for (std::ptrdiff_t k = -reach; k <= reach; ++k) sums.push_back(correlation(middle + k));
        const auto at = std::max_element(sums.begin() + 1, sums.end() - 1);
        return static_cast<double>(middle + (at - sums.begin()) - reach) + vertex(at[-1], at[0], at[1]);
    }

    std::size_t length() const { return pattern_.size(); }

  private:
    double correlation(std::ptrdiff_t from) const {
        double sum = 0;
        for (std::size_t i = 0; i < pattern_.size(); ++i) {
            const auto at = from + static_cast<std::ptrdiff_t>(i);
            if (at < 0 || at >= static_cast<std::ptrdiff_t>(volts_.size())) continue;
            sum += pattern_[i] * volts_[static_cast<std::size_t>(at)];
        }
        return sum;
    }

    const std::vector<double>& volts_;
    std::vector<double> pattern_;
    double energy_ = 0;
};

// The mean of all whole periods, `fine` values a symbol.
constexpr std::size_t fine = 16;
std::vector<double> mean_period(const std::vector<double>& volts, double begin, double length,
                                std::size_t periods) {
    std::vector<double> out(fine * period_symbols);
    for (std::size_t k = 0; k < periods; ++k) {
        for (std::size_t i = 0; i < out.size(); ++i) {
            const double at = begin + length * (static_cast<double>(k) +
                                                static_cast<double>(i) / static_cast<double>(out.size()));
            const auto whole = static_cast<std::ptrdiff_t>(std::floor(at));
            // Catmull and Rom's cubic through four samples.
            const auto x = [&](std::ptrdiff_t d) {
                return volts[static_cast<std::size_t>(
                    std::clamp<std::ptrdiff_t>(whole + d, 0, static_cast<std::ptrdiff_t>(volts.size()) - 1))];
            };
            const double f = at - static_cast<double>(whole);
            out[i] +=
                x(0) +
                0.5 * f *
                    (x(1) - x(-1) +
                     f * (2 * x(-1) - 5 * x(0) + 4 * x(1) - x(2) + f * (3 * (x(0) - x(1)) + x(2) - x(-1))));
        }
    }
    for (double& x : out) x /= static_cast<double>(periods);
    return out;
}

struct Peak {
    double volts = 0;
    std::size_t at = 0;  // of the mean period
};
// The farthest value in a direction from a symbol on; a delay of filters moves it by up to two.
Peak peak_from(const std::vector<double>& period, std::size_t symbol, std::size_t symbols, double sign) {
    Peak out{-1e300, 0};
    for (std::size_t i = symbol * fine; i < (symbol + symbols) * fine && i < period.size(); ++i) {
        if (sign * period[i] > out.volts) out = {sign * period[i], i};
    }
    return out;
}

void add_droop(const std::vector<double>& period, const char* name, const Peak& peak, double sign,
               double rate, Outcome& outcome) {
    constexpr double later_s = 500e-9;
    const auto there = peak.at + static_cast<std::size_t>(std::llround(later_s * rate * fine));
    // A mean over two symbols, which a droop hardly changes, leaves noise out.
    double sum = 0;
    for (std::size_t i = there - fine; i < there + fine; ++i) sum += sign * period[i];
    outcome.add(name, 100 * sum / (2 * fine) / peak.volts, Unit::percent);
}

Outcome measure_test_mode(Capture any, const Parameters& p) {
    const Signal signal = signal_of(take_waveform(std::move(any), "ethernet.test-mode-1"), p);
    const double rate = p.required("symbol_rate");
    if (!(rate > 0)) fail_input("parameter symbol_rate: must be above 0 Hz");
    const double per_symbol = 1 / (rate * signal.step_s);
    constexpr double fewest_per_symbol = 8;
    if (per_symbol < fewest_per_symbol)
        fail_signal(fmt::format("{:.3g} samples a symbol; peaks of single pulses need {:.0f}", per_symbol,
                                fewest_per_symbol));
    const std::vector<double> volts = signal.volts();
    const double length = per_symbol * period_symbols;
    if (static_cast<double>(volts.size()) < 2 * length)
        fail_signal("the record of " + format({signal.seconds(), Unit::second}, 3) +
                    " is shorter than two periods of " +
                    format({2 * length * signal.step_s, Unit::second}, 3) +
                    ": one cannot be seen whole for sure");
    const Finder finder(volts, per_symbol);
    const Match match = finder.first();
    constexpr double alike = 0.75;
    if (match.coefficient < -alike)
        fail_signal("the pattern is there with the other sign: the conductors of the pair are exchanged");
    if (match.coefficient < alike)
        fail_signal(fmt::format(
            "this is not test mode 1: its pattern is found with a likeness of {:.2f}, of at least {:.2f}",
            std::abs(match.coefficient), alike));
    constexpr double most_off = 1e-3;
    // The beginnings of all periods, and the straight line through them.
    std::vector<double> begins{finder.near(static_cast<double>(match.at), 3)};
    double each = length;
    while (begins.back() + each + length < static_cast<double>(volts.size())) {
        // The first spacing may be off as far as a clock that is refused; then they are known.
        const auto reach = static_cast<std::ptrdiff_t>(begins.size() == 1 ? 4 * most_off * length + 3 : 3);
        begins.push_back(finder.near(begins.back() + each, reach));
        each = (begins.back() - begins.front()) / static_cast<double>(begins.size() - 1);
    }
    double begin = begins.front();
    if (begins.size() > 1) {
        std::vector<double> numbers(begins.size());
        for (std::size_t k = 0; k < numbers.size(); ++k) numbers[k] = static_cast<double>(k);
        const StraightLine line = line_through(numbers, begins);
        each = line.slope, begin = line.value;
    }
    if (std::abs(each / length - 1) > most_off)
        fail_signal("the periods do not stand " + format({length * signal.step_s, Unit::second}, 4) +
                    " apart but " + format({each * signal.step_s, Unit::second}, 4));
    begin = std::max(0.0, begin);
    const double measured = period_symbols / (each * signal.step_s);
    const std::vector<double> period = mean_period(volts, begin, each, begins.size());
    Outcome out;
    const Peak a = peak_from(period, 0, 4, 1), b = peak_from(period, 128, 4, -1),
               c = peak_from(period, 256, 4, 1), d = peak_from(period, 384, 4, -1);
    const double mean = (a.volts + b.volts) / 2;
    if (!(mean > 0)) fail_signal("there are no pulses where the pattern has them");
    out.add("peak_a", a.volts, Unit::volt), out.add("peak_b", b.volts, Unit::volt);
    out.add("peak_c", c.volts, Unit::volt), out.add("peak_d", d.volts, Unit::volt);
    out.add("least_peak", std::min(a.volts, b.volts), Unit::volt);
    out.add("greatest_peak", std::max(a.volts, b.volts), Unit::volt);
    out.add("symmetry_error", 100 * std::abs(a.volts - mean) / mean, Unit::percent);
    const double off_c = c.volts / (mean / 2) - 1, off_d = d.volts / (mean / 2) - 1;
    out.add("half_error", 100 * std::max(std::abs(off_c), std::abs(off_d)), Unit::percent);
    add_droop(period, "left_of_f", peak_from(period, 640, 8, -1), -1, rate, out);
    add_droop(period, "left_of_h", peak_from(period, 768, 8, 1), 1, rate, out);
    if (begins.size() > 1) {
        out.add("measured_rate", measured, Unit::hertz);
        out.add("rate_error", (measured / rate - 1) * 1e6, Unit::ppm);
    } else {
        for (const char* name : {"measured_rate", "rate_error"})
            out.lacking[name] = "the record holds one whole period";
    }
    out.add("periods", static_cast<double>(begins.size()), Unit::count);
    std::vector<double> times(period.size());
    for (std::size_t i = 0; i < times.size(); ++i) times[i] = static_cast<double>(i) / (fine * rate);
    out.traces.push_back(trace_over_time("period", "Mean of all periods", Unit::volt, times, period));
    return out;
}

}  // namespace

Procedure ethernet_test_mode_1() {
    return {"ethernet.test-mode-1",
            "Levels and droop of 1000BASE-T in its first test mode",
            "The pattern of test mode 1 (IEEE 802.3, 40.6.1.1.2) is looked for and its periods averaged. "
            "Peaks are those "
            "of the single pulses, +2, -2, +1 and -1 (A to D of 40.6.1.2.1), droop that of the runs "
            "(40.6.1.2.2). A pair "
            "with its conductors exchanged, and every other signal, is refused.",
            test_mode_parameters,
            test_mode_traces,
            test_mode_products,
            waveform_setup,
            measure_test_mode,
            preset_named};
}

}  // namespace rt
