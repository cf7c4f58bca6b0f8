#include "core/rules/limit_line.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <string>

#include "core/base/error.hpp"
#include "core/quantity/quantity.hpp"

namespace rt {

double LimitPiece::level(double x) const {
    if (x <= from || level_from == level_to) return level_from;
    if (x >= to) return level_to;
    const double share = interpolation == Interpolation::linear ? (x - from) / (to - from)
                                                                : std::log(x / from) / std::log(to / from);
    return level_from + (level_to - level_from) * share;
}

LimitLine::LimitLine(std::vector<LimitPiece> pieces, Sense sense)
    : pieces_(std::move(pieces)), sense_(sense) {
    if (pieces_.empty()) fail_input("a limit line needs at least one piece");
    for (std::size_t i = 0; i < pieces_.size(); ++i) {
        const auto& piece = pieces_[i];
        const std::string which = "piece " + std::to_string(i + 1);
        if (!std::isfinite(piece.from) || std::isnan(piece.to) || !std::isfinite(piece.level_from) ||
            !std::isfinite(piece.level_to)) {
            fail_input(which + " is not made of finite numbers");
        }
        if (!(piece.to > piece.from)) {
            fail_input(which + " runs backwards: from " + hz(piece.from) + " to " + hz(piece.to) +
                       "; write the lower end first");
        }
        if (std::isinf(piece.to) && piece.level_from != piece.level_to) {
            fail_input(which + " has no end, so its level must be constant");
        }
        if (piece.interpolation == Interpolation::log_frequency && !(piece.from > 0)) {
            fail_input(which + " is logarithmic, so it must begin above 0");
        }
        if (i > 0 && piece.from < pieces_[i - 1].to) {
            fail_input(which + " begins at " + hz(piece.from) + ", before piece " + std::to_string(i) +
                       " ends at " + hz(pieces_[i - 1].to));
        }
    }
}

std::optional<double> LimitLine::at(double x) const {
    // The first piece that does not end before x; its successor may begin at the same x.
    auto piece = std::lower_bound(pieces_.begin(), pieces_.end(), x,
                                  [](const LimitPiece& p, double value) { return p.to < value; });
    if (piece == pieces_.end() || x < piece->from) return std::nullopt;
    const double level = piece->level(x);
    const auto next = std::next(piece);
    if (x != piece->to || next == pieces_.end() || next->from != x) return level;
    return sense_ == Sense::upper ? std::min(level, next->level_from) : std::max(level, next->level_from);
}

double margin_to(double limit, double value, Sense sense) {
    const double margin = sense == Sense::upper ? limit - value : value - limit;
    const double rounding = 1e-12 * std::max(std::abs(limit), std::abs(value));
    return std::abs(margin) <= rounding ? 0.0 : margin;
}

namespace {

constexpr std::size_t block_size = 256;

// The largest of sign * y, or NaN if any is not finite. Four lanes so that the compiler can keep them busy.
double extreme(std::span<const double> y, double sign) {
    double lane[4];
    std::fill(std::begin(lane), std::end(lane), -std::numeric_limits<double>::infinity());
    double doubt = 0;  // stays 0 while every value is finite: inf - inf and NaN - NaN are NaN
    std::size_t i = 0;
    for (; i + 4 <= y.size(); i += 4) {
        for (std::size_t k = 0; k < 4; ++k) {
            const double value = sign * y[i + k];
            doubt += value - value;
            lane[k] = value > lane[k] ? value : lane[k];
        }
    }
    for (; i < y.size(); ++i) {
        const double value = sign * y[i];
        doubt += value - value;
        lane[0] = value > lane[0] ? value : lane[0];
    }
    return std::max({lane[0], lane[1], lane[2], lane[3]}) + doubt;
}

class Comparer {
  public:
    Comparer(std::span<const double> x, std::span<const double> y, const LimitLine& line, double marginal,
             double shift)
        : x_(x), y_(y), line_(line), marginal_(marginal), shift_(shift) {
        out_.worst_margin = std::numeric_limits<double>::infinity();
    }

    LineComparison run() {
        std::size_t next = 0;  // first point not yet looked at
        for (const auto& piece : line_.pieces()) {
            next = std::max(next, index_of(piece.from, next));
            if (next < x_.size() && x_[next] == piece.from) point(next++, *line_.at(piece.from));
            const std::size_t end = index_of(piece.to, next);  // first point at or beyond the end
            for (; next < end; next += std::min(block_size, end - next)) {
                block(piece, next, std::min(next + block_size, end));
            }
            if (next < x_.size() && x_[next] == piece.to) point(next++, *line_.at(piece.to));
        }
        if (out_.judged == 0) out_.worst_margin = 0;
        return out_;
    }

  private:
    std::size_t index_of(double at, std::size_t first) const {
        return static_cast<std::size_t>(
            std::lower_bound(x_.begin() + static_cast<std::ptrdiff_t>(first), x_.end(), at) - x_.begin());
    }

    void point(std::size_t i, double limit) {
        ++out_.judged;
        if (!std::isfinite(y_[i])) {
            if (!out_.not_a_number) out_.not_a_number = i;
            return;
        }
        const double margin = margin_to(limit, y_[i] + shift_, line_.sense());
        if (margin < 0) ++out_.beyond;
        if (margin >= 0 && margin < marginal_) ++out_.close;
        if (margin < out_.worst_margin) {
            out_.worst = i;
            out_.worst_limit = limit;
            out_.worst_margin = margin;
        }
    }

    // Points begin to end lie strictly inside the piece, where the limit is monotonic: over a block it stays
    // between its two ends. What these bounds settle needs no logarithm.
    void block(const LimitPiece& piece, std::size_t begin, std::size_t end) {
        const double sign = line_.sense() == Sense::upper ? 1 : -1;
        const double first = sign * piece.level(x_[begin]), last = sign * piece.level(x_[end - 1]);
        const double low = std::min(first, last) - slack, high = std::max(first, last) + slack;
        const double top = extreme(y_.subspan(begin, end - begin), sign) + sign * shift_;
        if (low - top > std::max(out_.worst_margin, marginal_)) {
            out_.judged += end - begin;
            return;
        }
        for (std::size_t i = begin; i < end; ++i) {
            const double level = sign * (y_[i] + shift_);
            if (!settled(low - level, high - level)) point(i, piece.level(x_[i]));
        }
    }

    // Counts a point whose margin is known only to lie between two bounds, if that is enough.
    bool settled(double at_least, double at_most) {
        if (!(at_least > out_.worst_margin)) return false;  // it might be the worst; or it is no number
        const bool beyond = at_most < 0;
        const bool close = at_least >= 0 && at_most < marginal_;
        if (!beyond && !close && !(at_least >= std::max(0.0, marginal_))) return false;
        ++out_.judged;
        out_.beyond += beyond;
        out_.close += close;
        return true;
    }

    static constexpr double slack = 1e-9;  // bounds and points may round differently

    std::span<const double> x_;
    std::span<const double> y_;
    const LimitLine& line_;
    double marginal_;
    double shift_;
    LineComparison out_;
};

}  // namespace

LineComparison compare(std::span<const double> x, std::span<const double> y, const LimitLine& line,
                       double marginal, double shift) {
    return Comparer(x, y, line, marginal, shift).run();
}

}  // namespace rt
