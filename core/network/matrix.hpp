// Matrices of any number of ports out of network data, and back.
#pragma once

#include <Eigen/Dense>
#include <vector>

#include "core/network/two.hpp"

namespace rt {

using PortMatrix = Eigen::MatrixXcd;

inline Eigen::Index eigen_index(std::size_t n) {
    return static_cast<Eigen::Index>(n);
}

// The one at a frequency, of values that stand row by row.
inline PortMatrix matrix_at(const std::vector<Complex>& values, std::size_t index, std::size_t ports) {
    using Rows = Eigen::Matrix<Complex, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
    const auto n = eigen_index(ports);
    return Eigen::Map<const Rows>(values.data() + index * ports * ports, n, n);
}

inline void put_matrix(std::vector<Complex>& values, std::size_t index, const PortMatrix& matrix) {
    using Rows = Eigen::Matrix<Complex, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
    const auto n = matrix.rows();
    Eigen::Map<Rows>(values.data() + index * static_cast<std::size_t>(n * n), n, n) = matrix;
}

}  // namespace rt
