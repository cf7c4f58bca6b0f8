// An eye: every sample is placed at its phase within its symbol (straight lines between the recovered edges)
// and counted into a grid of columns x rows. In the same pass: samples inside the mask, each exactly; the
// growth at which the mask would be met (cells that no region reaches at a growth below the least so far are
// passed over unread); levels over the window in the middle of the symbol. The record is taken in 16 shares
// side by side, which are added in their order: the result does not depend on the number of threads. Of a
// record with fewer than half as many samples a symbol as the grid has columns a second grid is drawn with
// straight lines between samples: to look at only.
#include "core/serial/eye.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/simd.hpp"
#include "core/dsp/parallel.hpp"

namespace rt {
namespace {

struct VoltageSums {
    std::uint64_t samples = 0;
    double sum = 0, squares = 0, lowest = 1e300, highest = -1e300;

    void take(double volts) {
        sum += volts;
        squares += volts * volts;
        lowest = std::min(lowest, volts);
        highest = std::max(highest, volts);
        ++samples;
    }
    void add(const VoltageSums& from) {
        samples += from.samples;
        sum += from.sum, squares += from.squares;
        lowest = std::min(lowest, from.lowest), highest = std::max(highest, from.highest);
    }
};

// Of symbols without a sample in the window, the sample nearest to the middle is kept apart.
struct LevelSums {
    std::uint64_t symbols = 0, within = 0;
    VoltageSums window, nearest;
};

// Next whole number, for values that are not far below zero; without a call for each.
std::int64_t whole_above(double v) {
    const auto whole = static_cast<std::int64_t>(v);
    return whole + (v > static_cast<double>(whole));
}

// What one share of the record adds to the eye.
struct Part {
    std::vector<std::uint32_t> cell_of;  // of each sample of a symbol
    std::vector<std::uint32_t> count;
    std::vector<LevelSums> levels;
    std::uint64_t symbols = 0, samples = 0, hit_samples = 0, hit_symbols = 0;
    std::vector<MaskHit> hits;
    double growth = 1 + Eye::most_growth, spare = 1e300;
    double crossing_sum = 0;
    std::uint64_t crossings = 0;
};

// For every cell the least growth at which a region reaches any place of it, to pass most samples by.
std::vector<float> cell_growth(const EyeSettings& s) {
    std::vector<float> out(s.columns * s.rows, static_cast<float>(2 + Eye::most_growth));
    const double dy = (s.high_v - s.low_v) / static_cast<double>(s.rows);
    const double dx = 1 / static_cast<double>(s.columns);
    for (std::size_t row = 0; row < s.rows; ++row) {
        for (std::size_t column = 0; column < s.columns; ++column) {
            const double x = (static_cast<double>(column)) * dx, y = s.low_v + static_cast<double>(row) * dy;
            for (const auto& region : s.mask.regions) {
                // A convex function is least at a corner or inside: inside only around its middle.
                double least = 1e300;
                if (!region.convex()) least = 0;
                for (int corner = 0; corner < 4 && region.convex(); ++corner)
                    least = std::min(least, region.growth_to(x + (corner & 1) * dx, y + (corner >> 1) * dy));
                const double slack = 0.75 * (std::abs(region.growth_to(x + dx, y) - region.growth_to(x, y)) +
                                             std::abs(region.growth_to(x, y + dy) - region.growth_to(x, y)));
                auto& cell = out[row * s.columns + column];
                cell = std::min(cell, static_cast<float>(region.convex() ? least - slack : least));
            }
        }
    }
    return out;
}

struct Grid {
    float x, dx, low, scale;
    int last_column, last_row, columns;
};

// The cell of each sample.
RT_SIMD void cells_of(const float* v, std::size_t count, const Grid& g, std::uint32_t* out) {
    for (std::size_t i = 0; i < count; ++i) {
        int column = static_cast<int>(g.x + g.dx * static_cast<float>(static_cast<int>(i)));
        column = column > g.last_column ? g.last_column : column;
        int row = static_cast<int>((v[i] - g.low) * g.scale);
        row = row < 0 ? 0 : row;
        row = row > g.last_row ? g.last_row : row;
        out[i] = static_cast<std::uint32_t>(row * g.columns + column);
    }
}

class Maker {
  public:
    Maker(const WaveSamples& samples, double step_s, const Clock& clock, const EyeSettings& settings)
        : samples_(samples),
          step_(step_s),
          clock_(clock),
          s_(settings),
          bounds_(settings.mask.regions.empty() ? std::vector<float>{} : cell_growth(settings)) {}

