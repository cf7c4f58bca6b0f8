// noise.band: noise of a stated bandwidth, plain or cut into symbols.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/base/error.hpp"
#include "core/dsp/fft.hpp"
#include "core/synthesis/chance.hpp"
#include "core/synthesis/signal.hpp"

namespace rt {
namespace {

using enum ParameterKind;

constexpr std::array noise_band_parameters{
    ParameterInfo{"shape", choice, Unit::none, "flat",
                  "flat: noise from edge to edge; carriers: many modulated carriers in symbols with a cyclic "
                  "prefix, as wireless networks send them",
                  "flat carriers"},
    ParameterInfo{"bandwidth", quantity, Unit::hertz, "20 MHz", "from edge to edge"},
    ParameterInfo{"spacing", quantity, Unit::hertz, "312.5 kHz",
                  "of carriers: 312.5 kHz of wireless networks, "
                  "15 kHz of cellular ones"},
    ParameterInfo{"prefix", quantity, Unit::percent, "25 %", "of carriers: cyclic prefix, of the symbol"},
    ParameterInfo{"on", quantity, Unit::second, "", "it is on for so long, then off; always without it"},
    ParameterInfo{"off", quantity, Unit::second, "", "off for so long behind it"},
    ParameterInfo{"sample_rate", quantity, Unit::hertz, "", "1.25 times the bandwidth without it"},
    ParameterInfo{"duration", quantity, Unit::second, "10 ms", "of a turn, at most 2^24 samples"},
    ParameterInfo{"seed", whole_number, Unit::none, "1", "of its randomness"},
};

// Flat from edge to edge: random phases and amplitudes in the bins of one turn.
std::vector<std::complex<double>> flat(std::size_t count, double share, const Chance& chance) {
    std::vector<std::complex<double>> bins(count);
    const auto half = static_cast<std::size_t>(share * static_cast<double>(count) / 2);
    for (std::size_t k = 0; k <= half; ++k) {
        for (const std::size_t at : {k, (count - k) % count})
            bins[at] = {chance.normal(2 * at), chance.normal(2 * at + 1)};
    }
    Fft<double>(count, Fft<double>::Direction::backward)(bins.data());
    return bins;
}

// Symbols of four-phase carriers: none at the middle.
std::vector<std::complex<double>> carriers(std::size_t count, double bandwidth, double spacing, double prefix,
                                           double rate, const Chance& chance) {
    const auto size = static_cast<std::size_t>(std::llround(rate / spacing));
    const auto guard = static_cast<std::size_t>(std::llround(prefix * static_cast<double>(size)));
    const auto half = static_cast<std::size_t>(bandwidth / spacing / 2);
    if (half < 1 || 2 * half >= size)
        fail_input(
            "parameter spacing: at least two carriers fit the bandwidth, and all of them the sample rate");
    const Fft<double> transform(size, Fft<double>::Direction::backward);
    std::vector<std::complex<double>> out;
    out.reserve(count + size + guard);
    for (std::uint64_t symbol = 0; out.size() < count; ++symbol) {
        std::vector<std::complex<double>> bins(size);
        for (std::size_t k = 1; k <= half; ++k) {
            for (const std::size_t at : {k, size - k}) {
                const auto bits = chance.bits(symbol * size + at);
                bins[at] = {bits & 1 ? 1.0 : -1.0, bits & 2 ? 1.0 : -1.0};
            }
        }
        transform(bins.data());
        out.insert(out.end(), bins.end() - static_cast<std::ptrdiff_t>(guard), bins.end());
        out.insert(out.end(), bins.begin(), bins.end());
    }
    out.resize(count);
    return out;
}

MadeSignal make_noise(const Parameters& p, const SignalInputs&) {
    const double bandwidth = p.required("bandwidth"), duration = p.required("duration");
    if (!(bandwidth > 0)) fail_input("parameter bandwidth: must be above 0 Hz");
    const bool many = p.text("shape") == "carriers";
    double rate = p.number("sample_rate").value_or(1.25 * bandwidth);
    if (rate < bandwidth) fail_input("parameter sample_rate: must be at least the bandwidth");
    const double spacing = p.required("spacing");
    if (many && !(spacing > 0)) fail_input("parameter spacing: must be above 0 Hz");
    // Whole samples in a symbol.
    if (many && !p.stated("sample_rate")) rate = std::ceil(rate / spacing) * spacing;
    const double samples = duration * rate;
    if (!(samples >= 100 && samples <= 1 << 24))
        fail_input(
            fmt::format("parameter duration: makes {:.0f} samples, 100 to 16777216 are possible", samples));
    const double prefix = p.required("prefix") / 100;
    if (!(prefix >= 0 && prefix <= 1)) fail_input("parameter prefix: 0 % to 100 % are possible");
    const auto count = static_cast<std::size_t>(std::llround(samples));
    const Chance chance(static_cast<std::uint64_t>(p.required("seed")), 3);
    auto wave = many ? carriers(count, bandwidth, spacing, prefix, rate, chance)
                     : flat(count, bandwidth / rate, chance);
    double power = 0, highest = 0;
    for (const auto& x : wave) power += std::norm(x), highest = std::max(highest, std::abs(x));
    power /= static_cast<double>(count);
    const auto on = p.number("on"), off = p.number("off");
    if (on.has_value() != off.has_value()) fail_input("parameters on and off go together");
    if (on) {
        if (!(*on > 0 && *off > 0)) fail_input("parameters on and off: must be above 0 s");
        for (std::size_t i = 0; i < count; ++i) {
            if (std::fmod(static_cast<double>(i) / rate, *on + *off) >= *on) wave[i] = 0;
        }
    }
    std::vector<std::complex<float>> samples_of(count);
    for (std::size_t i = 0; i < count; ++i) samples_of[i] = std::complex<float>(wave[i] / highest);
    MadeSignal out;
    out.above_level_db = 10 * std::log10(highest * highest / power);
    out.turn = iq_in_memory(std::move(samples_of), rate);
    out.is.push_back({"peak_over_mean", {out.above_level_db, Unit::db}, {}});
    out.is.push_back({"turn", {static_cast<double>(count) / rate, Unit::second}, {}});
    return out;
}

}  // namespace

SignalKind noise_band() {
    return {
        "noise.band",
        "Noise of a stated bandwidth",
        "Gaussian noise from edge to edge, or carriers of four phases in symbols with a cyclic prefix; all "
        "the time or on and off. The level of a generator that plays it is its mean power while it is on.",
        noise_band_parameters,
        true,
        false,
        make_noise};
}

}  // namespace rt
