#pragma once
#include <Eigen/Core>
#include <functional>

namespace zentil {

/// What Levenberg and Marquardt's method (Ceres) comes to for a problem that is small and dense.
struct LeastSquares {
  Eigen::VectorXd at;
  Eigen::MatrixXd covariance;  ///< of the unknowns, for residuals of one
  double cost = 1e300;         ///< half the sum of squares
  bool settled = false;        ///< it converged; else only `at` is told, as far as it came
};

/// From a start, by slopes that are taken numerically. residuals(unknowns, out) writes `count` numbers; false where
/// there are none.
LeastSquares leastSquares(const std::function<bool(const double* unknowns, double* out)>& residuals, int count,
                          const Eigen::VectorXd& start);

/// A residual that counts by Huber's measure once it is squared: linearly from `beyond` on.
double huber(double residual, double beyond);

}  // namespace zentil
