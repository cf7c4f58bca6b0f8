#include "lab/simulate/wave_display.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/serial/pattern.hpp"
#include "core/serial/test_symbols.hpp"
#include "lab/simulate/random.hpp"

namespace rt::lab {
namespace {

double step_of(const WaveDisplay& display) {
    return display.span_s / static_cast<double>(display.points - 1);
}

void add_noise(std::vector<double>& volts, double rms, Random& random) {
    if (!(rms > 0)) return;
    for (double& v : volts) v += rms * random.normal();
}

// The symbols sent, from -1 to 1.
std::vector<double> symbols_of(const DigitalWaveform& w, std::size_t count, Random& random) {
    std::vector<double> out;
    const auto pick = [&](int levels) {
        const int k = std::min(levels - 1, static_cast<int>(random.uniform() * levels));
        return 2.0 * k / (levels - 1) - 1;
    };
    if (w.pattern == "pam3-test" || w.pattern == "pam5-test") {
        const int levels = w.pattern[3] - '0';
        const auto test = transmitter_test_symbols(levels);
        const auto start = static_cast<std::size_t>(random.uniform() * static_cast<double>(test.size()));
        for (std::size_t i = 0; i < count; ++i)
            out.push_back(test[(start + i) % test.size()] / ((levels - 1) / 2.0));
    } else if (w.pattern == "mlt3-idle") {
        const auto idle = mlt3_idle_symbols(count);
        out.assign(idle.begin(), idle.end());
    } else if (w.pattern == "clock") {
        for (std::size_t i = 0; i < count; ++i)
            out.push_back(i / static_cast<std::size_t>(w.run) % 2 == 0 ? 1 : -1);
    } else if (w.pattern.ends_with("-random")) {
        for (std::size_t i = 0; i < count; ++i) out.push_back(pick(w.pattern[3] - '0'));
    } else {
        for (const bool bit : sequence_bits(w.pattern, count)) out.push_back(bit ? 1 : -1);
    }
    return out;
}

// A first-order low-pass, exact for straight lines between samples.
std::vector<double> smoothed(const std::vector<double>& v, double hz, double step) {
    const double x = 2 * std::numbers::pi * hz * step, keep = std::exp(-x), slope = (1 - keep) / x;
    std::vector<double> out(v.size());
    double y = v.front(), before = v.front();
    for (std::size_t i = 0; i < v.size(); ++i) {
        y = keep * y + (slope - keep) * before + (1 - slope) * v[i];
        before = v[i];
        out[i] = y;
    }
    return out;
}

// What the transmitter and the line do to the symbols, in the order of the signal's way.
void impair(const DigitalWaveform& w, std::vector<double>& out, double step) {
    if (w.compression > 0) {
        for (double& v : out) v *= 1 - w.compression * (v / w.amplitude_v) * (v / w.amplitude_v);
    }
    if (w.droop_s > 0) {
        const auto slow = smoothed(out, 1 / (2 * std::numbers::pi * w.droop_s), step);
        for (std::size_t i = 0; i < out.size(); ++i) out[i] -= slow[i];
    }
    if (w.cable_hz > 0) out = smoothed(out, w.cable_hz, step);
    if (w.burst_s > 0) {
        const double cycle = w.burst_s + w.gap_s, row = w.bursts * cycle - w.gap_s;
        for (std::size_t i = 0; i < out.size(); ++i) {
            // A rest comes first, so that the first burst is whole.
            const double t = std::fmod(static_cast<double>(i) * step, row + w.rest_s) - w.rest_s;
            if (t < 0 || std::fmod(t, cycle) > w.burst_s) out[i] = 0;
        }
    }
    if (w.disturber_v > 0) {
        for (std::size_t i = 0; i < out.size(); ++i)
            out[i] += w.disturber_v *
                      std::sin(2 * std::numbers::pi * w.disturber_hz * static_cast<double>(i) * step);
    }
}

// A change of a line that begins at a time.
struct Change {
    double at;
    bool rises;
};

// RC up (30 % to 70 % in `rise`), straight down (70 % to 30 % in `fall`), each from the level reached before.
std::vector<double> drawn(const std::vector<Change>& changes, const BusTraffic& bus,
                          const WaveDisplay& display) {
    std::vector<double> out(display.points);
    const double step = step_of(display), tau = bus.rise_s / std::log(0.7 / 0.3);
    const double ramp = bus.fall_s / 0.4;
    double from = 1, begun = -1e9;
    bool rises = true;
    std::size_t next = 0;
    const auto level_at = [&](double t) {
        if (rises) return 1 - (1 - from) * std::exp(-(t - begun) / tau);
        return std::max(0.0, from - (t - begun) / ramp);
    };
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double t = static_cast<double>(i) * step;
        while (next < changes.size() && changes[next].at <= t) {
            from = level_at(changes[next].at);
            begun = changes[next].at;
            rises = changes[next++].rises;
        }
        out[i] = bus.supply_v * level_at(t);
    }
    return out;
}

}  // namespace

