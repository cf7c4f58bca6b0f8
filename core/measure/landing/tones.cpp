#include "core/measure/landing/tones.hpp"

#include <algorithm>
#include <cmath>
#include <complex>
#include <functional>
#include <numbers>

#include "core/dsp/fft.hpp"
#include "core/dsp/least_squares.hpp"
#include "core/stats/median.hpp"

namespace rt::landing {
namespace {

using Complex = std::complex<double>;
constexpr double pi = std::numbers::pi;

// The spectrum of a record, Hann window, without its mean; to find lines in.
class Spectrum {
  public:
    explicit Spectrum(const CoherentAm& audio) : rate_(audio.rate), work_(fast_size(4 * audio.depth.size())) {
        double mean = 0;
        for (const double value : audio.depth) mean += value / static_cast<double>(audio.depth.size());
        const auto count = static_cast<double>(audio.depth.size());
        for (std::size_t i = 0; i < audio.depth.size(); ++i)
            work_[i] =
                (audio.depth[i] - mean) * (1 - std::cos(2 * pi * (static_cast<double>(i) + 0.5) / count));
        Fft<double> transform(work_.size());
        transform(work_.data());
    }
    double strongest(double from_hz, double to_hz) const {
        const auto place = [&](double hz) {
            return std::min(work_.size() / 2,
                            static_cast<std::size_t>(hz / rate_ * static_cast<double>(work_.size())));
        };
        std::size_t best = std::max<std::size_t>(1, place(from_hz));
        for (std::size_t i = best; i <= place(to_hz); ++i)
            if (std::norm(work_[i]) > std::norm(work_[best])) best = i;
        return static_cast<double>(best) * rate_ / static_cast<double>(work_.size());
    }

