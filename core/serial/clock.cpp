#include "core/serial/clock.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/simd.hpp"
#include "core/dsp/parallel.hpp"
#include "core/quantity/quantity.hpp"

namespace rt {
namespace {

using std::numbers::pi;

// The whole number nearest to a count of intervals; halves upwards.
double nearest(double count) {
    return std::floor(count + 0.5);
}

// What a spacing adds to the misfit: how far it is from a whole multiple of the interval, in intervals.
// Spread evenly that is 0.25 on average. What is nearer to no interval than to one is as far off as can be.
double off_by(double spacing, double per_interval) {
    const double count = spacing * per_interval;
    return count < 0.5 ? 0.5 : std::abs(count - nearest(count));
}

double misfit(const std::vector<double>& spacings, double interval) {
    double sum = 0;
    for (const double s : spacings) sum += off_by(s, 1 / interval);
    return sum / static_cast<double>(spacings.size());
}

// The same of the spacings of edges that are `distance` apart.
RT_SIMD double misfit_over(const std::vector<double>& edges, std::size_t distance, double interval) {
    constexpr std::size_t lanes = 8;
    double sums[lanes] = {};
    const double per_interval = 1 / interval;
    const double *near = edges.data(), *far = near + distance;
    const std::size_t count = edges.size() - distance;
    std::size_t k = 0;
    for (; k + lanes <= count; k += lanes) {
        for (std::size_t j = 0; j < lanes; ++j) sums[j] += off_by(far[k + j] - near[k + j], per_interval);
    }
    double sum = 0;
    for (; k < count; ++k) sum += off_by(far[k] - near[k], per_interval);
    for (const double s : sums) sum += s;
    return sum / static_cast<double>(count);
}

// The factor from 2 to 5 that all runs but a hundredth share, though they are not all alike; otherwise 1.
RT_SIMD int shared_factor(const std::vector<double>& edges, double interval) {
    constexpr std::int64_t longest = 61;  // runs from here on count by what they leave divided by 60
    std::array<std::size_t, longest> runs{};
    const double per_interval = 1 / interval;
    const auto length = [&](std::size_t k) {
        const auto count =
            static_cast<std::int64_t>(std::min(nearest((edges[k + 1] - edges[k]) * per_interval), 1e15));
        return static_cast<std::size_t>(count < longest ? count : 60 - (60 - count % 60) % 60);
    };
    for (std::size_t k = 0; k + 1 < edges.size(); ++k) ++runs[length(k)];
    const auto all = static_cast<double>(edges.size() - 1);
    constexpr double nearly_all = 0.99;
    const bool alike = static_cast<double>(runs[length(0)]) > nearly_all * all;
    for (const std::size_t factor : {5UL, 4UL, 3UL, 2UL}) {
        std::size_t whole = 0;
        for (std::size_t n = factor; n < runs.size(); n += factor) whole += runs[n];
        if (static_cast<double>(whole) >= nearly_all * all && !alike) return static_cast<int>(factor);
    }
    return 1;
}

void require_fitting(const std::vector<double>& edges, double interval, std::optional<double> found,
                     const ClockSettings& settings) {
    const bool shorter = found && interval > *found * 1.4;
    const double most = settings.loose ? 0.22 : 0.15;
    // Edges that stand early and late by turns (duty cycle) fit from each to the next of its kind.
    constexpr double most_of_one = 0.45;
    const double off = misfit_over(edges, 1, interval);
    const bool by_kind = off <= most_of_one && misfit_over(edges, 2, interval) <= most;
    const bool fits = off <= most || by_kind;
    const int factor = fits && !settings.loose ? shared_factor(edges, interval) : 1;
    if (fits && factor == 1 && (!shorter || settings.loose || by_kind)) return;
    const double other = factor > 1 ? 1 / (interval * factor) : found ? 1 / *found : 0;
    fail_signal("the spacings of edges do not fit a symbol rate of " + format({1 / interval, Unit::hertz}) +
                (other > 0 ? "; they fit " + format({other, Unit::hertz}) : ""));
}

// Least squares of spacing = count x interval, with counts from the interval before.
double refined(const std::vector<double>& spacings, double interval) {
    double up = 0, down = 0;
    for (const double s : spacings) {
        const double count = std::round(s / interval);
        if (count < 1 || count > 64) continue;
        up += s * count;
        down += count * count;
    }
    return down > 0 ? up / down : interval;
}

struct Numbers {
    std::vector<std::uint32_t> of;
    std::vector<std::size_t> too_close;  // edges nearer to a number that is taken than to the next
};

// Edge numbers in intervals, each from a clock that follows the edges, so that neither a slow drift of the
// rate nor an edge too many moves those behind it. They ascend: an edge too many takes the next number. Of
// edges `from` to `to`, with 0 for the first.
class NumberedEdges {
  public:
    NumberedEdges(const std::vector<double>& edges, std::size_t from, std::size_t to, double interval)
        : edges_(edges.data() + from),
          from_(from),
          interval_(interval),
          local_(interval),
          per_local_(1 / interval),
          phase_(edges[from]) {
        out_.of.resize(to - from);
    }
    std::size_t size() const { return out_.of.size(); }
    Numbers numbers() && { return std::move(out_); }