    // Symbols between edges `from` and `to`.
    void add(Part& part, std::size_t from, std::size_t to) {
        part.count.resize(s_.columns * s_.rows);
        part.levels.resize(s_.levels.size());
        std::vector<float> values;
        constexpr std::uint64_t piece = 1 << 15;
        std::uint64_t first = 0, last = 0;  // samples held
        const std::uint64_t size = samples_.size();
        std::size_t before = s_.levels.size();
        for (std::size_t k = from; k < to; ++k) {
            const double begin = clock_.place_s(k) / step_, end = clock_.place_s(k + 1) / step_;
            const std::uint32_t steps = clock_.bit[k + 1] - clock_.bit[k];
            const double length = (end - begin) / steps;
            for (std::uint32_t i = 0; i < steps; ++i) {
                const double at = begin + length * i;
                if (at < 0 || at + length > static_cast<double>(size) || !(length > 0)) continue;
                const auto a = static_cast<std::uint64_t>(whole_above(at)),
                           b = static_cast<std::uint64_t>(whole_above(at + length));
                if (b > size) continue;
                const auto low = static_cast<double>(a);
                const std::uint64_t wanted = a > 0 ? a - 1 : 0;  // one more, for the crossing
                if (b > last || wanted < first || last == 0) {
                    first = wanted;
                    last = std::min(size, std::max(a + piece, b));
                    values.resize(static_cast<std::size_t>(last - first));
                    samples_.read(first, values);
                }
                symbol(part, values.data() + (a - first), static_cast<std::size_t>(b - a),
                       (low - at) / length, 1 / length, low, clock_.bit[k] + i, before);
            }
        }
    }

  private:
    // `count` samples; the first stands at `x` of the eye, the others `dx` apart.
    void symbol(Part& part, const float* v, std::size_t count, double x, double dx, double sample,
                std::uint64_t number, std::size_t& before) {
        if (count == 0) return;
        const double half = s_.window / 2;
        const double per_ui = 1 / dx, until = (0.5 + half - x) * per_ui;
        const auto from = static_cast<std::size_t>(whole_above(std::max(0.0, (0.5 - half - x) * per_ui)));
        const std::size_t to = until < 0 ? 0 : std::min(count, static_cast<std::size_t>(until) + 1);
        const std::size_t middle =
            std::min(count - 1, static_cast<std::size_t>(std::max(0.0, (0.5 - x) * per_ui + 0.5)));
        const std::size_t value = nearest(static_cast<double>(v[middle]));
        const bool known = before < s_.levels.size(), transition = known && before != value;
        const bool left_out = (s_.symbols == EyeSettings::Symbols::transition && !transition) ||
                              (s_.symbols == EyeSettings::Symbols::steady && (!known || transition));
        if (left_out) {
            before = value;
            return;
        }
        LevelSums& level = part.levels[value];
        if (from < to) {
            for (std::size_t i = from; i < to; ++i) level.window.take(static_cast<double>(v[i]));
            ++level.within;
        } else {
            level.nearest.take(static_cast<double>(v[middle]));
        }
        ++level.symbols;
        ++part.symbols;
        part.samples += count;
        if (transition && value + before == s_.levels.size() - 1 && sample > 0) {
            const double share = (dx - x) / dx;
            part.crossing_sum += static_cast<double>(v[-1]) + share * static_cast<double>(v[0] - v[-1]);
            ++part.crossings;
        }
        before = value;

        const auto fx = static_cast<float>(x * static_cast<double>(s_.columns));
        const auto fdx = static_cast<float>(dx * static_cast<double>(s_.columns));
        const auto low = static_cast<float>(s_.low_v);
        const auto scale = static_cast<float>(static_cast<double>(s_.rows) / (s_.high_v - s_.low_v));
        const auto last_column = static_cast<int>(s_.columns) - 1, last_row = static_cast<int>(s_.rows) - 1;
        std::uint32_t* cells = part.count.data();
        const float* bounds = bounds_.empty() ? nullptr : bounds_.data();
        bool hit = false;
        std::vector<std::uint32_t>& cell_of = part.cell_of;
        if (cell_of.size() < count) cell_of.resize(count);
        cells_of(v, count, {fx, fdx, low, scale, last_column, last_row, static_cast<int>(s_.columns)},
                 cell_of.data());
        for (std::size_t i = 0; i < count; ++i) ++cells[cell_of[i]];
        for (std::size_t i = 0; bounds && i < count; ++i) {
            const auto cell = static_cast<std::size_t>(cell_of[i]);
            if (static_cast<double>(bounds[cell]) < part.growth) {
                const double at = x + dx * static_cast<double>(i), volts = static_cast<double>(v[i]);
                for (const auto& region : s_.mask.regions) {
                    if (region.convex()) part.growth = std::min(part.growth, region.growth_to(at, volts));
                }
            }
            if (bounds[cell] < 1) {
                const double at = x + dx * static_cast<double>(i), volts = static_cast<double>(v[i]);
                const bool in = std::any_of(s_.mask.regions.begin(), s_.mask.regions.end(),
                                            [&](const MaskRegion& r) { return r.holds(at, volts); });
                if (in) note(part, hit, sample + static_cast<double>(i), at, volts, number);
            }
        }
        limits(part, v, count, x, dx, sample, number, transition, hit);
        part.hit_symbols += hit;
    }

