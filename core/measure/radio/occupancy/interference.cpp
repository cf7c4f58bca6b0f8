#include "core/measure/radio/occupancy/interference.hpp"

#include <algorithm>
#include <cmath>
#include <functional>
#include <vector>

namespace rt {
namespace {

// Behind a burst an amplifier or a filter rings; before one the trigger stands within two samples.
constexpr double behind_s = 10e-6, ahead_s = 2e-6;
constexpr std::uint64_t samples_at_once = 1 << 16;

// Calls `take(first, samples)` for all that lies outside of bursts within [from_s, to_s).
void each_outside(const IqRecord& record, std::span<const Burst> bursts, double from_s, double to_s,
                  const std::function<void(std::uint64_t, std::span<const std::complex<float>>)>& take) {
    const double rate = record.sample_rate_hz;
    const auto read = [&](double begin, double end) {
        const auto last =
            std::min(record.size(), static_cast<std::uint64_t>(std::max(0.0, std::floor(end * rate))));
        auto at = static_cast<std::uint64_t>(std::ceil(std::max(0.0, begin * rate)));
        for (; at < last; at += samples_at_once)
            take(at, record.read(at, static_cast<std::size_t>(std::min(samples_at_once, last - at))));
    };
    double free = from_s;
    for (const auto& burst : bursts) {
        if (burst.stop_s + behind_s <= free) continue;
        read(free, std::min(to_s, burst.start_s - ahead_s));
        free = burst.stop_s + behind_s;
        if (free >= to_s) return;
    }
    read(free, to_s);
}

// Time between bursts, piece by piece.
struct Pieces {
    std::vector<double> start_s, sum, count;  // sum of |x|^2
    double length_s = 0;

    std::size_t size() const { return sum.size(); }
};

Pieces pieces_of(const IqRecord& record, std::span<const Burst> bursts) {
    constexpr double shortest_s = 5e-6, fewest = 16, most = 1e6;
    const double rate = record.sample_rate_hz;
    const auto length = static_cast<std::uint64_t>(
        std::ceil(std::max({fewest, shortest_s * rate, static_cast<double>(record.size()) / most})));
    Pieces out;
    out.length_s = static_cast<double>(length) / rate;
    std::uint64_t now = ~std::uint64_t{0};
    each_outside(record, bursts, 0, record.seconds(),
                 [&](std::uint64_t first, std::span<const std::complex<float>> samples) {
                     for (std::size_t i = 0; i < samples.size(); ++i) {
                         const std::uint64_t place = (first + i) / length;
                         if (place != now) {
                             now = place;
                             out.start_s.push_back(static_cast<double>(place) * out.length_s);
                             out.sum.push_back(0);
                             out.count.push_back(0);
                         }
                         out.sum.back() += std::norm(std::complex<double>(samples[i]));
                         out.count.back() += 1;
                     }
                 });
    // What is too short for a mean.
    std::size_t kept = 0;
    for (std::size_t i = 0; i < out.size(); ++i) {
        if (out.count[i] < static_cast<double>(length) / 2) continue;
        out.start_s[kept] = out.start_s[i], out.sum[kept] = out.sum[i], out.count[kept] = out.count[i];
        ++kept;
    }
    out.start_s.resize(kept), out.sum.resize(kept), out.count.resize(kept);
    return out;
}

// Splits [from, to) where one level becomes two, again and again.
class Splitter {
  public:
    Splitter(const Pieces& pieces, double least_rise_db) : least_db_(least_rise_db) {
        sums_.push_back(0), counts_.push_back(0);
        for (std::size_t i = 0; i < pieces.size(); ++i) {
            sums_.push_back(sums_.back() + pieces.sum[i]);
            counts_.push_back(counts_.back() + pieces.count[i]);
        }
    }

