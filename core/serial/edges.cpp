#include "core/serial/edges.hpp"

#include <algorithm>
#include <bit>
#include <cmath>
#include <optional>
#include <span>

#if defined(__SSE2__)
#include <emmintrin.h>
#endif

#include "core/base/simd.hpp"
#include "core/dsp/parallel.hpp"
#include "core/signal/interpolate.hpp"

namespace rt {
namespace {

constexpr std::size_t block = 1 << 16;  // fits the cache of a core
constexpr std::size_t margin = 64;      // read to both sides of a block for the interpolation

// Which samples lie below the band and which above it, a bit for each, sample 0 lowest in the first word.
struct Marks {
    std::vector<std::uint64_t> below, above;

    void set(std::span<const float> values, float low, float high) {
        const std::size_t whole = values.size() / 64;
        below.resize(whole + 1), above.resize(whole + 1);
        for (std::size_t word = 0; word < whole; ++word) {
            below[word] = bits<false>(values.data() + 64 * word, low);
            above[word] = bits<true>(values.data() + 64 * word, high);
        }
        below[whole] = above[whole] = 0;
        for (std::size_t k = 64 * whole; k < values.size(); ++k) {
            below[whole] |= std::uint64_t{values[k] < low} << (k % 64);
            above[whole] |= std::uint64_t{values[k] > high} << (k % 64);
        }
    }

    // The first sample from `at` on that is marked; `end` when there is none before it.
    static std::size_t next(const std::vector<std::uint64_t>& marks, std::size_t at, std::size_t end) {
        std::size_t word = at / 64;
        std::uint64_t left = marks[word] >> (at % 64) << (at % 64);
        while (left == 0) {
            if (++word * 64 >= end) return end;
            left = marks[word];
        }
        return std::min(end, word * 64 + static_cast<std::size_t>(std::countr_zero(left)));
    }

  private:
    template <bool upwards>
    static std::uint64_t bits(const float* v, float level) {
        std::uint64_t out = 0;
#if defined(__SSE2__)
        const __m128 all = _mm_set1_ps(level);
        const auto beyond = [&](const float* at) {
            const __m128 here = _mm_loadu_ps(at);
            return _mm_castps_si128(upwards ? _mm_cmpgt_ps(here, all) : _mm_cmplt_ps(here, all));
        };
        for (int k = 0; k < 64; k += 16) {
            const __m128i first = _mm_packs_epi32(beyond(v + k), beyond(v + k + 4));
            const __m128i second = _mm_packs_epi32(beyond(v + k + 8), beyond(v + k + 12));
            const auto sixteen = static_cast<unsigned>(_mm_movemask_epi8(_mm_packs_epi16(first, second)));
            out |= std::uint64_t{sixteen} << k;
        }
#else
        for (int k = 0; k < 64; ++k) out |= std::uint64_t{upwards ? v[k] > level : v[k] < level} << k;
#endif
        return out;
    }
};

// Crossings as they are looked for, all at once: the samples around each, without the level, and where it is.
struct Crossings {
    std::vector<std::uint32_t> first;               // of the samples that are interpolated
    std::vector<double> before, low, high, behind;  // the four around it
    std::vector<double> place;                      // behind the sample before it
    std::vector<double> open;                       // 1 while the place is not settled
    std::vector<ValueAndSlope> seen;                // at the place

    void resize(std::size_t count) {
        first.resize(count), seen.resize(count);
        for (auto* all : {&before, &low, &high, &behind, &place, &open}) all->resize(count);
    }
};

// The crossing of the straight line, and from there one step along the cubic through four samples.
RT_SIMD void begin(Crossings& c) {
    const double *p = c.before.data(), *a = c.low.data(), *b = c.high.data(), *s = c.behind.data();
    double *place = c.place.data(), *open = c.open.data();
    for (std::size_t i = 0; i < c.place.size(); ++i) {
        const double rise = b[i] - a[i], x = rise == 0 ? 0.5 : -a[i] / rise;
        // A step of one sample is no band-limited signal: ringing would be made up.
        const bool step = std::max(std::abs(a[i] - p[i]), std::abs(s[i] - b[i])) < 0.3 * std::abs(rise);
        const bool settled = step || rise == 0;
        const double c1 = b[i] - p[i] / 3 - a[i] / 2 - s[i] / 6, c2 = (p[i] + b[i]) / 2 - a[i];
        const double c3 = (s[i] - p[i]) / 6 + (a[i] - b[i]) / 2;
        const double off = a[i] + x * (c1 + x * (c2 + x * c3));
        const double next = x - off / (c1 + x * (2 * c2 + x * 3 * c3));
        place[i] = !settled && next > 0 && next < 1 ? next : x;
        open[i] = settled ? 0 : 1;
    }
}

// What a tangent misses is the square of its step, with the curvature that the band allows.
constexpr double short_step = 0.01;

// One tangent for all that are open; those with a short step are settled.
RT_SIMD void step(Crossings& c, double level) {
    double *place = c.place.data(), *open = c.open.data();
    const ValueAndSlope* seen = c.seen.data();
    const std::size_t count = c.place.size();
    for (std::size_t i = 0; i < count; ++i) {
        const double next = place[i] - (seen[i].value - level) / seen[i].slope;
        const double moved = std::abs(next - place[i]);
        // All of it is looked at: without a choice in between the loop is made wide.
        const bool settles = (open[i] > 0) & (next >= 0) & (next <= 1) & (moved < short_step);
        place[i] = settles ? next : place[i];
        open[i] = settles ? 0 : open[i];
    }
}

// The band-limited signal between samples of a block.
class Between {
  public:
    explicit Between(std::span<const float> values) : v_(values) {}

