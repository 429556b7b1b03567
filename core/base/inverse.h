#pragma once
#include <Eigen/Core>

#include "core/base/job.h"

namespace zentil {

/// The inverse of a symmetric positive definite n x n matrix, on all cores; empty where it is not positive definite.
/// By Cholesky in blocks (Golub and Van Loan, Matrix Computations, 4.2.9), of which only one triangle is worked out.
/// Throws Stopped within a block's time, some milliseconds, once the job was stopped.
Eigen::MatrixXd inverseOf(Eigen::MatrixXd a, const Job& job);

}  // namespace zentil
