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
    double crossing(std::size_t k, float threshold) const {
        const auto level = static_cast<double>(threshold);
        const double a = value(k) - level, b = value(k + 1) - level;
        if (a == b) return 0.5;
        const double straight = a / (a - b);
        // A step of one sample is no band-limited signal: ringing would be made up.
        const double before = k > 0 ? std::abs(value(k) - value(k - 1)) : 0;
        const double after = k + 2 < v_.size() ? std::abs(value(k + 2) - value(k + 1)) : 0;
        if (std::max(before, after) < 0.3 * std::abs(b - a)) return straight;
        double low = 0, f_low = a, high = 1, f_high = b, at = straight;
        for (int round = 0; round < 6; ++round) {
            const double f = interpolated(k, at) - level;
            if ((f < 0) == (f_low < 0)) {
                low = at, f_low = f;
            } else {
                high = at, f_high = f;
            }
            const double next = low + (high - low) * (f_low == f_high ? 0.5 : f_low / (f_low - f_high));
            if (std::abs(next - at) < 1e-4) return next;
            at = next;
        }
        return at;
    }

  private:
    double value(std::size_t k) const { return static_cast<double>(v_[k]); }

    double interpolated(std::size_t k, double fraction) const {
        // Close to the ends of the record a straight line has to do.
        constexpr auto reach = static_cast<std::size_t>(interpolation_reach);
        if (k + 1 < reach || k + reach >= v_.size()) return value(k) + fraction * (value(k + 1) - value(k));
        return real_value_between(v_.data() + (k + 1 - reach), fraction);
    }

    std::span<const float> v_;
};

// What one piece of the record tells, whatever came before it.
struct Piece {
    std::vector<float> values;     // of the piece, and some to both sides
    std::size_t from = 0, to = 0;  // the piece itself
    double offset = 0;             // of the first value in the record
    std::vector<double> at;        // crossings after the first sample outside of the band
    bool known = false;            // whether there is such a sample
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
        piece.at.clear();
        piece.extent = extent_of(std::span(piece.values).subspan(piece.from, piece.to - piece.from));
        const float* v = piece.values.data();
        std::size_t at = piece.from;
        while (at < piece.to && v[at] <= high_ && v[at] >= low_) ++at;
        piece.known = at < piece.to;
        if (!piece.known) return;
        piece.first_outside = at;
        bool is_high = v[at] > high_;
        piece.begins_high = is_high;
        const Between between(piece.values);
        while (at < piece.to) {
            at = is_high ? first_below(v, at, piece.to, low_) : first_above(v, at, piece.to, high_);
            if (at == piece.to) break;
            // The last crossing before the signal leaves the band on the other side.
            std::size_t last = at;
            while (is_high ? v[last - 1] < threshold_ : v[last - 1] > threshold_) --last;
            piece.at.push_back(piece.offset + static_cast<double>(last - 1) +
                               between.crossing(last - 1, threshold_));
            is_high = !is_high;
        }
        piece.ends_high = is_high;
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
                return static_cast<double>(from + last - 1) + Between(values).crossing(last - 1, threshold_);
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
