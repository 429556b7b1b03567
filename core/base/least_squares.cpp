#include "core/base/least_squares.h"

#include <ceres/ceres.h>

#include <cmath>

namespace zentil {
namespace {

struct Residuals {
  const std::function<bool(const double*, double*)>& of;
  bool operator()(double const* const* unknowns, double* out) const { return of(unknowns[0], out); }
};

}  // namespace

LeastSquares leastSquares(const std::function<bool(const double*, double*)>& residuals, int count,
                          const Eigen::VectorXd& start) {
  LeastSquares out;
  out.at = start;
  auto* cost = new ceres::DynamicNumericDiffCostFunction<Residuals>(new Residuals{residuals});
  cost->AddParameterBlock(static_cast<int>(start.size()));
  cost->SetNumResiduals(count);
  ceres::Problem problem;
  problem.AddResidualBlock(cost, nullptr, out.at.data());
  ceres::Solver::Options options;
  options.linear_solver_type = ceres::DENSE_QR;
  options.max_num_iterations = 100;
  options.logging_type = ceres::SILENT;
  options.function_tolerance = 1e-12, options.parameter_tolerance = 1e-10;
  ceres::Solver::Summary summary;
  ceres::Solve(options, &problem, &summary);
  out.settled = summary.IsSolutionUsable() && summary.termination_type == ceres::CONVERGENCE;
  out.covariance = Eigen::MatrixXd::Zero(start.size(), start.size());
  if (!out.settled) return out;
  out.cost = summary.final_cost;
  ceres::Covariance::Options how;
  how.algorithm_type = ceres::DENSE_SVD, how.null_space_rank = -1;
  ceres::Covariance covariance(how);
  // It is the same by rows and by columns.
  const std::vector<std::pair<const double*, const double*>> block = {{out.at.data(), out.at.data()}};
  if (covariance.Compute(block, &problem))
    covariance.GetCovarianceBlock(out.at.data(), out.at.data(), out.covariance.data());
  return out;
}

double huber(double residual, double beyond) {
  const double far = std::abs(residual);
  return far <= beyond ? residual : std::copysign(std::sqrt(beyond * (2 * far - beyond)), residual);
}

}  // namespace zentil
