#include "lab/simulate/looped.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/dsp/fft.hpp"
#include "lab/simulate/between.hpp"
#include "lab/simulate/random.hpp"
#include "lab/simulate/surroundings.hpp"
#include "lab/simulate/wave_display.hpp"

namespace rt::lab {
namespace {

constexpr std::array looped_keys{
    KeyInfo{"port", Key::text, true, "where the signal comes in, by a wire from a waveform generator"},
    KeyInfo{"out", Key::text, true, "port at which it sends back what it received"},
    KeyInfo{"when", Key::pairs, false, "settings under which it does"},
    KeyInfo{"rate", Key::quantity, true, "bits a second", Unit::bit_per_second},
    KeyInfo{"threshold", Key::quantity, false, "of its slicer; 0 V without it", Unit::volt},
    KeyInfo{"noise", Key::quantity, false, "at its slicer, standard deviation", Unit::volt},
    KeyInfo{"bandwidth", Key::quantity, false, "of its input, first order; any without it", Unit::hertz},
    KeyInfo{"loop_bandwidth", Key::quantity, true, "of its clock loop", Unit::hertz},
    KeyInfo{"amplitude", Key::quantity, true, "of what it sends, to either side of zero", Unit::volt},
    KeyInfo{
        "out_of_band", Key::flag, false,
        "it sends nothing back until four bursts with pauses between have arrived; UNIT:LINK? tells of it"},
    KeyInfo{"phase_setting", Key::text, false, "setting of the unit that moves where it samples, in UI"},
    KeyInfo{"threshold_setting", Key::text, false, "setting that moves its threshold"},
    KeyInfo{"rise_time", Key::quantity, true, "of what it sends, 20 % to 80 %", Unit::second},
};

// A turn through first-order low-pass: twice around, so that its end leads into its begin.
std::vector<double> narrowed(const std::vector<float>& turn, double bandwidth_hz, double rate_hz) {
    std::vector<double> out(turn.begin(), turn.end());
    if (!(bandwidth_hz > 0)) return out;
    const double keep = std::exp(-2 * std::numbers::pi * bandwidth_hz / rate_hz);
    double y = out.front();
    for (int round = 0; round < 2; ++round) {
        for (std::size_t i = 0; i < out.size(); ++i) {
            y = keep * y + (1 - keep) * static_cast<double>(turn[i]);
            out[i] = y;
        }
    }
    return out;
}

// Places where it crosses the threshold, in samples.
std::vector<double> crossings(const std::vector<double>& v, double threshold) {
    std::vector<double> out;
    for (std::size_t i = 0; i < v.size(); ++i) {
        const double a = v[i] - threshold, b = v[i + 1 == v.size() ? 0 : i + 1] - threshold;
        if ((a < 0) != (b < 0)) out.push_back(static_cast<double>(i) + a / (a - b));
    }
    return out;
}

struct Recovered {
    double at_s;  // middle of the bit
    bool bit;
};

// Bits as its clock takes them, for so long behind the time that it needs to settle.
std::vector<Recovered> recovered(const Looped& l, const PlayedSamples& arriving, double seconds,
                                 Random& random) {
    const auto turn = narrowed(*arriving.volts, l.bandwidth_hz, arriving.rate_hz);
    const auto edges = crossings(turn, l.threshold_v);
    std::vector<Recovered> out;
    if (edges.empty()) return out;
    const auto size = static_cast<double>(turn.size());
    const double interval = arriving.rate_hz / l.rate_bit_s;
    // Half of the bits change: each edge moves the clock by twice what one of all bits would.
    const double quick = 2 * 2 * std::numbers::pi * l.loop_hz / l.rate_bit_s, slow = quick * quick / 16;
    const double settle_s = 12 / l.loop_hz;
    const double begin = size * random.uniform();
    double at = begin, step = interval, turns = 0;
    auto next = static_cast<std::size_t>(std::lower_bound(edges.begin(), edges.end(), at) - edges.begin());
    const auto edge_at = [&](std::size_t k) { return edges[k % edges.size()] + turns * size; };
    const double settled = begin + settle_s * arriving.rate_hz, end = settled + seconds * arriving.rate_hz;
    while (at < end) {
        // Edges since the last bit, against the border between the bits.
        for (;;) {
            if (next == edges.size()) next = 0, turns += 1;
            if (edge_at(next) >= at) break;
            const double error = std::clamp(edge_at(next) - (at - step / 2), -interval / 2, interval / 2);
            at += std::min(quick, 1.0) * error;
            step += slow * error;
            step = std::clamp(step, 0.99 * interval, 1.01 * interval);
            ++next;
        }
        const double place = std::fmod(at + l.phase_ui * interval + size, size);
        const auto i = static_cast<std::size_t>(place);
        const double part = place - static_cast<double>(i);
        const double v = (1 - part) * turn[i % turn.size()] + part * turn[(i + 1) % turn.size()];
        if (at >= settled)
            out.push_back(
                {(at - settled) / arriving.rate_hz, v + l.noise_v * random.normal() > l.threshold_v});
        at += step;
    }
    return out;
}

}  // namespace

const SectionInfo looped_section{
    "[[looped]]", "A receiver in loop-back, fed by a waveform generator: it sends back what it received.",
    looped_keys};

bool holds_bursts(const PlayedSamples& played) {
    if (!played.there()) return false;
    float most = 0;
    for (const float v : *played.volts) most = std::max(most, std::abs(v));
    if (!(most > 0)) return false;
    // Stretches in which nothing stays quiet for more than 8 ns.
    const auto bridged = static_cast<std::size_t>(8e-9 * played.rate_hz);
    std::size_t bursts = 0, in_row = 0, length = 0, quiet = 0;
    for (const float v : *played.volts) {
        if (std::abs(v) > 0.3F * most) {
            if (quiet > bridged && length > 0) {
                const double burst_s = static_cast<double>(length) / played.rate_hz,
                             pause_s = static_cast<double>(quiet) / played.rate_hz;
                const bool fits = burst_s > 50e-9 && burst_s < 250e-9 && pause_s > 80e-9;
                in_row = fits ? in_row + 1 : 0;
                bursts = std::max(bursts, in_row);
                length = 0;
            } else {
                length += quiet;
            }
            quiet = 0, ++length;
        } else {
            ++quiet;
        }
    }
    return bursts >= 4;
}

Looped read_looped(const ConfigSection& s, const std::map<std::string, std::string>& settings) {
    Looped out;
    out.port = s.text("port"), out.out = s.text("out");
    out.when = when_of(s, settings);
    out.rate_bit_s = s.quantity("rate")->value;
    out.threshold_v = s.quantity_or("threshold", 0);
    out.noise_v = s.quantity_or("noise", 0);
    out.bandwidth_hz = s.quantity_or("bandwidth", 0);
    out.loop_hz = s.quantity("loop_bandwidth")->value;
    out.amplitude_v = s.quantity("amplitude")->value;
    out.rise_s = s.quantity("rise_time")->value;
    for (const auto& [key, setting] :
         {std::pair{"phase_setting", &out.phase_setting}, {"threshold_setting", &out.threshold_setting}}) {
        *setting = s.text(key);
        if (!setting->empty() && !settings.contains(*setting))
            s.fail(key, "the unit has no setting " + in_quotes(*setting));
    }
    out.out_of_band = s.flag("out_of_band");
    if (!(out.rate_bit_s > 0)) s.fail("rate", "must be above 0");
    if (!(out.loop_hz > 0 && out.loop_hz < out.rate_bit_s / 20))
        s.fail("loop_bandwidth", "must be above 0 Hz and below a twentieth of the rate");
    if (!(out.rise_s > 0)) s.fail("rise_time", "must be above 0 s");
    return out;
}

PlayedSamples behind(const PlayedSamples& played, const Wire& wire) {
    if (!played.there()) return played;
    std::vector<std::complex<double>> bins(played.volts->begin(), played.volts->end());
    const std::size_t size = bins.size();
    Fft<double>{size}(bins.data());
    for (std::size_t k = 0; k <= size / 2; ++k) {
        const double hz = static_cast<double>(k) * played.rate_hz / static_cast<double>(size);
        const double gain = std::pow(10, -wire.loss_at(hz) / 20) / static_cast<double>(size);
        // Skin effect turns the phase as much as it takes.
        const double turned = (wire.loss_at(hz) - wire.pad_db) * std::numbers::ln10 / 20;
        const auto factor = std::polar(gain, -turned);
        bins[k] *= factor;
        if (k > 0 && 2 * k < size) bins[size - k] *= std::conj(factor);
    }
    Fft<double>{size, Fft<double>::Direction::backward}(bins.data());
    auto volts = std::make_shared<std::vector<float>>(size);
    for (std::size_t i = 0; i < size; ++i) (*volts)[i] = static_cast<float>(bins[i].real());
    return {std::move(volts), played.rate_hz, played.on};
}

std::vector<double> show_samples(const PlayedSamples& played, const WaveDisplay& display,
                                 std::uint64_t seed) {
    std::vector<double> out(display.points);
    if (!played.there()) return out;
    const auto& volts = *played.volts;
    Random random(seed);
    const double begin = static_cast<double>(volts.size()) * random.uniform();
    const double step = display.span_s / static_cast<double>(display.points - 1) * played.rate_hz;
    for (std::size_t i = 0; i < out.size(); ++i)
        out[i] = between(volts, begin + static_cast<double>(i) * step);
    return out;
}

std::vector<double> show_looped(const Looped& looped, const PlayedSamples& arriving,
                                const WaveDisplay& display, std::uint64_t seed) {
    std::vector<double> out(display.points);
    if (!arriving.there()) return out;
    Random random(seed);
    const auto bits = recovered(looped, arriving, display.span_s + 4 / looped.rate_bit_s, random);
    if (bits.empty()) return out;
    const double step = display.span_s / static_cast<double>(display.points - 1);
    const double sigma = looped.rise_s / 1.6832, late = 1.5 / looped.rate_bit_s;
    double now = bits.front().bit ? looped.amplitude_v : -looped.amplitude_v;
    std::fill(out.begin(), out.end(), now);
    std::vector<double> steps(out.size() + 1);
    for (std::size_t k = 1; k < bits.size(); ++k) {
        if (bits[k].bit == bits[k - 1].bit) continue;
        const double height = (bits[k].bit ? 2 : -2) * looped.amplitude_v;
        const double at = (bits[k].at_s + bits[k - 1].at_s) / 2 - late;
        const auto place = [&](double t) {
            return static_cast<std::size_t>(
                std::clamp(std::ceil(t / step), 0.0, static_cast<double>(out.size())));
        };
        const std::size_t from = place(at - 6 * sigma), to = place(at + 6 * sigma);
        for (std::size_t i = from; i < to; ++i)
            out[i] +=
                height * 0.5 * std::erfc(-(static_cast<double>(i) * step - at) / sigma / std::numbers::sqrt2);
        steps[to] += height;
    }
    double sum = 0;
    for (std::size_t i = 0; i < out.size(); ++i) {
        sum += steps[i];
        out[i] += sum;
    }
    return out;
}

}  // namespace rt::lab
