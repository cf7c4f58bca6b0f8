#include "core/synthesis/stress.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/simd.hpp"
#include "core/dsp/fft.hpp"
#include "core/dsp/parallel.hpp"
#include "core/quantity/quantity.hpp"
#include "core/synthesis/chance.hpp"
#include "core/synthesis/step_response.hpp"
#include "core/synthesis/symbols.hpp"
#include "core/synthesis/through.hpp"

namespace rt {
namespace {

constexpr double two_pi = 2 * std::numbers::pi;

enum Stream : std::uint64_t { edge_stream, noise_stream };

// The nearest frequency of which a whole number of cycles fits.
double whole_cycles(const char* name, double hz, double turn_s, double sample_rate_hz) {
    if (!(hz > 0)) fail_input(std::string("parameter ") + name + ": is needed, and above 0 Hz");
    const double cycles = std::round(hz * turn_s);
    if (cycles < 1)
        fail_input(
            fmt::format("parameter {}: {} is less than one cycle in the {} that the pattern lasts: "
                        "repeat it {} times",
                        name, format({hz, Unit::hertz}), format({turn_s, Unit::second}, 4),
                        std::ceil(1 / (hz * turn_s))));
    if (cycles / turn_s >= sample_rate_hz / 2)
        fail_input(fmt::format("parameter {}: {} is not below half the sample rate", name,
                               format({hz, Unit::hertz})));
    return cycles / turn_s;
}

RT_SIMD void add_step(float* to, const float* a, const float* b, float part_a, float part_b,
                      std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) to[i] += part_a * a[i] + part_b * b[i];
}

// As near to what the symbols take as whole samples allow.
std::uint64_t samples_of_turn(const Stress& s) {
    const double mean = s.symbol_rate_hz * (1 - s.spread / 2);
    return static_cast<std::uint64_t>(
        std::llround(static_cast<double>(s.symbols.size()) * s.sample_rate_hz / mean));
}

class StressedSamples : public WaveSamples {
  public:
    explicit StressedSamples(const Stress& stress)
        : s_(stress),
          count_(samples_of_turn(stress)),
          turn_s_(static_cast<double>(count_) / stress.sample_rate_hz),
          interval_s_(turn_s_ / static_cast<double>(stress.symbols.size())),
          rise_(stress.rise_s * stress.sample_rate_hz, stress.bandwidth_hz / stress.sample_rate_hz),
          fall_(stress.fall_s * stress.sample_rate_hz, stress.bandwidth_hz / stress.sample_rate_hz),
          edges_(stress.seed, edge_stream),
          noise_(stress.seed, noise_stream) {
        const auto whole = [&](const char* name, double part, double hz) {
            return part == 0 ? 0.0 : whole_cycles(name, hz, turn_s_, s_.sample_rate_hz);
        };
        sinusoidal_hz_ = whole("sinusoidal_frequency", s_.sinusoidal_ui, s_.sinusoidal_hz);
        spread_hz_ = whole("spread_frequency", s_.spread, s_.spread_hz);
        interference_hz_ = whole("interference_frequency", s_.interference_v, s_.interference_hz);
        // How far an edge can be from its place, in intervals; random jitter is never beyond 9 sigma.
        reach_ui_ = 9 * s_.random_ui + (s_.sinusoidal_ui + s_.duty_cycle_ui) / 2 + std::abs(s_.delay_ui) + 1;
        if (s_.spread > 0) reach_ui_ += s_.spread / spread_hz_ / 8 / interval_s_;
        if (s_.loss_db > 0 || s_.through) pass_through();
    }

    std::uint64_t size() const override { return count_; }
    void read(std::uint64_t first, std::span<float> out) const override {
        constexpr std::size_t piece = 1 << 16;
        const std::size_t pieces = (out.size() + piece - 1) / piece;
        in_parallel(pieces, [&](std::size_t i) {
            const std::size_t from = i * piece, count = std::min(piece, out.size() - from);
            const auto part = out.subspan(from, count);
            if (passed_.empty()) {
                edges(first + from, part);
            } else {
                const auto at = passed_.begin() + static_cast<std::ptrdiff_t>(first + from);
                std::copy_n(at, count, part.begin());
            }
            add_behind(first + from, part);
        });
    }

    double interval_s() const { return interval_s_; }
    double sinusoidal_hz() const { return sinusoidal_hz_; }
    double spread_hz() const { return spread_hz_; }
    double interference_hz() const { return interference_hz_; }

