// Linear least squares, by the singular values of the slopes.
#pragma once

#include <Eigen/Core>

namespace wexilum {

struct LeastSquares {
    Eigen::VectorXd values; ///< the shortest of those that come nearest to what is wanted
    Eigen::MatrixXd open;   ///< orthonormal combinations of the unknowns that what is wanted does not determine, a column each
};

/// Solves slopes * values = wanted as nearly as can be (Golub and Van Loan, Matrix Computations, 5.5). Singular values below `threshold`
/// times the largest count as none. Precondition: as many rows as `wanted` has.
[[nodiscard]] LeastSquares least_squares(const Eigen::MatrixXd& slopes, const Eigen::VectorXd& wanted, double threshold);

} // namespace wexilum
