#include "core/dsp/least_squares.hpp"

#include <Eigen/Cholesky>
#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/simd.hpp"

namespace rt {

namespace {

// Whole rows, four columns side by side.
RT_SIMD void add_rows(const double* __restrict c, std::size_t unknowns, std::size_t stride,
                      double* __restrict matrix) {
    for (std::size_t i = 0; i < unknowns; ++i) {
        const double own = c[i];
        double* __restrict row = matrix + i * stride;
        for (std::size_t j = 0; j < stride; j += 4) {
            for (std::size_t k = 0; k < 4; ++k) row[j + k] += own * c[j + k];
        }
    }
}

}  // namespace

// The last column is for the values; the rest fills up to whole groups of four.
LeastSquares::LeastSquares(std::size_t unknowns)
    : unknowns_(unknowns), stride_((unknowns + 4) / 4 * 4), row_(stride_), matrix_(unknowns * stride_) {}

void LeastSquares::add(std::span<const double> c, double value) {
    std::copy_n(c.begin(), unknowns_, row_.begin());
    row_[unknowns_] = value;
    add_rows(row_.data(), unknowns_, stride_, matrix_.data());
}

std::vector<double> LeastSquares::solve() const {
    const auto n = static_cast<Eigen::Index>(unknowns_);
    Eigen::MatrixXd a(n, n);
    Eigen::VectorXd b(n), scale(n);
    for (Eigen::Index i = 0; i < n; ++i) {
        const double own = matrix_[static_cast<std::size_t>(i) * stride_ + static_cast<std::size_t>(i)];
        scale(i) = own > 0 ? 1 / std::sqrt(own) : 0;
    }
    // Scaled so that unknowns of very different size (hertz, seconds) do not spoil each other.
    for (Eigen::Index i = 0; i < n; ++i) {
        for (Eigen::Index j = 0; j <= i; ++j) {
            const double v = matrix_[static_cast<std::size_t>(i) * stride_ + static_cast<std::size_t>(j)];
            a(i, j) = a(j, i) = v * scale(i) * scale(j);
        }
        if (scale(i) == 0) a(i, i) = 1;
        b(i) = matrix_[static_cast<std::size_t>(i) * stride_ + unknowns_] * scale(i);
    }
    const Eigen::VectorXd x = a.ldlt().solve(b);
    std::vector<double> out(unknowns_);
    for (Eigen::Index i = 0; i < n; ++i) out[static_cast<std::size_t>(i)] = x(i) * scale(i);
    return out;
}

StraightLine line_through(std::span<const double> x, std::span<const double> y) {
    LeastSquares fit(2);
    for (std::size_t i = 0; i < x.size(); ++i) fit.add(std::array{x[i], 1.0}, y[i]);
    const auto solved = fit.solve();
    return {solved[0], solved[1]};
}

}  // namespace rt