  private:
    double level(std::int64_t symbol) const {
        const std::int8_t s = s_.symbols[static_cast<std::size_t>(symbol)];
        return s == at_rest ? s_.rest_v : s_.levels_v[static_cast<std::size_t>(s)];
    }
    // Time of the edge before symbol k of the turn.
    double place_s(std::int64_t k, bool rises) const {
        const double even = (static_cast<double>(k) + s_.delay_ui) * interval_s_;
        double ui = (rises ? 0.5 : -0.5) * s_.duty_cycle_ui;
        if (s_.random_ui > 0) ui += s_.random_ui * edges_.normal(static_cast<std::uint64_t>(k));
        if (s_.sinusoidal_ui > 0) ui += s_.sinusoidal_ui / 2 * std::sin(two_pi * sinusoidal_hz_ * even);
        return (s_.spread > 0 ? spread_place_s(even) : even) + ui * interval_s_;
    }
    // Symbols that a spread clock is ahead of its mean at a time, in seconds: the integral of a triangle.
    double ahead_s(double t) const {
        const double x = (t * spread_hz_ - std::floor(t * spread_hz_));  // of a cycle; highest at its begin
        const double y = x < 0.5 ? x / 2 - x * x : -((x - 0.5) / 2 - (x - 0.5) * (x - 0.5));
        return s_.spread / (1 - s_.spread / 2) * y / spread_hz_;
    }
    double spread_place_s(double even) const {
        double t = even;
        for (int i = 0; i < 5; ++i) t = even - ahead_s(t);
        return t;
    }

    void edges(std::uint64_t first, std::span<float> out) const {
        const double rate = s_.sample_rate_hz, from = static_cast<double>(first);
        const double to = from + static_cast<double>(out.size());
        const auto symbols = static_cast<std::int64_t>(s_.symbols.size());
        const double before = std::max(rise_.after(), fall_.after());
        const double behind = std::max(rise_.before(), fall_.before());
        auto k = static_cast<std::int64_t>(std::floor((from - before) / rate / interval_s_ - reach_ui_));
        const auto end =
            static_cast<std::int64_t>(std::ceil((to + behind) / rate / interval_s_ + reach_ui_)) + 1;
        std::int64_t turns = k >= 0 ? k / symbols : -((symbols - 1 - k) / symbols);
        std::int64_t within = k - turns * symbols;
        double now = level(within > 0 ? within - 1 : symbols - 1);
        std::fill(out.begin(), out.end(), static_cast<float>(now));
        // Whole steps from a sample on, summed up at the end.
        std::vector<float> steps(out.size() + 1, 0.0F);
        const auto size = static_cast<std::int64_t>(out.size());
        for (; k < end; ++k) {
            const double next = level(within), height = next - now;
            now = next;
            if (height != 0) {
                const StepResponse& shape = height > 0 ? rise_ : fall_;
                const double at =
                    (static_cast<double>(turns) * turn_s_ + place_s(within, height > 0)) * rate - from;
                const double begin = std::ceil(at - shape.before());
                const auto start = static_cast<std::int64_t>(begin);
                const auto length = static_cast<std::int64_t>(shape.length());
                const std::int64_t low = std::clamp(start, std::int64_t{0}, size);
                const std::int64_t high = std::clamp(start + length, std::int64_t{0}, size);
                if (high > low) {
                    const auto [a, b, part] = shape.rows(begin - at);
                    const std::int64_t skipped = low - start;
                    add_step(out.data() + low, a + skipped, b + skipped,
                             static_cast<float>(height * (1 - part)), static_cast<float>(height * part),
                             static_cast<std::size_t>(high - low));
                }
                steps[static_cast<std::size_t>(high)] += static_cast<float>(height);
            }
            if (++within == symbols) within = 0, ++turns;
        }
        double sum = 0;
        for (std::size_t i = 0; i < out.size(); ++i) {
            sum += static_cast<double>(steps[i]);
            out[i] += static_cast<float>(sum);
        }
    }

    void add_behind(std::uint64_t first, std::span<float> out) const {
        if (s_.noise_v > 0) noise_.add_normal(first, s_.noise_v, out);
        if (s_.interference_v > 0) {
            const double step = two_pi * interference_hz_ / s_.sample_rate_hz;
            for (std::size_t i = 0; i < out.size(); ++i)
                out[i] +=
                    static_cast<float>(s_.interference_v * std::sin(step * static_cast<double>(first + i)));
        }
    }

