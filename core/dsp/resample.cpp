#include "core/dsp/resample.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/simd.hpp"

namespace rt {
namespace {

constexpr std::size_t weight_rows = 512;  // between two samples; straight lines between them are 105 dB down
constexpr std::size_t lanes = 8;          // weights come in whole ones

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

// As many outputs as these, whole samples apart, with the same weights; where they are a little more apart,
// by `more` of a row each, with what the way to the next row adds. `values`: where the samples of taps k, k +
// stride, ... of the first output stand side by side, for k from 0 to stride - 1.
constexpr std::size_t together = 16, most_stride = 4;
template <bool apart>
__attribute__((always_inline)) inline void weighed(const float* const* values, std::size_t stride,
                                                   const float* row, std::size_t taps, float share,
                                                   float more, std::complex<float>* out) {
    constexpr std::size_t vectors = 2 * together / lanes;
    Lanes sums[vectors] = {}, added[vectors] = {};
    for (std::size_t first = 0; first < stride; ++first) {
        const float* at = values[first];
        for (std::size_t k = 2 * first; k < 2 * taps; k += 2 * stride, at += 2) {
            const float slope = row[2 * taps + k] - row[k], weight = row[k] + share * slope;
            for (std::size_t i = 0; i < vectors; ++i) {
                Lanes value;
                get(at + i * lanes, value);
                sums[i] += weight * value;
                if (apart) added[i] += slope * value;
            }
        }
    }
    Lanes place = {0, 0, 1, 1, 2, 2, 3, 3};
    for (std::size_t i = 0; i < vectors; ++i, place += 4.0f) {
        if (apart) sums[i] += more * place * added[i];
        std::memcpy(reinterpret_cast<float*>(out) + i * lanes, &sums[i], sizeof sums[i]);
    }
}

// Every so-many-th sample side by side: part p has samples p, p + stride, ...
struct Parted {
    std::size_t stride = 0;  // 0: outputs are not nearly whole samples apart
    std::ptrdiff_t first = 0;
    std::vector<std::vector<std::complex<float>>> parts;
    const std::complex<float>* begins[most_stride] = {};

    Parted(const Run& run, std::size_t count) {
        const double whole = std::round(run.step);
        if (!(whole >= 1 && whole <= most_stride) || std::abs(run.step - whole) * weight_rows * together >= 1)
            return;
        stride = static_cast<std::size_t>(whole);
        begins[0] = run.in;
        if (stride == 1) return;
        const double reach = static_cast<double>(run.taps) + 1;
        const double last = run.first + run.step * static_cast<double>(count) + reach;
        const auto there = static_cast<double>(run.size);
        first = static_cast<std::ptrdiff_t>(std::clamp(run.first - reach, 0.0, there));
        const auto end = static_cast<std::ptrdiff_t>(std::clamp(last, 0.0, there));
        parts.resize(stride);
        for (std::size_t p = 0; p < stride; ++p) {
            parts[p].reserve(static_cast<std::size_t>(end - first) / stride + 1);
            for (std::ptrdiff_t n = first + static_cast<std::ptrdiff_t>(p); n < end;
                 n += static_cast<std::ptrdiff_t>(stride))
                parts[p].push_back(run.in[n]);
            begins[p] = parts[p].data();
        }
    }

    // Where sample n stands.
    const float* at(std::ptrdiff_t n) const {
        const auto place = static_cast<std::size_t>(n - first);
        return reinterpret_cast<const float*>(begins[place % stride] + place / stride);
    }
};

RT_SIMD void resample(const Run& run, const Parted& parted, std::complex<float>* edge,
                      std::complex<float>* out, std::size_t count) {
    const auto taps = static_cast<std::ptrdiff_t>(run.taps);
    // From an output to the next, in rows of the table.
    const double more = (run.step - std::round(run.step)) * weight_rows;
    const bool same = std::abs(more) * together < 1. / 256;  // what that misses is 100 dB down
    const auto far = static_cast<std::ptrdiff_t>(together * parted.stride);
    for (std::size_t i = 0; i < count; ++i) {
        const double at = run.first + static_cast<double>(i) * run.step;
        const double whole = std::floor(at);
        const double place = (at - whole) * weight_rows;
        const std::ptrdiff_t from = static_cast<std::ptrdiff_t>(whole) - taps / 2 + 1;
        const auto part = std::min(static_cast<std::size_t>(place), weight_rows - 1);
        const double share = place - static_cast<double>(part);
        const float* row = run.table + part * 2 * run.taps;
        const bool inside = from >= 0 && from + taps <= run.size;
        if (parted.stride > 0 && inside && i + together <= count && from + taps + far <= run.size) {
            const double last = share + static_cast<double>(together - 1) * more;
            if (last >= 0 && last <= 1) {
                const float* values[most_stride];
                for (std::size_t k = 0; k < parted.stride; ++k)
                    values[k] = parted.at(from + static_cast<std::ptrdiff_t>(k));
                if (same)
                    weighed<false>(values, parted.stride, row, run.taps, static_cast<float>(share), 0,
                                   out + i);
                else
                    weighed<true>(values, parted.stride, row, run.taps, static_cast<float>(share),
                                  static_cast<float>(more), out + i);
                i += together - 1;
                continue;
            }
        }
        const std::complex<float>* values = run.in + from;
        if (!inside) {
            for (std::ptrdiff_t k = 0; k < taps; ++k)
                edge[k] = from + k >= 0 && from + k < run.size ? run.in[from + k] : std::complex<float>{};
            values = edge;
        }
        out[i] = weighed(reinterpret_cast<const float*>(values), row, run.taps, static_cast<float>(share));
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
    table_.resize((weight_rows + 1) * 2 * taps_);
    const double half_turns = 2 * cutoff * std::numbers::pi;
    std::vector<double> row(taps_);
    // Rows mirror each other about the middle between two samples.
    for (std::size_t part = 0; part <= weight_rows / 2; ++part) {
        const double fraction = static_cast<double>(part) / weight_rows;
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
        float* mirrored = &table_[(weight_rows - part) * 2 * taps_];
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
    const Run run{in.data(), static_cast<std::ptrdiff_t>(in.size()), first, step, table_.data(), taps_};
    resample(run, Parted(run, out.size()), edge.data(), out.data(), out.size());
}

}  // namespace rt