    // Where it crosses `level` between each of these samples and the next, in samples from `offset`.
    void crossings(const std::vector<std::uint32_t>& all, double level, double offset,
                   std::vector<double>& out) const {
        static thread_local Crossings c;
        c.resize(all.size());
        for (std::size_t i = 0; i < all.size(); ++i) {
            const std::uint32_t k = all[i];
            const double a = value(k) - level, b = value(k + 1) - level;
            c.low[i] = a, c.high[i] = b;
            // Beyond the ends the straight line goes on.
            c.before[i] = k > 0 ? value(k - 1) - level : 2 * a - b;
            c.behind[i] = k + 2 < v_.size() ? value(k + 2) - level : 2 * b - a;
            c.first[i] = whole(k) ? k + 1 - reach : 0;
        }
        begin(c);
        if (v_.size() >= std::size_t{2} * reach) real_values_between(v_.data(), c.first, c.place, c.seen);
        for (std::size_t i = 0; i < all.size(); ++i)
            if (!whole(all[i])) c.seen[i] = interpolated(all[i], c.place[i]);
        step(c, level);
        out.resize(all.size());
        for (std::size_t i = 0; i < all.size(); ++i) {
            if (c.open[i] > 0) c.place[i] = finished(all[i], level, c.place[i], c.seen[i]);
            out[i] = offset + static_cast<double>(all[i]) + c.place[i];
        }
    }

  private:
    double value(std::size_t k) const { return static_cast<double>(v_[k]); }

    // Tangents within a bracket, from what is seen at a place.
    double finished(std::size_t k, double level, double at, ValueAndSlope seen) const {
        const bool rises = value(k) < level;
        double low = 0, high = 1;
        for (int round = 0;; ++round) {
            ((seen.value < level) == rises ? low : high) = at;
            const double next = at - (seen.value - level) / seen.slope;
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
    std::vector<double> at;           // crossings after the first sample outside of the band
    bool known = false;               // whether there is such a sample
    std::uint64_t first_outside = 0;  // its place in the record
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
        static thread_local std::vector<float> values;          // of the piece, and some to both sides
        static thread_local std::vector<std::uint32_t> before;  // samples before crossings
        values.resize(static_cast<std::size_t>(ahead + count + after));
        samples_.read(first - ahead, values);
        const auto from = static_cast<std::size_t>(ahead), to = from + static_cast<std::size_t>(count);
        piece.at.clear(), before.clear();
        piece.extent = extent_of(std::span(values).subspan(from, to - from));
        const float* v = values.data();
        std::size_t at = from;
        while (at < to && v[at] <= high_ && v[at] >= low_) ++at;
        piece.known = at < to;
        if (!piece.known) return;
        piece.first_outside = first - ahead + at;
        bool is_high = v[at] > high_;
        piece.begins_high = is_high;
        static thread_local Marks marks;
        marks.set(values, low_, high_);
        while (at < to) {
            at = Marks::next(is_high ? marks.below : marks.above, at, to);
            if (at == to) break;
            // The last crossing before the signal leaves the band on the other side.
            std::size_t last = at;
            while (is_high ? v[last - 1] < threshold_ : v[last - 1] > threshold_) --last;
            before.push_back(static_cast<std::uint32_t>(last - 1));
            is_high = !is_high;
        }
        piece.ends_high = is_high;
        Between(values).crossings(before, static_cast<double>(threshold_), static_cast<double>(first - ahead),
                                  piece.at);
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
                std::vector<double> out;
                Between(values).crossings({static_cast<std::uint32_t>(last - 1)},
                                          static_cast<double>(threshold_), static_cast<double>(from), out);
                return out[0];
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
    // Many at a time, so that no core waits long for another; enough of one go to know how many edges are to
    // come.
    std::vector<Piece> pieces(256);
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
                out.at.push_back(search.crossing_before(piece.first_outside, piece.begins_high));
            }
            out.at.insert(out.at.end(), piece.at.begin(), piece.at.end());
            known = true;
            is_high = piece.ends_high;
        }
        if (at == 0 && size > out.searched)
            out.at.reserve(std::min(
                settings.most,
                static_cast<std::size_t>(1.1 * static_cast<double>(out.size()) * static_cast<double>(size) /
                                         static_cast<double>(out.searched))));
    }
    if (out.size() > settings.most) out.at.resize(settings.most);
    return out;
}

}  // namespace rt
