#include "core/dsp/least_squares.hpp"

#include <Eigen/Cholesky>
#include <cmath>

namespace rt {

LeastSquares::LeastSquares(std::size_t unknowns)
    : unknowns_(unknowns), matrix_(unknowns * unknowns), right_(unknowns) {}

void LeastSquares::add(std::span<const double> c, double value) {
    for (std::size_t i = 0; i < unknowns_; ++i) {
        for (std::size_t j = 0; j <= i; ++j) matrix_[i * unknowns_ + j] += c[i] * c[j];
        right_[i] += c[i] * value;
    }
}

std::vector<double> LeastSquares::solve() const {
    const auto n = static_cast<Eigen::Index>(unknowns_);
    Eigen::MatrixXd a(n, n);
    Eigen::VectorXd b(n), scale(n);
    for (Eigen::Index i = 0; i < n; ++i) {
        const double own = matrix_[static_cast<std::size_t>(i) * unknowns_ + static_cast<std::size_t>(i)];
        scale(i) = own > 0 ? 1 / std::sqrt(own) : 0;
    }
    // Scaled so that unknowns of very different size (hertz, seconds) do not spoil each other.
    for (Eigen::Index i = 0; i < n; ++i) {
        for (Eigen::Index j = 0; j <= i; ++j) {
            const double v = matrix_[static_cast<std::size_t>(i) * unknowns_ + static_cast<std::size_t>(j)];
            a(i, j) = a(j, i) = v * scale(i) * scale(j);
        }
        if (scale(i) == 0) a(i, i) = 1;
        b(i) = right_[static_cast<std::size_t>(i)] * scale(i);
    }
    const Eigen::VectorXd x = a.ldlt().solve(b);
    std::vector<double> out(unknowns_);
    for (Eigen::Index i = 0; i < n; ++i) out[static_cast<std::size_t>(i)] = x(i) * scale(i);
    return out;
}

}  // namespace rt