  private:
    double rate_;
    std::vector<Complex> work_;
};

}  // namespace

std::array<Tone, 2> navigation_tones(const CoherentAm& audio) {
    const Spectrum spectrum(audio);
    constexpr std::array nominal{90.0, 150.0};
    constexpr double within = 0.05;
    std::array<Tone, 2> out;
    for (std::size_t i = 0; i < 2; ++i)
        out[i].hz = spectrum.strongest(nominal[i] * (1 - within), nominal[i] * (1 + within));
    const double middle = static_cast<double>(audio.depth.size() - 1) / 2;
    constexpr int rounds = 4;
    for (int round = 0; round < rounds; ++round) {
        LeastSquares fit(7);
        for (std::size_t n = 0; n < audio.depth.size(); ++n) {
            const double t = (static_cast<double>(n) - middle) / audio.rate;
            std::array<double, 7> row{1};
            for (std::size_t i = 0; i < 2; ++i) {
                const double turn = 2 * pi * out[i].hz * t;
                row[1 + 3 * i] = std::cos(turn), row[2 + 3 * i] = std::sin(turn);
                // How a change of frequency shows in what was fitted before.
                const double a = out[i].depth * std::sin(out[i].phase),
                             b = out[i].depth * std::cos(out[i].phase);
                row[3 + 3 * i] = round == 0 ? 0 : 2 * pi * t * (b * row[1 + 3 * i] - a * row[2 + 3 * i]);
            }
            fit.add(row, audio.depth[n]);
        }
        const auto solved = fit.solve();
        for (std::size_t i = 0; i < 2; ++i) {
            const double a = solved[1 + 3 * i], b = solved[2 + 3 * i];
            out[i].depth = std::hypot(a, b);
            out[i].phase = std::atan2(a, b);
            const double change = solved[3 + 3 * i];
            // Of a tone that is not there nothing can be refined.
            if (round > 0 && out[i].depth > 1e-4 && std::abs(change) < 2) out[i].hz += change;
        }
    }
    for (auto& tone : out) tone.depth /= audio.response(tone.hz);
    return out;
}

// Times for which a curve is above a threshold, by straight lines between its values; shorter ones are none.
static std::vector<Mark> marks_above(const std::vector<double>& height, double threshold,
                                     const std::function<double(std::size_t)>& at) {
    constexpr double shortest_s = 30e-3;
    std::vector<Mark> out;
    std::optional<double> start;
    if (height.front() >= threshold) start = at(0);
    for (std::size_t n = 1; n < height.size(); ++n) {
        const auto crossing = [&] {
            const double part = (threshold - height[n - 1]) / (height[n] - height[n - 1]);
            return at(n - 1) + part * (at(n) - at(n - 1));
        };
        if (!start && height[n] >= threshold) start = crossing();
        if (start && height[n] < threshold) {
            const double stop = crossing();
            if (stop - *start >= shortest_s) out.push_back({*start, stop});
            start.reset();
        }
    }
    if (start) out.push_back({*start, at(height.size() - 1)});
    return out;
}

std::optional<Ident> ident_tone(const CoherentAm& audio, const std::array<Tone, 2>& tones,
                                double least_depth) {
    constexpr double from_hz = 950, to_hz = 1090, mean_s = 10e-3;
    if (audio.rate < 2.5 * to_hz) return std::nullopt;
    const Spectrum spectrum(audio);
    Ident out;
    out.hz = spectrum.strongest(from_hz, to_hz);
    // Mixed to 0 Hz; means over 10 ms are quick against dots of 100 ms. What they leave of 90 and 150 Hz
    // would move the edges of marks: these are taken out before.
    std::vector<Complex> sums(audio.depth.size() + 1);
    const double middle = static_cast<double>(audio.depth.size() - 1) / 2;
    for (std::size_t n = 0; n < audio.depth.size(); ++n) {
        double left = audio.depth[n] - 1;
        for (const auto& tone : tones)
            left -= tone.depth * audio.response(tone.hz) *
                    std::sin(2 * pi * tone.hz * (static_cast<double>(n) - middle) / audio.rate + tone.phase);
        const double cycles = out.hz * static_cast<double>(n) / audio.rate;
        sums[n + 1] = sums[n] + left * std::polar(2.0, -2 * pi * (cycles - std::floor(cycles)));
    }
    const auto length = static_cast<std::size_t>(std::max(1.0, std::round(audio.rate * mean_s)));
    std::vector<Complex> z;
    for (std::size_t n = 0; n + length <= audio.depth.size(); ++n)
        z.push_back((sums[n + length] - sums[n]) / static_cast<double>(length));
    if (z.empty()) return std::nullopt;
    std::vector<double> height;
    for (const auto& value : z) height.push_back(std::abs(value));
    const double high = percentile(height, 0.97), low = percentile(height, 0.03);
    if (high < least_depth) return std::nullopt;
    out.keyed = low < 0.3 * high;
    const auto at = [&](std::size_t n) {
        return (static_cast<double>(n) + static_cast<double>(length - 1) / 2) / audio.rate;
    };
    out.marks = marks_above(height, 0.5 * high, at);
    // Depth and frequency away from the edges of marks.
    constexpr double edge_s = 15e-3, step_s = 20e-3;
    const auto step = static_cast<std::size_t>(std::round(audio.rate * step_s));
    double squares = 0, count = 0;
    Complex turned = 0;
    for (const auto& mark : out.marks) {
        for (std::size_t n = 0; n < z.size(); ++n) {
            if (at(n) < mark.start_s + edge_s) continue;
            if (at(n) > mark.stop_s - edge_s) break;
            squares += height[n] * height[n], count += 1;
            if (n + step < z.size() && at(n + step) <= mark.stop_s - edge_s)
                turned += z[n + step] * std::conj(z[n]);
        }
    }
    if (count == 0) return std::nullopt;
    out.hz += std::arg(turned) / (2 * pi) / (static_cast<double>(step) / audio.rate);
    // What is strongest at an edge of where it is looked for is something else.
    if (out.hz < from_hz + 5 || out.hz > to_hz - 5) return std::nullopt;
    const double on = std::sqrt(squares / count);
    // The highest values have what other tones leave in them: the times are those at half of the mean.
    out.marks = marks_above(height, 0.5 * on, at);
    out.depth = on / audio.response(out.hz);
    return out;
}

}  // namespace rt::landing