    // First pieces of the levels, ascending.
    std::vector<std::size_t> levels() {
        std::vector<std::size_t> out;
        if (sums_.size() > 1) split(0, sums_.size() - 1, 0, out);
        // Neighbours that differ too little are one.
        std::vector<std::size_t> kept;
        for (const std::size_t at : out) {
            if (!kept.empty() && std::abs(apart(kept.back(), at, end_of(out, at))) < least_db_) continue;
            kept.push_back(at);
        }
        return kept;
    }
    double mean(std::size_t from, std::size_t to) const {
        return std::max(1e-30, (sums_[to] - sums_[from]) / (counts_[to] - counts_[from]));
    }

  private:
    double cost(std::size_t from, std::size_t to) const {
        return (counts_[to] - counts_[from]) * std::log(mean(from, to));
    }
    double apart(std::size_t a, std::size_t b, std::size_t end) const {
        return 10 * std::log10(mean(b, end) / mean(a, b));
    }
    std::size_t end_of(const std::vector<std::size_t>& starts, std::size_t at) const {
        const auto next = std::upper_bound(starts.begin(), starts.end(), at);
        return next == starts.end() ? sums_.size() - 1 : *next;
    }
    void split(std::size_t from, std::size_t to, int depth, std::vector<std::size_t>& out) const {
        constexpr int deepest = 12;
        constexpr double sure = 30;  // of the logarithm of the likelihood
        std::size_t best = from;
        double gain = 0;
        const double whole = cost(from, to);
        for (std::size_t at = from + 1; at < to; ++at) {
            const double now = whole - cost(from, at) - cost(at, to);
            if (now > gain) gain = now, best = at;
        }
        // A part of another level within may leave the means of both sides alike: the likelihood decides
        // here, the rise where neighbours are compared.
        if (best == from || gain < sure || depth == deepest) {
            out.push_back(from);
            return;
        }
        split(from, best, depth + 1, out);
        split(best, to, depth + 1, out);
    }

    double least_db_;
    std::vector<double> sums_, counts_;
};

}  // namespace

std::optional<Interference> find_interference(const IqRecord& record, std::span<const Burst> bursts,
                                              double least_rise_db) {
    const Pieces pieces = pieces_of(record, bursts);
    Splitter splitter(pieces, least_rise_db);
    const auto levels = splitter.levels();
    const auto end_of = [&](std::size_t i) { return i + 1 < levels.size() ? levels[i + 1] : pieces.size(); };
    const auto level_db = [&](std::size_t i) { return 10 * std::log10(splitter.mean(levels[i], end_of(i))); };
    std::size_t on = 1;
    while (on < levels.size() && level_db(on) < level_db(on - 1) + least_rise_db) ++on;
    if (on >= levels.size()) return std::nullopt;
    const double middle_db = (level_db(on) + level_db(on - 1)) / 2;
    std::size_t off = on;
    while (off < levels.size() && level_db(off) > middle_db) ++off;
    Interference out;
    // Between the last quiet piece and the first loud one.
    out.start_s = pieces.start_s[levels[on] - 1] + pieces.length_s;
    out.start_hidden_s = std::max(0.0, pieces.start_s[levels[on]] - out.start_s);
    out.ends = off < levels.size();
    out.stop_s = out.ends ? pieces.start_s[levels[off] - 1] + pieces.length_s : record.seconds();
    for (std::size_t i = off; i < levels.size(); ++i) out.again = out.again || level_db(i) > middle_db;
    out.before = splitter.mean(levels[on - 1], levels[on]);
    out.during = splitter.mean(levels[on], end_of(off - 1));
    return out;
}

std::optional<double> power_outside(const IqRecord& record, std::span<const Burst> bursts, double from_s,
                                    double to_s) {
    constexpr std::uint64_t fewest = 64;
    double sum = 0;
    std::uint64_t count = 0;
    each_outside(record, bursts, from_s, to_s,
                 [&](std::uint64_t, std::span<const std::complex<float>> samples) {
                     for (const auto& x : samples) sum += std::norm(std::complex<double>(x));
                     count += samples.size();
                 });
    if (count < fewest) return std::nullopt;
    return sum / static_cast<double>(count);
}

}  // namespace rt