    // A turn is a period: its transform times the response is exact.
    void pass_through() {
        constexpr std::uint64_t most = std::uint64_t{1} << 24;
        if (count_ > most)
            fail_input(
                fmt::format("a turn of {} samples is too long for a cable or network data, which take "
                            "at most {}: fewer symbols or a lower sample rate",
                            count_, most));
        std::vector<float> plain(count_);
        constexpr std::size_t piece = 1 << 16;
        in_parallel((plain.size() + piece - 1) / piece, [&](std::size_t i) {
            const std::size_t from = i * piece;
            edges(from, std::span(plain).subspan(from, std::min(piece, plain.size() - from)));
        });
        std::vector<std::complex<double>> bins(plain.begin(), plain.end());
        Fft<double>(bins.size())(bins.data());
        const Through response(s_.loss_db, s_.loss_at_hz, s_.through, s_.symbol_rate_hz);
        for (std::size_t k = 0; k <= bins.size() / 2; ++k) {
            const auto h = response.at(static_cast<double>(k) / turn_s_);
            bins[k] *= h;
            if (k > 0 && 2 * k < bins.size()) bins[bins.size() - k] *= std::conj(h);
        }
        Fft<double>(bins.size(), Fft<double>::Direction::backward)(bins.data());
        passed_.resize(bins.size());
        for (std::size_t i = 0; i < bins.size(); ++i)
            passed_[i] = static_cast<float>(bins[i].real() / static_cast<double>(bins.size()));
    }

    Stress s_;
    std::uint64_t count_;
    double turn_s_, interval_s_;
    StepResponse rise_, fall_;
    Chance edges_, noise_;
    double sinusoidal_hz_ = 0, spread_hz_ = 0, interference_hz_ = 0, reach_ui_ = 0;
    std::vector<float> passed_;
};

void require_sane(const Stress& s) {
    const auto need = [](bool holds, const std::string& words) {
        if (!holds) fail_input(words);
    };
    need(s.symbol_rate_hz > 0, "parameter symbol_rate: must be above 0 Hz");
    need(s.sample_rate_hz >= 2 * s.symbol_rate_hz,
         "parameter sample_rate: must be at least twice the symbol rate");
    const double fastest = std::min(s.rise_s, s.fall_s) * s.sample_rate_hz;
    need(fastest >= 1.5,
         fmt::format("parameter transition: {} is faster than {} can carry (1.5 samples): {} or more",
                     format({std::min(s.rise_s, s.fall_s), Unit::second}, 4),
                     format({s.sample_rate_hz, Unit::hertz}),
                     format({1.5 / s.sample_rate_hz, Unit::second}, 4)));
    for (const auto& [name, value] : {std::pair{"random_jitter", s.random_ui},
                                      {"sinusoidal_jitter", s.sinusoidal_ui},
                                      {"noise", s.noise_v},
                                      {"interference", s.interference_v},
                                      {"bandwidth", s.bandwidth_hz},
                                      {"loss", s.loss_db},
                                      {"spread", s.spread}})
        need(value >= 0, std::string("parameter ") + name + ": cannot be negative");
    need(std::abs(s.duty_cycle_ui) < 1, "parameter duty_cycle_distortion: must be below 1 UI");
    need(s.random_ui <= 1, "parameter random_jitter: must be at most 1 UI");
    need(s.sinusoidal_ui <= 1000, "parameter sinusoidal_jitter: must be at most 1000 UI");
    need(s.spread < 0.1, "parameter spread: must be below 10 %");
    need(s.loss_db == 0 || s.loss_at_hz > 0, "parameter loss_at: is missing: the frequency of the loss");
}

}  // namespace

StressedTurn stressed_turn(const Stress& stress) {
    require_sane(stress);
    const auto samples = std::make_shared<StressedSamples>(stress);
    StressedTurn out;
    out.wave.channels.push_back(samples);
    out.wave.step_s = 1 / stress.sample_rate_hz;
    out.symbol_rate_hz = 1 / samples->interval_s();
    out.sinusoidal_hz = samples->sinusoidal_hz();
    out.spread_hz = samples->spread_hz();
    out.interference_hz = samples->interference_hz();
    return out;
}

}  // namespace rt
