#include "core/dsp/resample.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/simd.hpp"

namespace rt {
namespace {

constexpr std::size_t parts = 512;  // between two samples; straight lines between them are 105 dB down
constexpr std::size_t lanes = 8;    // weights come in whole ones

constexpr double down_db = 90, beta = 0.1102 * (down_db - 8.7);

// The Kaiser window from its middle to its end; straight lines between its places are 110 dB down.
double kaiser(double place) {
    constexpr std::size_t places = 2048;
    static const std::vector<double> table = [] {
        std::vector<double> out;
        for (std::size_t i = 0; i <= places + 1; ++i) {
            const double x = std::min(1.0, static_cast<double>(i) / places);
            out.push_back(std::cyl_bessel_i(0.0, beta * std::sqrt(1 - x * x)));
        }
        return out;
    }();
    const double at = std::min(1.0, std::abs(place)) * places;
    const auto whole = static_cast<std::size_t>(at);
    return table[whole] + (at - static_cast<double>(whole)) * (table[whole + 1] - table[whole]);
}

struct Run {
    const std::complex<float>* in;
    std::ptrdiff_t size;
    double first, step;
    const float* table;
    std::size_t taps;
};

using Lanes = float __attribute__((vector_size(lanes * sizeof(float))));

inline void get(const float* from, Lanes& to) {
    std::memcpy(&to, from, sizeof to);
}

inline std::complex<float> summed(const Lanes& sum) {
    return {(sum[0] + sum[4]) + (sum[2] + sum[6]), (sum[1] + sum[5]) + (sum[3] + sum[7])};
}

// Sums with weights between two rows of the table, which has each weight twice: for both parts of a sample.
inline std::complex<float> weighed(const float* values, const float* row, std::size_t taps, float share) {
    Lanes sums[2] = {};
    for (std::size_t k = 0; k < 2 * taps; k += 2 * lanes) {
        for (std::size_t i = 0; i < 2; ++i) {
            Lanes value, weight, next;
            get(values + k + i * lanes, value);
            get(row + k + i * lanes, weight);
            get(row + 2 * taps + k + i * lanes, next);
            sums[i] += (weight + share * (next - weight)) * value;
        }
    }
    return summed(sums[0] + sums[1]);
}

inline std::complex<float> weighed(const float* values, const float* weights, std::size_t taps) {
    Lanes sums[2] = {};
    for (std::size_t k = 0; k < 2 * taps; k += 2 * lanes) {
        for (std::size_t i = 0; i < 2; ++i) {
            Lanes value, weight;
            get(values + k + i * lanes, value);
            get(weights + k + i * lanes, weight);
            sums[i] += weight * value;
        }
    }
    return summed(sums[0] + sums[1]);
}

// The weights of a place between two rows, in steps of a 256th of the way: what that misses is 100 dB down.
constexpr double shares = 256;
inline void set_weights(const Run& run, double key, float* weights) {
    const auto part = std::min(static_cast<std::size_t>(key / shares), parts - 1);
    const auto share = static_cast<float>(key / shares - static_cast<double>(part));
    const float* row = run.table + part * 2 * run.taps;
    for (std::size_t k = 0; k < 2 * run.taps; ++k)
        weights[k] = row[k] + share * (row[2 * run.taps + k] - row[k]);
}

RT_SIMD void resample(const Run& run, std::complex<float>* edge, float* weights, std::complex<float>* out,
                      std::size_t count) {
    const auto taps = static_cast<std::ptrdiff_t>(run.taps);
    // Where places hardly move between samples the same weights do for several.
    const bool slow = std::abs(run.step - std::round(run.step)) * static_cast<double>(parts) * shares < 0.5;
    double known = -1;
    for (std::size_t i = 0; i < count; ++i) {
        const double at = run.first + static_cast<double>(i) * run.step;
        const double whole = std::floor(at);
        const double place = (at - whole) * parts;
        const std::ptrdiff_t from = static_cast<std::ptrdiff_t>(whole) - taps / 2 + 1;
        const std::complex<float>* values = run.in + from;
        if (from < 0 || from + taps > run.size) {
            for (std::ptrdiff_t k = 0; k < taps; ++k)
                edge[k] = from + k >= 0 && from + k < run.size ? run.in[from + k] : std::complex<float>{};
            values = edge;
        }
        const float* samples = reinterpret_cast<const float*>(values);
        if (slow) {
            const double key = std::floor(place * shares + 0.5);
            if (key != known) set_weights(run, known = key, weights);
            out[i] = weighed(samples, weights, run.taps);
        } else {
            const auto part = std::min(static_cast<std::size_t>(place), parts - 1);
            const auto share = static_cast<float>(place - static_cast<double>(part));
            out[i] = weighed(samples, run.table + part * 2 * run.taps, run.taps, share);
        }
    }
}

}  // namespace

Resampler::Resampler(double rate_hz, double pass_hz, double stop_hz) {
    if (!(pass_hz >= 0 && stop_hz > pass_hz))
        throw Error(ErrorKind::internal, "", "resampler without a transition");
    const double transition = (stop_hz - pass_hz) / rate_hz, cutoff = (stop_hz + pass_hz) / 2 / rate_hz;
    const double needed = (down_db - 7.95) / (14.36 * transition) + 1;
    taps_ = std::max<std::size_t>(lanes, lanes * static_cast<std::size_t>(std::ceil(needed / lanes)));
    const double half = static_cast<double>(taps_) / 2;
    table_.resize((parts + 1) * 2 * taps_);
    const double half_turns = 2 * cutoff * std::numbers::pi;
    std::vector<double> row(taps_);
    // Rows mirror each other about the middle between two samples.
    for (std::size_t part = 0; part <= parts / 2; ++part) {
        const double fraction = static_cast<double>(part) / parts;
        double sum = 0;
        for (std::size_t k = 0; k < taps_; ++k) {
            const double away = static_cast<double>(k) - half + 1 - fraction;
            const double x = half_turns * away;
            const double inside = away / half;
            const double window = std::abs(inside) >= 1 ? 0 : kaiser(inside);
            row[k] = (std::abs(x) < 1e-9 ? 1 : std::sin(x) / x) * window;
            sum += row[k];
        }
        float* here = &table_[part * 2 * taps_];
        float* mirrored = &table_[(parts - part) * 2 * taps_];
        for (std::size_t k = 0; k < taps_; ++k) {
            const auto weight = static_cast<float>(row[k] / sum);
            const std::size_t other = taps_ - 1 - k;
            here[2 * k] = here[2 * k + 1] = mirrored[2 * other] = mirrored[2 * other + 1] = weight;
        }
    }
}

void Resampler::operator()(std::span<const std::complex<float>> in, double first, double step,
                           std::span<std::complex<float>> out) const {
    std::vector<std::complex<float>> edge(taps_);
    std::vector<float> weights(2 * taps_);
    resample({in.data(), static_cast<std::ptrdiff_t>(in.size()), first, step, table_.data(), taps_},
             edge.data(), weights.data(), out.data(), out.size());
}

}  // namespace rt
