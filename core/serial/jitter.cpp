// Jitter of edges against the recovered clock (TIE), split as in FC-MJSQ (INCITS TR-35-2004) and by the
// dual-Dirac model: tails of the distribution are straight on a Q scale. Each side's outermost twentieth but
// for the last five values is fitted for several shares of the population that the outermost Gaussian may
// have, and the straightest counts (better by 2 %, so that noise does not choose). Random is the mean of the
// two slopes, deterministic the distance of the two means. Fewer than 10,000 edges give no model.
// Data-dependent is the mean at each place of the pattern; lines are sought in the spectrum of what is left
// (Hann window), where they stand above the median around.
#include "core/serial/jitter.hpp"

#include <algorithm>
#include <cmath>
#include <complex>
#include <functional>
#include <limits>
#include <numbers>

#include "core/dsp/fft.hpp"

namespace rt {
namespace {

using std::numbers::pi;

double tail_probability(double q) {
    return 0.5 * std::erfc(q / std::numbers::sqrt2);
}

struct Fit {
    Tail tail;
    double error = 1e300;  // rms of what is left, in standard deviations of the tail's own count
};

// A straight line through the values of one tail against Q of their ranks; `sorted` has the outermost first,
// of `all` values.
Fit fit_tail(const std::vector<double>& sorted, std::size_t all, std::size_t from, std::size_t to,
             double share) {
    // Neighbouring ranks say nearly the same: a hundred places, evenly spread in Q, are enough and weigh
    // evenly.
    const auto n = static_cast<double>(all);
    const double q_from = q_of((static_cast<double>(from) + 0.5) / n / share);
    const double q_to = q_of(std::min(0.49, (static_cast<double>(to) + 0.5) / n / share));
    double sw = 0, sq = 0, sx = 0, sqq = 0, sqx = 0;
    std::vector<std::pair<double, double>> places;
    std::vector<double> weights;
    for (int i = 0; i <= 100; ++i) {
        const double wanted = q_from + (q_to - q_from) * i / 100;
        const double rank = tail_probability(wanted) * share * n - 0.5;
        const auto k = static_cast<std::size_t>(
            std::clamp(std::round(rank), static_cast<double>(from), static_cast<double>(to)));
        const double q = q_of((static_cast<double>(k) + 0.5) / n / share);
        // The spread of the value of rank k, in Q: 1 / (sqrt(k) d ln P / dQ), about 1 / (sqrt(k) q).
        const double w = static_cast<double>(k + 1) * q * q;
        places.emplace_back(q, sorted[k]);
        weights.push_back(w);
        sw += w, sq += w * q, sx += w * sorted[k], sqq += w * q * q, sqx += w * q * sorted[k];
    }
    Fit out;
    const double slope = (sw * sqx - sq * sx) / (sw * sqq - sq * sq);
    out.tail.sigma_s = std::abs(slope);
    out.tail.mean_s = (sx - slope * sq) / sw;
    double sum = 0;
    for (std::size_t i = 0; i < places.size(); ++i) {
        const double left = (places[i].second - out.tail.mean_s - slope * places[i].first) / slope;
        sum += weights[i] * left * left;
    }
    out.error = sum / static_cast<double>(places.size());
    return out;
}

// The straightest fit over the shares of the population that the outermost Gaussian may have.
Tail straightest(const std::vector<double>& sorted, std::size_t n) {
    constexpr std::size_t outermost = 5;
    const std::size_t to = n / 20;
    Fit best;
    // Deep enough that a wrong share shows as a bend, for shares of which it is still a tail.
    for (const double share : {1.0, 0.75, 0.5, 0.35, 0.25, 0.18, 0.125}) {
        const Fit fit = fit_tail(sorted, n, outermost, to, share);
        if (fit.error < best.error * 0.98) best = fit;
    }
    return best.tail;
}

// TIE at even steps: values at edges, straight lines between.
std::vector<double> evenly(const Clock& clock, const std::vector<double>& jitter, std::size_t first,
                           std::size_t count, double per_step) {
    std::vector<double> out(count);
    std::size_t k = first;
    for (std::size_t i = 0; i < count; ++i) {
        const double at = static_cast<double>(clock.bit[first]) + static_cast<double>(i) * per_step;
        while (k + 2 < clock.bit.size() && clock.bit[k + 1] <= at) ++k;
        const double a = clock.bit[k], b = clock.bit[k + 1];
        const double share = std::clamp((at - a) / (b - a), 0.0, 1.0);
        out[i] = jitter[k - first] + share * (jitter[k + 1 - first] - jitter[k - first]);
    }
    return out;
}

void find_lines(const Clock& clock, const std::vector<double>& jitter, const JitterSettings& settings,
                JitterSplit& out) {
    const std::size_t first = clock.settled;
    const double symbols = clock.bit.back() - clock.bit[first];
    // One value for each mean spacing of edges, at most a million.
    const std::size_t size =
        fast_size(static_cast<std::size_t>(std::clamp(static_cast<double>(jitter.size()), 64.0, 1e6)));
    const double per_step = (symbols - 1) / static_cast<double>(size);
    if (per_step <= 0) return;
    const auto even = evenly(clock, jitter, first, size, per_step);
    std::vector<std::complex<double>> bins(size);
    double gain = 0, mean = 0;
    for (const double v : even) mean += v / static_cast<double>(size);
    for (std::size_t i = 0; i < size; ++i) {
        const double phase = 2 * pi * static_cast<double>(i) / static_cast<double>(size);
        // Hann: lines that fit no whole number of periods read at most 1.4 dB low; refined below.
        const double w = 0.5 - 0.5 * std::cos(phase);
        gain += w;
        bins[i] = w * (even[i] - mean);
    }
    const Fft<double> transform(size);
    transform(bins.data());
    const double step_hz = clock.rate_hz / per_step / static_cast<double>(size);
    std::vector<double> amplitude(size / 2);
    for (std::size_t i = 0; i < amplitude.size(); ++i) amplitude[i] = 2 * std::abs(bins[i]) / gain;
    for (std::size_t i = 1; i < amplitude.size(); ++i) {
        out.spectrum_hz.push_back(static_cast<double>(i) * step_hz);
        out.spectrum_s.push_back(amplitude[i]);
    }
    // A line stands out of the floor around it.
    const double above = std::pow(10, settings.line_db / 20);
    constexpr std::size_t around = 100;
    for (std::size_t i = 3; i + 3 < amplitude.size(); ++i) {
        if (amplitude[i] < amplitude[i - 1] || amplitude[i] < amplitude[i + 1]) continue;
        const std::size_t low = i > around ? i - around : 1, high = std::min(amplitude.size(), i + around);
        if (amplitude[i] < amplitude[i - 1] * 1.0001 && amplitude[i] < amplitude[i + 1] * 1.0001) continue;
        // So far above the median: more than half of what is around lies that much below.
        const double floor = amplitude[i] / above;
        const auto below = std::count_if(amplitude.begin() + static_cast<std::ptrdiff_t>(low),
                                         amplitude.begin() + static_cast<std::ptrdiff_t>(high),
                                         [&](double other) { return other <= floor; });
        if (static_cast<std::size_t>(below) <= (high - low) / 2) continue;
        // Place and height between bins, from the two neighbours of a Hann window.
        const bool right = amplitude[i + 1] > amplitude[i - 1];
        const double ratio = (right ? amplitude[i + 1] : amplitude[i - 1]) / amplitude[i];
        const double off = std::clamp((2 * ratio - 1) / (1 + ratio), 0.0, 0.5);
        const double shape = off < 1e-6 ? 1 : std::sin(pi * off) / (pi * off * (1 - off * off));
        out.lines.push_back(
            {(static_cast<double>(i) + (right ? off : -off)) * step_hz, amplitude[i] / shape});
    }
    std::sort(out.lines.begin(), out.lines.end(),
              [](const JitterLine& a, const JitterLine& b) { return a.amplitude_s > b.amplitude_s; });
    if (out.lines.size() > 20) out.lines.resize(20);
    for (const auto& line : out.lines) out.periodic_s += 2 * line.amplitude_s;
}

// Takes the mean of each place of the pattern out.
void by_pattern(const Clock& clock, std::vector<double>& jitter, std::size_t pattern, JitterSplit& out) {
    std::vector<double> sum(pattern), count(pattern);
    const std::size_t first = clock.settled;
    for (std::size_t k = 0; k < jitter.size(); ++k) {
        sum[clock.bit[first + k] % pattern] += jitter[k];
        ++count[clock.bit[first + k] % pattern];
    }
    double low = 1e300, high = -1e300;
    for (std::size_t i = 0; i < pattern; ++i) {
        sum[i] = count[i] > 0 ? sum[i] / count[i] : std::numeric_limits<double>::quiet_NaN();
        if (count[i] == 0) continue;
        low = std::min(low, sum[i]), high = std::max(high, sum[i]);
    }
    for (std::size_t k = 0; k < jitter.size(); ++k) jitter[k] -= sum[clock.bit[first + k] % pattern];
    out.data_dependent_s = high - low;
    out.by_place_s = std::move(sum);
}

}  // namespace

double q_of(double ratio) {
    double low = 0, high = 40;
    for (int round = 0; round < 80; ++round) {
        const double middle = (low + high) / 2;
        (tail_probability(middle) > ratio ? low : high) = middle;
    }
    return (low + high) / 2;
}

double DualDirac::total_s(double error_ratio) const {
    return deterministic_s + 2 * q_of(error_ratio) * random_s;
}

std::optional<DualDirac> fit_tails(std::vector<double> values) {
    constexpr std::size_t fewest = 10000;
    if (values.size() < fewest) return std::nullopt;
    DualDirac out;
    // Only the tails need an order. Q falls from the outermost value inwards: x = mean - sigma Q on the early
    // side.
    const std::size_t tail = values.size() / 20 + 2;
    const auto begin = values.begin();
    const auto count = static_cast<std::ptrdiff_t>(tail);
    std::nth_element(begin, begin + count, values.end());
    std::sort(begin, begin + count);
    out.early = straightest({begin, begin + count}, values.size());
    std::nth_element(begin, begin + count, values.end(), std::greater<>());
    std::sort(begin, begin + count, std::greater<>());
    out.late = straightest({begin, begin + count}, values.size());
    out.random_s = (out.early.sigma_s + out.late.sigma_s) / 2;
    out.deterministic_s = std::max(0.0, out.late.mean_s - out.early.mean_s);
    return out;
}

JitterSplit split_jitter(const Clock& clock, const Edges& edges, const JitterSettings& settings) {
    JitterSplit out;
    const std::size_t first = clock.settled;
    if (clock.bit.size() < first + 16) return out;
    const auto from_clock = clock.settled_jitter_s();
    std::vector<double> jitter(from_clock.begin(), from_clock.end());
    out.edges = jitter.size();
    double sum = 0, squares = 0, low = 1e300, high = -1e300;
    double rising = 0, falling = 0, rises = 0, falls = 0;
    for (std::size_t k = 0; k < jitter.size(); ++k) {
        const double j = jitter[k];
        sum += j, squares += j * j;
        low = std::min(low, j), high = std::max(high, j);
        if (edges.rises(first + k)) {
            rising += j, ++rises;
        } else {
            falling += j, ++falls;
        }
    }
    const auto n = static_cast<double>(jitter.size());
    out.rms_s = std::sqrt(std::max(0.0, squares / n - sum / n * (sum / n)));
    out.peak_to_peak_s = high - low;
    out.duty_cycle_s = rising / rises - falling / falls;
    out.model = fit_tails(jitter);
    if (settings.pattern > 0) {
        by_pattern(clock, jitter, settings.pattern, out);
    } else {
        // Without a pattern the two directions at least have their own means.
        for (std::size_t k = 0; k < jitter.size(); ++k)
            jitter[k] -= edges.rises(first + k) ? rising / rises : falling / falls;
    }
    find_lines(clock, jitter, settings, out);
    return out;
}

Bathtub bathtub(const DualDirac& model, double interval_s, double error_ratio) {
    Bathtub out;
    constexpr double density = 0.5;
    const auto ratio_at = [&](double ui) {
        const double t = ui * interval_s;
        return density * (tail_probability((t - model.late.mean_s) / model.late.sigma_s) +
                          tail_probability((interval_s + model.early.mean_s - t) / model.early.sigma_s));
    };
    constexpr int places = 400;
    for (int i = 0; i <= places; ++i) {
        out.place_ui.push_back(static_cast<double>(i) / places);
        const double ratio = ratio_at(out.place_ui.back());
        out.least_ratio = std::max(std::min(out.least_ratio, ratio), 1e-300);
        out.error_ratio.push_back(std::max(ratio, 1e-16));
    }
    // The two places where the ratio is met, by halving from the lowest point outwards.
    const auto lowest = std::min_element(out.error_ratio.begin(), out.error_ratio.end());
    const double middle = out.place_ui[static_cast<std::size_t>(lowest - out.error_ratio.begin())];
    if (*lowest > error_ratio) return out;
    const auto meet = [&](double outside) {
        double inside = middle;
        for (int round = 0; round < 60; ++round) {
            const double half = (inside + outside) / 2;
            (ratio_at(half) <= error_ratio ? inside : outside) = half;
        }
        return inside;
    };
    out.open_ui = meet(1) - meet(0);
    return out;
}

}  // namespace rt
