#include "core/geometry/least_squares.hpp"

#include <Eigen/SVD>

namespace wexilum {

LeastSquares least_squares(const Eigen::MatrixXd& slopes, const Eigen::VectorXd& wanted, double threshold)
{
    Eigen::JacobiSVD<Eigen::MatrixXd> svd(slopes, Eigen::ComputeThinU | Eigen::ComputeFullV);
    svd.setThreshold(threshold);
    return {svd.solve(wanted), svd.matrixV().rightCols(slopes.cols() - svd.rank())};
}

} // namespace wexilum
