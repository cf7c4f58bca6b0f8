// Linear least squares with few unknowns.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace rt {

// Collects equations sum_k coefficient[k] x[k] = value (weights 1) and solves for x by the normal equations.
class LeastSquares {
  public:
    explicit LeastSquares(std::size_t unknowns);
    void add(std::span<const double> coefficients, double value);
    // Unknowns that no equation determines come out as 0.
    std::vector<double> solve() const;

  private:
    std::size_t unknowns_, stride_;
    std::vector<double> row_;     // coefficients and value, filled up with zeros
    std::vector<double> matrix_;  // a row for each unknown, the values' column behind
};

// The straight line through points (x, y) by least squares: its slope and its value at 0.
struct StraightLine {
    double slope = 0, value = 0;
};
StraightLine line_through(std::span<const double> x, std::span<const double> y);

}  // namespace rt