std::vector<double> show_waveform(const DigitalWaveform& w, const WaveDisplay& display, std::uint64_t seed) {
    Random random(seed);
    const double step = step_of(display), interval = 1 / (w.rate_bit_s * (1 + w.rate_error_ppm * 1e-6));
    const double start = -interval * random.uniform();
    const auto symbols = symbols_of(w, static_cast<std::size_t>(display.span_s / interval) + 3, random);
    const double sigma = w.rise_s / 1.6832;  // 20 % to 80 % of an error function
    const double reach = 6 * sigma;
    // The whole signal at once: each edge's own shape, and a step behind it.
    std::vector<double> out(display.points), behind(display.points + 1);
    for (std::size_t k = 1; k < symbols.size(); ++k) {
        const double height = (symbols[k] - symbols[k - 1]) * w.amplitude_v;
        if (height == 0) continue;
        const double nominal = start + interval * static_cast<double>(k);
        const double at = nominal + w.random_jitter_s * random.normal() +
                          (height > 0 ? 0.5 : -0.5) * w.duty_cycle_s +
                          w.periodic_jitter_s / 2 * std::sin(2 * std::numbers::pi * w.periodic_hz * nominal);
        const double low = std::ceil((at - reach) / step), high = std::ceil((at + reach) / step);
        const auto from = static_cast<std::size_t>(std::clamp(low, 0.0, static_cast<double>(out.size())));
        const auto to = static_cast<std::size_t>(std::clamp(high, 0.0, static_cast<double>(out.size())));
        for (std::size_t i = from; i < to; ++i) {
            const double t = static_cast<double>(i) * step - at;
            out[i] += height * (sigma > 0 ? 0.5 * (1 + std::erf(t / sigma / std::numbers::sqrt2)) : t >= 0);
        }
        behind[to] += height;
    }
    double sum = symbols.front() * w.amplitude_v;
    for (std::size_t i = 0; i < out.size(); ++i) {
        sum += behind[i];
        out[i] += sum;
    }
    impair(w, out, step);
    add_noise(out, w.noise_v, random);
    return out;
}

std::vector<double> show_pair(const LinePair& pair, bool second, const WaveDisplay& display,
                              std::uint64_t seed) {
    Random random(seed);
    const double step = step_of(display);
    std::vector<double> out(display.points);
    std::size_t at = 0;
    double begun = 0;
    const auto wanted = [&](double t) {
        const auto& s = pair.steps[at];
        const bool swapped = s.toggle_hz > 0 && std::fmod((t - begun) * 2 * s.toggle_hz, 2.0) >= 1;
        return second != swapped ? s.second_v : s.first_v;
    };
    double now = wanted(0);
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double t = static_cast<double>(i) * step;
        while (at + 1 < pair.steps.size() && t >= begun + pair.steps[at].length_s)
            begun += pair.steps[at++].length_s;
        // Straight towards what is wanted, a volt in the rise time.
        const double away = wanted(t) - now;
        const double most = pair.rise_s > 0 ? step / pair.rise_s : 1e9;
        now += std::clamp(away, -most, most);
        out[i] = now;
    }
    add_noise(out, pair.noise_v, random);
    return out;
}

std::vector<double> show_bus(const BusTraffic& bus, bool clock, const WaveDisplay& display,
                             std::uint64_t seed) {
    Random random(seed);
    const double period = 1 / bus.rate_hz;
    std::vector<Change> clocks, data;
    bool level = true;
    const auto set = [&](bool bit, double at) {
        if (bit != level) data.push_back({at, bit});
        level = bit;
    };
    std::vector<int> octets{bus.address << 1};
    octets.insert(octets.end(), bus.bytes.begin(), bus.bytes.end());
    for (double t = 5 * period; t < display.span_s;) {
        set(false, t);
        t += period / 2;
        clocks.push_back({t, false});
        int bit = 0;
        for (const int octet : octets) {
            for (int k = 8; k >= 0; --k, ++bit) {
                const bool value = k > 0 && (octet >> (k - 1) & 1);  // acknowledged: low
                set(value, t + bus.data_delay_s + (bit == bus.late_bit ? bus.late_by_s : 0));
                // Low a little longer than high, as the rise takes its time.
                clocks.push_back({t + 0.55 * period, true});
                t += period;
                clocks.push_back({t, false});
            }
        }
        set(false, t + bus.data_delay_s);
        clocks.push_back({t + 0.55 * period, true});
        t += 1.2 * period;
        set(true, t);
        t += 10 * period;
    }
    auto out = drawn(clock ? clocks : data, bus, display);
    add_noise(out, bus.noise_v, random);
    return out;
}

}  // namespace rt::lab
