#include "core/serial/edges.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <span>

#include "core/dsp/interpolate.hpp"
#include "core/dsp/parallel.hpp"
#include "core/dsp/simd.hpp"

namespace rt {
namespace {

constexpr std::size_t block = 1 << 20;
constexpr std::size_t margin = 64;  // read to both sides of a block for the interpolation

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

// The sample of a block before a crossing, or where the crossing is if that lies before the block.
struct Crossing {
    std::size_t sample = 0;
    std::optional<double> at = {};
};

// Where the state changes; goes on from block to block.
class States {
  public:
    States(const EdgeSettings& settings, Edges& out)
        : threshold_(static_cast<float>(settings.threshold)),
          low_(static_cast<float>(settings.threshold - settings.hysteresis)),
          high_(static_cast<float>(settings.threshold + settings.hysteresis)),
          out_(out) {}

    // Samples [from, to) of a block whose first sample stands at `offset` in the record.
    void add(std::span<const float> values, double offset, std::size_t from, std::size_t to,
             std::vector<Crossing>& crossings) {
        const float* v = values.data();
        std::size_t at = from;
        if (!known_) {
            while (at < to && v[at] <= high_ && v[at] >= low_) ++at;
            if (at == to) return;
            known_ = true;
            is_high_ = v[at] > high_;
            out_.first_rises = !is_high_;
        }
        while (at < to) {
            at = is_high_ ? first_below(v, at, to, low_) : first_above(v, at, to, high_);
            if (at == to) break;
            const auto last = last_crossing(v, at);
            is_high_ = !is_high_;
            crossings.push_back(last ? Crossing{*last} : Crossing{0, waiting_.value_or(offset)});
            waiting_.reset();
        }
        // A slow edge may have crossed the threshold already and leave the band in a later block.
        const bool beyond = is_high_ ? v[to - 1] < threshold_ : v[to - 1] > threshold_;
        if (!beyond) {
            waiting_.reset();
        } else if (const auto last = last_crossing(v, to - 1)) {
            waiting_ = offset + static_cast<double>(*last) + Between(values).crossing(*last, threshold_);
        }
    }

  private:
    // The sample before the last crossing out of the present state, seen from sample `at` beyond it.
    std::optional<std::size_t> last_crossing(const float* v, std::size_t at) const {
        while (at > 0 && (is_high_ ? v[at - 1] < threshold_ : v[at - 1] > threshold_)) --at;
        if (at == 0) return std::nullopt;
        return at - 1;
    }

    float threshold_, low_, high_;
    Edges& out_;
    bool known_ = false, is_high_ = false;
    std::optional<double> waiting_;
};

struct Piece {
    std::vector<float> values;
    std::vector<Crossing> crossings;
    double offset = 0;      // of the first value in the record
    std::size_t known = 0;  // crossings before
};

}  // namespace

Edges find_edges(const WaveSamples& samples, const EdgeSettings& settings) {
    Edges out;
    States states(settings, out);
    const std::uint64_t size = samples.size();
    // While one piece is read and searched, the crossings of the piece before are found between its samples.
    Piece now, before;
    const auto threshold = static_cast<float>(settings.threshold);
    const auto finish = [&](const Piece& piece, std::size_t from, std::size_t to) {
        const Between between(piece.values);
        for (std::size_t k = from; k < to; ++k) {
            const Crossing& c = piece.crossings[k];
            out.at[piece.known + k] =
                c.at ? *c.at
                     : piece.offset + static_cast<double>(c.sample) + between.crossing(c.sample, threshold);
        }
    };
    for (std::uint64_t at = 0; at < size && out.size() < settings.most; at += block) {
        std::swap(now, before);
        constexpr std::size_t shares = 3;
        in_parallel(shares + 1, [&](std::size_t w) {
            if (w > 0) {
                const std::size_t n = before.crossings.size();
                return finish(before, n * (w - 1) / shares, n * w / shares);
            }
            const std::uint64_t ahead = std::min<std::uint64_t>(at, margin);
            const std::uint64_t count = std::min<std::uint64_t>(block, size - at);
            const std::uint64_t after = std::min<std::uint64_t>(margin, size - at - count);
            now.values.resize(static_cast<std::size_t>(ahead + count + after));
            samples.read(at - ahead, now.values);
            now.crossings.clear();
            now.offset = static_cast<double>(at - ahead);
            states.add(now.values, now.offset, static_cast<std::size_t>(ahead),
                       static_cast<std::size_t>(ahead + count), now.crossings);
            out.searched = at + count;
        });
        now.known = out.size();
        out.at.resize(now.known + now.crossings.size());
    }
    finish(now, 0, now.crossings.size());
    if (out.size() > settings.most) out.at.resize(settings.most);
    return out;
}

}  // namespace rt