    void limits(Part& part, const float* v, std::size_t count, double x, double dx, double sample,
                std::uint64_t number, bool transition, bool& hit) const {
        const auto& m = s_.mask;
        const auto& upper = transition && m.upper_transition_v ? m.upper_transition_v : m.upper_v;
        const auto& lower = transition && m.lower_transition_v ? m.lower_transition_v : m.lower_v;
        if (!upper && !lower) return;
        for (std::size_t i = 0; i < count; ++i) {
            const auto volts = static_cast<double>(v[i]);
            double spare = 1e300;
            if (upper) spare = *upper - volts;
            if (lower) spare = std::min(spare, volts - *lower);
            part.spare = std::min(part.spare, spare);
            if (spare < 0)
                note(part, hit, sample + static_cast<double>(i), x + dx * static_cast<double>(i), volts,
                     number);
        }
    }

    void note(Part& part, bool& hit, double sample, double x, double volts, std::uint64_t number) const {
        hit = true;
        ++part.hit_samples;
        if (part.hits.size() < s_.most_hits) part.hits.push_back({sample * step_, x, volts, number});
    }

    std::size_t nearest(double volts) const {
        std::size_t k = 0;
        while (k + 1 < s_.levels.size() && volts > (s_.levels[k] + s_.levels[k + 1]) / 2) ++k;
        return k;
    }