    void see(std::size_t k) {
        constexpr double follow = 0.5;
        constexpr std::array<double, 9> part{0,       1,       1.0 / 2, 1.0 / 3, 1.0 / 4,
                                             1.0 / 5, 1.0 / 6, 1.0 / 7, 1.0 / 8};
        std::uint32_t* of = out_.of.data();
        const double here = edges_[k], count = nearest((here - phase_) * per_local_);
        const double number = at_ + count;
        if (number <= of[k - 1]) {
            of[k] = of[k - 1] + 1;
            out_.too_close.push_back(from_ + k);
            return;
        }
        at_ = of[k] = static_cast<std::uint32_t>(number);
        const double off = here - (phase_ + count * local_);
        phase_ += count * local_ + follow * off;
        // A rate that wanders (spread spectrum) is followed at a hundredth a time.
        if (count > 8) return;
        local_ += 0.01 * std::clamp(off * part[static_cast<std::size_t>(count)], -0.02 * interval_,
                                    0.02 * interval_);
        per_local_ *= 2 - local_ * per_local_;  // a step of Newton's: the rate moves by 0.02 % at most
    }

  private:
    const double* edges_;
    std::size_t from_;
    Numbers out_;
    double interval_, local_, per_local_, phase_;
    std::uint32_t at_ = 0;  // number of the clock's phase
};

// One or two of them, in turns: each step waits for the one before, and meanwhile the other's is worked on.
RT_SIMD void follow(NumberedEdges& one, NumberedEdges* other) {
    std::size_t k = 1;
    if (other)
        for (const std::size_t both = std::min(one.size(), other->size()); k < both; ++k)
            one.see(k), other->see(k);
    for (std::size_t i = k; i < one.size(); ++i) one.see(i);
    for (std::size_t i = k; other && i < other->size(); ++i) other->see(i);
}

Numbers numbers_of_all(const std::vector<double>& edges, double interval) {
    NumberedEdges all(edges, 0, edges.size(), interval);
    follow(all, nullptr);
    return std::move(all).numbers();
}

// The same of all edges. Very many go in four parts at once, each of which begins well before the one in
// front ends: its clock has found the edges by then, and both must agree on how far apart they are. Where
// they do not, all go in one.
Numbers numbers_of(const std::vector<double>& edges, double interval) {
    constexpr std::size_t many = 400'000, parts = 4, run_in = 512, shared = 256;
    if (edges.size() < many) return numbers_of_all(edges, interval);
    std::array<Numbers, parts> piece;
    const auto begin = [&](std::size_t p) { return edges.size() * p / parts; };
    const auto from = [&](std::size_t p) { return p == 0 ? 0 : begin(p) - run_in; };
    const auto to = [&](std::size_t p) { return p + 1 < parts ? begin(p + 1) + shared : edges.size(); };
    in_parallel(parts / 2, [&](std::size_t pair) {
        const std::size_t p = 2 * pair;
        NumberedEdges one(edges, from(p), to(p), interval), other(edges, from(p + 1), to(p + 1), interval);
        follow(one, &other);
        piece[p] = std::move(one).numbers(), piece[p + 1] = std::move(other).numbers();
    });
    Numbers out = std::move(piece[0]);
    for (std::size_t p = 1; p < parts; ++p) {
        const Numbers& next = piece[p];
        const auto apart = [&](std::size_t k) { return out.of[k] - next.of[k - from(p)]; };
        for (std::size_t k = begin(p); k < begin(p) + shared; ++k)
            if (apart(k) != apart(begin(p))) return numbers_of_all(edges, interval);
        const std::uint32_t more = apart(begin(p));
        out.of.reserve(edges.size());
        for (std::size_t i = begin(p) + shared - from(p); i < next.of.size(); ++i)
            out.of.push_back(next.of[i] + more);
        for (const auto k : next.too_close)
            if (k >= begin(p) + shared) out.too_close.push_back(k);
    }
    return out;
}

struct Line {
    double offset, slope;
};

Line fitted(const std::vector<std::uint32_t>& x, const std::vector<double>& y) {
    const auto n = static_cast<double>(x.size());
    const double middle = static_cast<double>(x.back()) / 2, start = y.front();
    struct Sums {
        double x = 0, y = 0, xx = 0, xy = 0;
    };
    constexpr std::size_t shares = 8;  // always as many: the sums do not depend on the number of cores
    std::array<Sums, shares> parts;
    const std::size_t in = x.size() < 100'000 ? 1 : shares;
    in_parallel(in, [&](std::size_t s) {
        Sums sum;
        for (std::size_t k = x.size() * s / in; k < x.size() * (s + 1) / in; ++k) {
            const double dx = static_cast<double>(x[k]) - middle, dy = y[k] - start;
            sum.x += dx, sum.y += dy, sum.xx += dx * dx, sum.xy += dx * dy;
        }
        parts[s] = sum;
    });
    double sx = 0, sy = 0, sxx = 0, sxy = 0;
    for (const Sums& part : parts) sx += part.x, sy += part.y, sxx += part.xx, sxy += part.xy;
    const double slope = (n * sxy - sx * sy) / (n * sxx - sx * sx);
    return {start + (sy - slope * sx) / n - slope * middle, slope};
}

// wn of a loop whose H has fallen by 3 dB at the corner.
double natural_frequency(const ClockSettings& s) {
    const double a = 1 + 2 * s.damping * s.damping;
    return 2 * pi * s.corner_hz / std::sqrt(a + std::sqrt(a * a + 1));
}

// The loop as a filter of the TIE, one step a symbol, exact for a TIE that goes straight from edge to edge
// (bilinear transform, prewarped at the corner).
class Loop {
  public:
    Loop(const ClockSettings& s, double interval) : second_(s.recovery == Recovery::second_order) {
        if (!second_) {
            const double w = std::tan(pi * s.corner_hz * interval);
            b_[0] = b_[1] = w / (1 + w);
            a_[1] = (w - 1) / (1 + w);
            return;
        }
        const double wn = natural_frequency(s);
        const double c = wn / std::tan(wn * interval / 2), n2 = wn * wn, z2 = 2 * s.damping * wn;
        const double a0 = c * c + z2 * c + n2;
        b_[0] = (z2 * c + n2) / a0, b_[1] = 2 * n2 / a0, b_[2] = (n2 - z2 * c) / a0;
        a_[1] = 2 * (n2 - c * c) / a0, a_[2] = (c * c - z2 * c + n2) / a0;
    }

