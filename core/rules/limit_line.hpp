// Limit lines: a level against frequency (or offset), in pieces with linear or logarithmic interpolation and
// steps between them.
#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <vector>

namespace rt {

enum class Interpolation { linear, log_frequency };
enum class Sense { upper, lower };  // an upper limit must not be exceeded, a lower one must be reached

// From `from` to `to` (both included) the limit goes from level_from to level_to:
//   linear:        L = L1 + (L2 - L1) (x - x1) / (x2 - x1)
//   log_frequency: L = L1 + (L2 - L1) log(x / x1) / log(x2 / x1)   (as CISPR 32 states it: "decreases
//                  linearly with the logarithm of the frequency")
// `to` may be infinite; the level is then constant.
struct LimitPiece {
    double from = 0;
    double to = 0;
    double level_from = 0;
    double level_to = 0;
    Interpolation interpolation = Interpolation::linear;

    double level(double x) const;  // exact at both ends
};

class LimitLine {
  public:
    // Pieces in ascending order; they may touch and may leave gaps, not overlap. Throws Error(input) naming
    // the piece otherwise.
    LimitLine(std::vector<LimitPiece> pieces, Sense sense);

    // The limit at x; where two pieces meet, the stricter one (the lower one of an upper limit). Empty in
    // gaps and outside.
    std::optional<double> at(double x) const;

    double from() const { return pieces_.front().from; }
    double to() const { return pieces_.back().to; }
    Sense sense() const { return sense_; }
    const std::vector<LimitPiece>& pieces() const { return pieces_; }

  private:
    std::vector<LimitPiece> pieces_;
    Sense sense_;
};

// Distance to the limit, positive inside. A difference that is only rounding of the two numbers is exactly 0.
double margin_to(double limit, double value, Sense sense);

// How a trace lies against a limit line.
struct LineComparison {
    std::size_t judged = 0;  // points that have a limit
    std::size_t beyond = 0;  // of those, with a negative margin
    std::size_t close = 0;   // of those, with a margin from 0 to below `marginal`
    std::size_t worst = 0;   // index of the smallest margin, the first of equals
    double worst_limit = 0;
    double worst_margin = 0;
    std::optional<std::size_t> not_a_number;  // first judged point without a finite level
};

// Compares levels y at ascending x with the line, at the trace's own points; `shift` is added to every y.
// One pass: whole blocks that lie farther inside than the worst point so far are settled by their extreme.
LineComparison compare(std::span<const double> x, std::span<const double> y, const LimitLine& line,
                       double marginal, double shift = 0);

}  // namespace rt