    const WaveSamples& samples_;
    double step_;
    const Clock& clock_;
    const EyeSettings& s_;
    std::vector<float> bounds_;
};

void merge(Eye& eye, std::vector<LevelSums>& levels, const Part& part, std::size_t most_hits) {
    for (std::size_t i = 0; i < part.count.size(); ++i) eye.count[i] += part.count[i];
    eye.symbols += part.symbols;
    eye.samples += part.samples;
    eye.hit_samples += part.hit_samples;
    eye.hit_symbols += part.hit_symbols;
    eye.growth = std::min(eye.growth, part.growth - 1);
    eye.spare_v = std::min(eye.spare_v, part.spare);
    for (const auto& hit : part.hits) {
        if (eye.hits.size() < most_hits) eye.hits.push_back(hit);
    }
    for (std::size_t k = 0; k < part.levels.size(); ++k) {
        const LevelSums& from = part.levels[k];
        LevelSums& to = levels[k];
        to.symbols += from.symbols, to.within += from.within;
        to.window.add(from.window);
        to.nearest.add(from.nearest);
    }
}

}  // namespace

Eye make_eye(const WaveSamples& samples, double step_s, const Clock& clock, const EyeSettings& settings) {
    Eye eye;
    eye.columns = settings.columns, eye.rows = settings.rows;
    eye.low_v = settings.low_v, eye.high_v = settings.high_v;
    eye.count.resize(eye.columns * eye.rows);
    eye.spare_v = 1e300;
    const std::size_t edges = clock.bit.size();
    std::vector<LevelSums> levels(settings.levels.size());
    if (edges < clock.settled + 2) return eye;
    Maker maker(samples, step_s, clock, settings);
    constexpr std::size_t shares = 16;
    std::vector<Part> parts(shares);
    const std::size_t spans = edges - 1 - clock.settled;
    in_parallel(shares, [&](std::size_t s) {
        maker.add(parts[s], clock.settled + spans * s / shares, clock.settled + spans * (s + 1) / shares);
    });
    double crossing = 0, crossings = 0;
    for (const Part& part : parts) {
        merge(eye, levels, part, settings.most_hits);
        crossing += part.crossing_sum;
        crossings += static_cast<double>(part.crossings);
    }
    if (crossings > 0) eye.crossing_v = crossing / crossings;
    for (const LevelSums& sums : levels) {
        LevelSeen seen;
        seen.symbols = sums.symbols;
        seen.within = sums.within;
        const VoltageSums& used = sums.within > 0 ? sums.window : sums.nearest;
        if (used.samples > 0) {
            const auto n = static_cast<double>(used.samples);
            seen.mean = used.sum / n;
            seen.sigma = std::sqrt(std::max(0.0, used.squares / n - seen.mean * seen.mean));
            seen.lowest = used.lowest, seen.highest = used.highest;
        }
        eye.levels.push_back(seen);
    }
    return eye;
}

void join_samples(Eye& eye, const WaveSamples& samples, double step_s, const Clock& clock) {
    if (eye.symbols == 0 || 2 * eye.samples >= eye.columns * eye.symbols) return;
    constexpr std::size_t most_symbols = 20000, piece = 1 << 16;
    eye.joined.assign(eye.count.size(), 0);
    std::vector<float> values;
    std::uint64_t first = 0, last = 0;
    const double scale = static_cast<double>(eye.rows) / (eye.high_v - eye.low_v);
    std::size_t drawn = 0;
    for (std::size_t k = clock.settled; k + 1 < clock.bit.size() && drawn < most_symbols; ++k) {
        const double begin = clock.place_s(k) / step_s, end = clock.place_s(k + 1) / step_s;
        const std::uint32_t steps = clock.bit[k + 1] - clock.bit[k];
        for (std::uint32_t i = 0; i < steps; ++i, ++drawn) {
            const double length = (end - begin) / steps, at = begin + length * i;
            if (at < 0 || at + length + 1 >= static_cast<double>(samples.size())) continue;
            const auto a = static_cast<std::uint64_t>(at), b = static_cast<std::uint64_t>(at + length) + 2;
            if (a < first || b > last) {
                first = a;
                last = std::min(samples.size(), std::max<std::uint64_t>(a + piece, b));
                values.resize(static_cast<std::size_t>(last - first));
                samples.read(first, values);
            }
            for (std::size_t column = 0; column < eye.columns; ++column) {
                const double x = (static_cast<double>(column) + 0.5) / static_cast<double>(eye.columns);
                const double place = at + x * length - static_cast<double>(first);
                const auto below = static_cast<std::size_t>(place);
                const double share = place - static_cast<double>(below);
                const double v = static_cast<double>(values[below]) * (1 - share) +
                                 static_cast<double>(values[below + 1]) * share;
                const double row =
                    std::clamp((v - eye.low_v) * scale, 0.0, static_cast<double>(eye.rows - 1));
                ++eye.joined[static_cast<std::size_t>(row) * eye.columns + column];
            }
        }
    }
}

double open_width(const Eye& eye, double volts, double at_x) {
    const double place = (volts - eye.low_v) / (eye.high_v - eye.low_v) * static_cast<double>(eye.rows);
    const auto row = static_cast<std::size_t>(std::clamp(place, 0.0, static_cast<double>(eye.rows - 1)));
    const auto middle = static_cast<std::size_t>(at_x * static_cast<double>(eye.columns));
    const std::uint32_t* cells = eye.count.data() + row * eye.columns;
    std::size_t from = middle, to = middle;
    if (cells[middle] > 0) return 0;
    while (from > 0 && cells[from - 1] == 0) --from;
    while (to < eye.columns && cells[to] == 0) ++to;
    return static_cast<double>(to - from) / static_cast<double>(eye.columns);
}

}  // namespace rt