    void begin_at(double x) { x_[0] = x_[1] = y_[0] = y_[1] = x; }
    double next(double x) {
        const double y = b_[0] * x + b_[1] * x_[0] + b_[2] * x_[1] - a_[1] * y_[0] - a_[2] * y_[1];
        x_[1] = x_[0], x_[0] = x, y_[1] = y_[0], y_[0] = y;
        return y;
    }

  private:
    bool second_;
    double b_[3] = {}, a_[3] = {}, x_[2] = {}, y_[2] = {};
};

}  // namespace

std::optional<double> find_interval(const std::vector<double>& edges) {
    if (edges.size() < 16) return std::nullopt;
    // Many enough for the statistics, spread over the record.
    std::vector<double> spacings;
    const std::size_t step = std::max<std::size_t>(1, edges.size() / 20000);
    for (std::size_t k = 0; k + 1 < edges.size(); k += step) spacings.push_back(edges[k + 1] - edges[k]);
    auto sorted = spacings;
    std::sort(sorted.begin(), sorted.end());
    // The shortest spacings are one symbol, or, where no single ones occur, a few.
    const double shortest = sorted[sorted.size() / 50];
    const double width = shortest * 1.35;
    double sum = 0;
    std::size_t count = 0;
    for (const double s : sorted) {
        if (s > width) break;
        if (s < shortest * 0.75) continue;
        sum += s;
        ++count;
    }
    if (count == 0 || !(shortest > 0)) return std::nullopt;
    const double base = sum / static_cast<double>(count);
    for (const double divisor : {1.0, 2.0, 3.0, 4.0, 5.0}) {
        double interval = base / divisor;
        for (int round = 0; round < 4; ++round) interval = refined(spacings, interval);
        if (misfit(spacings, interval) < 0.12) return interval;
    }
    return std::nullopt;
}

Clock recover_clock(const std::vector<double>& edges, const ClockSettings& settings) {
    constexpr std::size_t fewest = 16;
    if (edges.size() < fewest) {
        fail_signal("only " + std::to_string(edges.size()) + " edges were found, at least 16 are needed");
    }
    const auto found = find_interval(edges);
    double interval = settings.rate_hz ? 1 / *settings.rate_hz : found.value_or(0);
    if (!(interval > 0)) {
        fail_signal(
            "the spacings of edges fit no symbol rate: give symbol_rate, or check threshold and signal");
    }
    Clock out;
    Numbers numbers;
    in_parallel(2, [&](std::size_t part) {
        if (part == 0) numbers = numbers_of(edges, interval);
        if (part == 1 && settings.rate_hz) require_fitting(edges, interval, found, settings);
    });
    constexpr double most_too_close = 0.01;
    if (static_cast<double>(numbers.too_close.size()) > most_too_close * static_cast<double>(edges.size()) &&
        !settings.loose) {
        fail_signal(
            fmt::format("{} of {} edges lie closer than half a symbol to the one before: noise or glitches "
                        "beyond the hysteresis",
                        numbers.too_close.size(), edges.size()));
    }
    out.bit = std::move(numbers.of);
    const Line line = fitted(out.bit, edges);
    out.rate_hz = 1 / line.slope;
    out.first_s = line.offset;
    if (settings.rate_hz && !settings.loose &&
        !(std::abs(out.rate_hz / *settings.rate_hz - 1) <= settings.within)) {
        fail_signal("the symbol rate is " + format({out.rate_hz, Unit::hertz}) + ", " +
                    format({100 * (out.rate_hz / *settings.rate_hz - 1), Unit::percent}, 3) + " off the " +
                    format({*settings.rate_hz, Unit::hertz}) + " given, which allow " +
                    format({100 * settings.within, Unit::percent}) + " (rate_within)");
    }
    out.tie_s.resize(edges.size());
    in_shares(edges.size(), [&](std::size_t from, std::size_t to) {
        for (std::size_t k = from; k < to; ++k)
            out.tie_s[k] = edges[k] - (line.offset + line.slope * static_cast<double>(out.bit[k]));
    });
    if (settings.recovery == Recovery::constant) return out;
    if (!(settings.corner_hz > 0) || settings.corner_hz > out.rate_hz / 10) {
        fail_signal(
            "the corner of the clock recovery must be above 0 Hz and at most a tenth of the symbol rate");
    }
    Loop loop(settings, line.slope);
    loop.begin_at(out.tie_s.front());
    out.left_s = out.tie_s;
    for (std::size_t k = 1; k < edges.size(); ++k) {
        const std::uint32_t steps = out.bit[k] - out.bit[k - 1];
        const double from = out.tie_s[k - 1], rise = (out.tie_s[k] - from) / static_cast<double>(steps);
        double followed = 0;
        for (std::uint32_t i = 1; i <= steps; ++i) followed = loop.next(from + rise * static_cast<double>(i));
        out.left_s[k] = out.tie_s[k] - followed;
    }
    // Two time constants of the corner, five times over: the beginning is forgotten to 0.01 %.
    const double settling = 10 / (2 * pi * settings.corner_hz);
    while (out.settled < edges.size() && edges[out.settled] - edges.front() < settling) ++out.settled;
    return out;
}

double observed_share(const ClockSettings& s, double jitter_hz) {
    if (s.recovery == Recovery::constant) return 1;
    const std::complex<double> p(0, 2 * pi * jitter_hz);
    if (s.recovery == Recovery::first_order) return std::abs(p / (p + 2 * pi * s.corner_hz));
    const double wn = natural_frequency(s);
    return std::abs(p * p / (p * p + 2 * s.damping * wn * p + wn * wn));
}

}  // namespace rt
