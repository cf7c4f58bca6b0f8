#include "core/serial/edges.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <span>

#include "core/base/simd.hpp"
#include "core/dsp/parallel.hpp"
#include "core/signal/interpolate.hpp"

namespace rt {
namespace {

constexpr std::size_t block = 1 << 16;  // fits the cache of a core
constexpr std::size_t margin = 64;      // read to both sides of a block for the interpolation

// First sample from `at` on that is above (or below) the level; `end` when there is none.
RT_SIMD std::size_t first_above(const float* v, std::size_t at, std::size_t end, float level) {
    constexpr std::size_t lanes = 32;
    for (; at + lanes <= end; at += lanes) {
        int any = 0;
        for (std::size_t k = 0; k < lanes; ++k) any |= v[at + k] > level;
        if (any) break;
    }
    for (; at < end; ++at) {
        if (v[at] > level) return at;
    }
    return end;
}

RT_SIMD std::size_t first_below(const float* v, std::size_t at, std::size_t end, float level) {
    constexpr std::size_t lanes = 32;
    for (; at + lanes <= end; at += lanes) {
        int any = 0;
        for (std::size_t k = 0; k < lanes; ++k) any |= v[at + k] < level;
        if (any) break;
    }
    for (; at < end; ++at) {
        if (v[at] < level) return at;
    }
    return end;
}

// The band-limited signal between samples of a block.
class Between {
  public:
    explicit Between(std::span<const float> values) : v_(values) {}

    // Where it crosses `level` between sample k and the next.
    double crossing(std::size_t k, double level) const {
        const auto at = started(k, level);
        return at.done ? at.place : finished(k, level, at.place, interpolated(k, at.place));
    }

    // Of all k, in samples from `offset`: the first tangents all at once, which is most of the work.
    void crossings(const std::vector<std::uint32_t>& all, double level, double offset,
                   std::vector<double>& out) const {
        std::vector<std::uint32_t> first(all.size());
        std::vector<double> place(all.size());
        std::vector<ValueAndSlope> seen(all.size());
        std::vector<bool> done(all.size());
        for (std::size_t i = 0; i < all.size(); ++i) {
            const auto [at, is_done] = started(all[i], level);
            place[i] = at, done[i] = is_done;
            first[i] = whole(all[i]) ? all[i] + 1 - reach : 0;
        }
        if (v_.size() >= std::size_t{2} * reach) real_values_between(v_.data(), first, place, seen);
        for (std::size_t i = 0; i < all.size(); ++i) {
            const std::size_t k = all[i];
            if (!whole(k)) seen[i] = interpolated(k, place[i]);
            out.push_back(offset + static_cast<double>(k) +
                          (done[i] ? place[i] : finished(k, level, place[i], seen[i])));
        }
    }

  private:
    double value(std::size_t k) const { return static_cast<double>(v_[k]); }

    struct Start {
        double place;
        bool done;
    };
    Start started(std::size_t k, double level) const {
        const double a = value(k) - level, b = value(k + 1) - level;
        if (a == b) return {0.5, true};
        const double straight = a / (a - b);
        if (k == 0 || k + 2 >= v_.size()) return {straight, false};
        const double p = value(k - 1) - level, s = value(k + 2) - level;
        // A step of one sample is no band-limited signal: ringing would be made up.
        if (std::max(std::abs(a - p), std::abs(s - b)) < 0.3 * std::abs(b - a)) return {straight, true};
        // One step along the cubic through four samples.
        const double c1 = b - p / 3 - a / 2 - s / 6, c2 = (p + b) / 2 - a, c3 = (s - p) / 6 + (a - b) / 2;
        const double x = straight, off = a + x * (c1 + x * (c2 + x * c3));
        const double next = x - off / (c1 + x * (2 * c2 + x * 3 * c3));
        return {next > 0 && next < 1 ? next : x, false};
    }

    // Tangents within a bracket, from what is seen at a place.
    double finished(std::size_t k, double level, double at, ValueAndSlope seen) const {
        const bool rises = value(k) < level;
        double low = 0, high = 1;
        for (int round = 0;; ++round) {
            ((seen.value < level) == rises ? low : high) = at;
            const double next = at - (seen.value - level) / seen.slope;
            // What a tangent misses is the square of its step, with the curvature that the band allows.
            constexpr double short_step = 0.01;
            constexpr int most = 8;
            const bool inside = next >= low && next <= high;
            if (inside && std::abs(next - at) < short_step) return next;
            at = inside ? next : (low + high) / 2;
            if (round == most) return at;
            seen = interpolated(k, at);
        }
    }

    static constexpr auto reach = static_cast<std::uint32_t>(interpolation_reach);
    bool whole(std::size_t k) const { return k + 1 >= reach && k + reach < v_.size(); }

    ValueAndSlope interpolated(std::size_t k, double fraction) const {
        if (whole(k)) return real_value_between(v_.data() + (k + 1 - reach), fraction);
        // Close to the ends of the record a straight line has to do.
        const double slope = value(k + 1) - value(k);
        return {value(k) + fraction * slope, slope};
    }

