#include "core/measure/tone/sine_fit.hpp"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/dsp/fft.hpp"
#include "core/dsp/least_squares.hpp"
#include "core/dsp/peaks.hpp"
#include "core/dsp/window.hpp"

namespace rt {
namespace {

using std::numbers::pi;

// Unknowns: offset, then cosine and sine of each harmonic, then the change of frequency (in radians per
// second).
struct System {
    std::vector<double> solution;
    double residual_square;
};

System solve(std::span<const double> x, double rate, double frequency, std::size_t count,
             const std::vector<double>& before) {
    const bool refine = !before.empty();
    const std::size_t unknowns = 1 + 2 * count + (refine ? 1 : 0);
    LeastSquares system(unknowns);
    std::vector<double> row(unknowns);
    const double middle = static_cast<double>(x.size() - 1) / 2;
    const auto fill = [&](std::size_t i) {
        const double t = (static_cast<double>(i) - middle) / rate;
        row[0] = 1;
        double slope = 0;
        for (std::size_t h = 0; h < count; ++h) {
            const double n = static_cast<double>(h + 1), angle = 2 * pi * n * frequency * t;
            const double c = std::cos(angle), s = std::sin(angle);
            row[1 + 2 * h] = c;
            row[2 + 2 * h] = s;
            if (refine) slope += n * t * (before[2 + 2 * h] * c - before[1 + 2 * h] * s);
        }
        if (refine) row[unknowns - 1] = slope;
    };
    // The frequency and the signal need not be more exact than a part of the record shows.
    const std::size_t step = refine ? std::max<std::size_t>(1, x.size() / 200000) : 1;
    for (std::size_t i = 0; i < x.size(); i += step) {
        fill(i);
        system.add(row, x[i]);
    }
    System out{system.solve(), 0};
    if (refine) return out;
    for (std::size_t i = 0; i < x.size(); ++i) {
        fill(i);
        double model = 0;
        for (std::size_t k = 0; k < unknowns; ++k) model += row[k] * out.solution[k];
        out.residual_square += (x[i] - model) * (x[i] - model);
    }
    out.residual_square /= static_cast<double>(x.size());
    return out;
}

}  // namespace

SineFit fit_sine(std::span<const double> x, double rate, double near_hz, std::size_t harmonics) {
    const auto possible = static_cast<std::size_t>(rate / 2 / near_hz * 0.999);
    const std::size_t count = std::clamp<std::size_t>(possible, 1, harmonics);
    SineFit out;
    out.frequency_hz = near_hz;
    for (int round = 0; round < 6; ++round) {
        const auto plain = solve(x, rate, out.frequency_hz, 1, {});
        const auto refined = solve(x, rate, out.frequency_hz, 1, plain.solution);
        const double change = refined.solution.back() / (2 * pi);
        out.frequency_hz += change;
        if (std::abs(change) < 1e-10 * out.frequency_hz) break;
    }
    const auto last = solve(x, rate, out.frequency_hz, count, {});
    out.offset = last.solution[0];
    for (std::size_t h = 0; h < count; ++h) {
        out.cosine.push_back(last.solution[1 + 2 * h]);
        out.sine.push_back(last.solution[2 + 2 * h]);
        out.amplitude.push_back(std::hypot(out.cosine.back(), out.sine.back()));
    }
    out.residual_square = last.residual_square;
    return out;
}

std::vector<double> without(std::span<const double> x, double rate, const SineFit& fit, std::size_t count) {
    std::vector<double> out(x.begin(), x.end());
    const double middle = static_cast<double>(x.size() - 1) / 2;
    count = std::min(count, fit.amplitude.size());
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double angle = 2 * pi * fit.frequency_hz * (static_cast<double>(i) - middle) / rate;
        out[i] -= fit.offset;
        for (std::size_t h = 0; h < count; ++h) {
            const double n = static_cast<double>(h + 1);
            out[i] -= fit.cosine[h] * std::cos(n * angle) + fit.sine[h] * std::sin(n * angle);
        }
    }
    return out;
}

double strongest_tone(std::span<const double> x, double rate) {
    const std::size_t length = std::min<std::size_t>(x.size(), std::size_t{1} << 20),
                      size = fast_size(length);
    const auto window = window_values(Window::blackman_harris, length);
    double mean = 0;
    for (std::size_t i = 0; i < length; ++i) mean += x[i];
    mean /= static_cast<double>(length);
    std::vector<std::complex<double>> work(size);
    for (std::size_t i = 0; i < length; ++i) work[i] = (x[i] - mean) * window[i];
    Fft<double> transform(size);
    transform(work.data());
    std::vector<double> f, level;
    for (std::size_t i = 0; i <= size / 2; ++i) {
        f.push_back(static_cast<double>(i) * rate / static_cast<double>(size));
        level.push_back(20 * std::log10(std::max(std::abs(work[i]), 1e-300)));
    }
    const std::size_t first = std::min<std::size_t>(5, level.size() - 1);
    const auto top = static_cast<std::size_t>(
        std::max_element(level.begin() + static_cast<std::ptrdiff_t>(first), level.end()) - level.begin());
    return level[top] < -280 ? 0 : refined_x(f, level, top);
}

}  // namespace rt
