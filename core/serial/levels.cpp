#include "core/serial/levels.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <cstring>

#include "core/base/error.hpp"
#include "core/quantity/quantity.hpp"
#include "core/serial/pieces.hpp"

namespace rt {
namespace {

RT_SIMD Extent widest(const float* values, std::size_t count) {
    // Eight values side by side: compilers do not make minima of floating point wide by themselves.
    constexpr std::size_t lanes = 8;
    using Lanes = float __attribute__((vector_size(lanes * sizeof(float))));
    Lanes low = Lanes{} + 3e38F, high = Lanes{} - 3e38F;
    std::size_t i = 0;
    for (; i + lanes <= count; i += lanes) {
        Lanes v;
        std::memcpy(&v, values + i, sizeof v);
        low = v < low ? v : low;
        high = v > high ? v : high;
    }
    Extent out;
    for (; i < count; ++i) out.add({values[i], values[i]});
    for (std::size_t k = 0; k < lanes; ++k) out.add({low[k], high[k]});
    return out;
}

RT_SIMD void bins_of(std::span<const float> values, float low, float scale, float most, std::int32_t* bin) {
    const float* v = values.data();
    for (std::size_t k = 0; k < values.size(); ++k) {
        const float place = (v[k] - low) * scale;
        const float least = place > 0 ? place : 0;
        bin[k] = static_cast<std::int32_t>(least < most ? least : most);
    }
}

// Mean of the voltages around the highest bin of [from, to), down to half its height on both sides.
double mode(const LevelHistogram& h, std::size_t from, std::size_t to) {
    const auto begin = h.count.begin();
    const auto top = static_cast<std::size_t>(
        std::max_element(begin + static_cast<std::ptrdiff_t>(from), begin + static_cast<std::ptrdiff_t>(to)) -
        begin);
    // A single bin may stand out of a broad hill by chance: some bins beside it always count.
    constexpr std::size_t always = 2;
    const auto half = h.count[top] / 2;
    double sum = 0, weight = 0;
    const auto add = [&](std::size_t bin) {
        const auto n = static_cast<double>(h.count[bin]);
        sum += n * h.middle(bin);
        weight += n;
    };
    add(top);
    for (std::size_t k = 1; top + k < to && (k <= always || h.count[top + k] > half); ++k) add(top + k);
    for (std::size_t k = 1; top >= from + k && (k <= always || h.count[top - k] > half); ++k) add(top - k);
    return sum / weight;
}

}  // namespace

Extent extent_of(std::span<const float> values) {
    return widest(values.data(), values.size());
}

Extent voltage_extent(const WaveSamples& samples, std::uint64_t some) {
    const auto extents = over_pieces<Extent>(
        samples, [](Extent& sum, std::span<const float> piece, std::uint64_t) { sum.add(extent_of(piece)); },
        some);
    Extent all;
    for (const Extent& e : extents) all.add(e);
    return all;
}

LevelHistogram level_histogram(const WaveSamples& samples, bool quick) {
    constexpr std::size_t bins = 2048;
    LevelHistogram out;
    // Of a long record every eighth piece tells the levels as well.
    const std::uint64_t some = samples.size() > (1U << 24) ? 8 : 1;
    Extent all = voltage_extent(samples, quick ? some : 1);
    if (!(all.high > all.low)) all = voltage_extent(samples);
    out.lowest = static_cast<double>(all.low);
    out.highest = static_cast<double>(all.high);
    if (!(out.highest > out.lowest)) {
        fail_signal("the record holds one voltage only, " + format({out.lowest, Unit::volt}) + ": no signal");
    }
    const auto scale = static_cast<float>(static_cast<double>(bins) / (out.highest - out.lowest));
    const float low = all.low, most = static_cast<float>(bins) - 1;
    const auto counts = over_pieces<std::vector<std::uint64_t>>(
        samples,
        [&](std::vector<std::uint64_t>& count, std::span<const float> piece, std::uint64_t) {
            // Neighbours mostly fall into the same bin: four counts take turns, so that none waits for
            // the one before.
            constexpr std::size_t turns = 4, at_once = 1024;
            count.resize(turns * bins);
            std::array<std::int32_t, at_once> bin;
            for (std::size_t i = 0; i < piece.size(); i += at_once) {
                const auto some_values = piece.subspan(i, std::min(at_once, piece.size() - i));
                bins_of(some_values, low, scale, most, bin.data());
                for (std::size_t k = 0; k < some_values.size(); ++k)
                    ++count[k % turns * bins + static_cast<std::size_t>(bin[k])];
            }
        },
        some);
    out.count.assign(bins, 0);
    for (const auto& count : counts) {
        for (std::size_t i = 0; i < count.size(); ++i) out.count[i % bins] += count[i];
    }
    return out;
}

// First and last bin of what is not a rare excursion.
static std::pair<std::size_t, std::size_t> ends_of(const LevelHistogram& h) {
    std::uint64_t all = 0;
    for (const auto n : h.count) all += n;
    const auto rare = all / 1000;
    std::size_t first = 0, last = h.count.size() - 1;
    for (std::uint64_t sum = h.count[first]; sum <= rare && first + 1 < last; sum += h.count[++first]) {
    }
    for (std::uint64_t sum = h.count[last]; sum <= rare && last > first + 1; sum += h.count[--last]) {
    }
    return {first, last};
}

Levels levels_of(const LevelHistogram& h) {
    const auto [first, last] = ends_of(h);
    const std::size_t middle = (first + last + 1) / 2;
    Levels out;
    out.lowest = h.lowest;
    out.highest = h.highest;
    out.low = mode(h, 0, middle);
    out.high = mode(h, middle, h.count.size());
    return out;
}

bool stand_apart(const LevelHistogram& h, double low, double high) {
    constexpr double part = 1.0 / 8, most = 0.7;
    const double width = (high - low) * part;
    if (!(width > 0)) return false;
    std::vector<double> sum(h.count.size() + 1);
    for (std::size_t i = 0; i < h.count.size(); ++i) sum[i + 1] = sum[i] + static_cast<double>(h.count[i]);
    // How many samples lie below a voltage, evenly spread within a bin.
    const auto below = [&](double v) {
        const double place =
            std::clamp((v - h.lowest) / h.bin_width(), 0.0, static_cast<double>(h.count.size()));
        const auto bin = std::min(static_cast<std::size_t>(place), h.count.size() - 1);
        return sum[bin] + (place - static_cast<double>(bin)) * static_cast<double>(h.count[bin]);
    };
    const auto about = [&](double v) { return below(v + width / 2) - below(v - width / 2); };
    double least = 1e300;
    for (double v = low + width; v <= high - width * 0.999; v += width / 8) least = std::min(least, about(v));
    // A level is held by more than a click.
    constexpr double fewest = 4;
    const double rarer = std::min(about(low), about(high));
    return rarer >= fewest && least <= most * rarer;
}

bool stand_apart(const LevelHistogram& h, const Levels& levels) {
    const auto [first, last] = ends_of(h);
    const double range = static_cast<double>(last - first + 1) * h.bin_width();
    return levels.amplitude() >= range / 4 && stand_apart(h, levels.low, levels.high);
}

std::vector<double> clustered_levels(const LevelHistogram& h, std::size_t count) {
    // The modes of both halves need not be the outermost of several levels.
    const auto [first, last] = ends_of(h);
    std::vector<double> level(count);
    for (std::size_t k = 0; k < count; ++k)
        level[k] = h.middle(first) + (h.middle(last) - h.middle(first)) * static_cast<double>(k) /
                                         static_cast<double>(count - 1);
    for (int round = 0; round < 50; ++round) {
        std::vector<double> sum(count), weight(count);
        std::size_t k = 0;
        for (std::size_t bin = 0; bin < h.count.size(); ++bin) {
            const double v = h.middle(bin);
            while (k + 1 < count && v > (level[k] + level[k + 1]) / 2) ++k;
            const auto n = static_cast<double>(h.count[bin]);
            sum[k] += n * v;
            weight[k] += n;
        }
        double moved = 0;
        for (std::size_t i = 0; i < count; ++i) {
            if (weight[i] == 0) continue;
            moved = std::max(moved, std::abs(sum[i] / weight[i] - level[i]));
            level[i] = sum[i] / weight[i];
        }
        if (moved < 1e-6 * (h.highest - h.lowest)) break;
    }
    return level;
}

}  // namespace rt