    std::span<const float> v_;
};

// What one piece of the record tells, whatever came before it.
struct Piece {
    std::vector<float> values;     // of the piece, and some to both sides
    std::size_t from = 0, to = 0;  // the piece itself
    double offset = 0;             // of the first value in the record
    std::vector<std::uint32_t>
        before;              // the samples before crossings after the first one outside of the band
    std::vector<double> at;  // those crossings
    bool known = false;      // whether there is such a sample
    std::size_t first_outside = 0;
    bool begins_high = false, ends_high = false;
    Extent extent;
};

class Search {
  public:
    Search(const WaveSamples& samples, const EdgeSettings& s)
        : samples_(samples),
          threshold_(static_cast<float>(s.threshold)),
          low_(static_cast<float>(s.threshold - s.hysteresis)),
          high_(static_cast<float>(s.threshold + s.hysteresis)) {}

    void go_through(Piece& piece, std::uint64_t first) const {
        const std::uint64_t size = samples_.size();
        const std::uint64_t ahead = std::min<std::uint64_t>(first, margin);
        const std::uint64_t count = std::min<std::uint64_t>(block, size - first);
        const std::uint64_t after = std::min<std::uint64_t>(margin, size - first - count);
        piece.values.resize(static_cast<std::size_t>(ahead + count + after));
        samples_.read(first - ahead, piece.values);
        piece.offset = static_cast<double>(first - ahead);
        piece.from = static_cast<std::size_t>(ahead), piece.to = piece.from + static_cast<std::size_t>(count);
        piece.at.clear(), piece.before.clear();
        piece.extent = extent_of(std::span(piece.values).subspan(piece.from, piece.to - piece.from));
        const float* v = piece.values.data();
        std::size_t at = piece.from;
        while (at < piece.to && v[at] <= high_ && v[at] >= low_) ++at;
        piece.known = at < piece.to;
        if (!piece.known) return;
        piece.first_outside = at;
        bool is_high = v[at] > high_;
        piece.begins_high = is_high;
        while (at < piece.to) {
            at = is_high ? first_below(v, at, piece.to, low_) : first_above(v, at, piece.to, high_);
            if (at == piece.to) break;
            // The last crossing before the signal leaves the band on the other side.
            std::size_t last = at;
            while (is_high ? v[last - 1] < threshold_ : v[last - 1] > threshold_) --last;
            piece.before.push_back(static_cast<std::uint32_t>(last - 1));
            is_high = !is_high;
        }
        piece.ends_high = is_high;
        Between(piece.values)
            .crossings(piece.before, static_cast<double>(threshold_), piece.offset, piece.at);
    }

    // The last crossing before `place`, where the signal has just left the band upwards or downwards.
    double crossing_before(std::uint64_t place, bool upwards) const {
        constexpr std::uint64_t reach = 1 << 14;
        std::vector<float> values;
        for (std::uint64_t end = place + margin;;) {
            const std::uint64_t to = std::min(end, samples_.size());
            const std::uint64_t from = to > reach ? to - reach : 0;
            values.resize(static_cast<std::size_t>(to - from));
            samples_.read(from, values);
            auto last = static_cast<std::size_t>(std::min(place, to - 1) - from);
            while (last > 0 && (upwards ? values[last - 1] > threshold_ : values[last - 1] < threshold_))
                --last;
            if (last > 0) {
                return static_cast<double>(from + last - 1) +
                       Between(values).crossing(last - 1, static_cast<double>(threshold_));
            }
            if (from == 0) return 0;
            place = from + 1;
            end = place + margin;
        }
    }

  private:
    const WaveSamples& samples_;
    float threshold_, low_, high_;
};

}  // namespace

Edges find_edges(const WaveSamples& samples, const EdgeSettings& settings) {
    Edges out;
    const Search search(samples, settings);
    const std::uint64_t size = samples.size();
    std::vector<Piece> pieces(32);
    bool known = false, is_high = false;
    for (std::uint64_t at = 0; at < size && out.size() < settings.most; at += pieces.size() * block) {
        const auto count =
            static_cast<std::size_t>(std::min<std::uint64_t>(pieces.size(), (size - at + block - 1) / block));
        in_parallel(count, [&](std::size_t k) { search.go_through(pieces[k], at + k * block); });
        for (std::size_t k = 0; k < count && out.size() < settings.most; ++k) {
            const Piece& piece = pieces[k];
            out.extent.add(piece.extent);
            out.searched = std::min(size, at + (k + 1) * block);
            if (!piece.known) continue;
            if (!known) out.first_rises = !piece.begins_high;
            if (known && is_high != piece.begins_high) {
                const auto place = static_cast<std::uint64_t>(piece.offset) +
                                   static_cast<std::uint64_t>(piece.first_outside);
                out.at.push_back(search.crossing_before(place, piece.begins_high));
            }
            out.at.insert(out.at.end(), piece.at.begin(), piece.at.end());
            known = true;
            is_high = piece.ends_high;
        }
    }
    if (out.size() > settings.most) out.at.resize(settings.most);
    return out;
}

}  // namespace rt
