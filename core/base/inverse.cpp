#include "core/base/inverse.h"

#include <Eigen/Cholesky>

#include "core/base/parallel.h"

namespace zentil {

using Eigen::Lower;
using Eigen::MatrixXd;

namespace {

constexpr int kBlock = 96;

/// Its lower triangle becomes L of a = L L'; false where there is none.
bool factor(MatrixXd& a, const Job& job) {
  const int n = static_cast<int>(a.rows());
  for (int k = 0; k < n; k += kBlock) {
    job.checkpoint();
    const int own = std::min(kBlock, n - k), rest = n - k - own;
    Eigen::LLT<MatrixXd> corner(a.block(k, k, own, own));
    if (corner.info() != Eigen::Success) return false;
    a.block(k, k, own, own).triangularView<Lower>() = corner.matrixLLT();
    if (!rest) continue;
    auto below = a.block(k + own, k, rest, own);
    corner.matrixL().transpose().solveInPlace<Eigen::OnTheRight>(below);
    parallelRanges(0, (rest + kBlock - 1) / kBlock, 1, [&](int first, int last) {
      for (int b = first; b < last; ++b) {
        const int at = b * kBlock, wide = std::min(kBlock, rest - at);
        a.block(k + own + at, k + own + at, rest - at, wide).noalias() -=
            below.bottomRows(rest - at) * below.middleRows(at, wide).transpose();
      }
    });
  }
  return true;
}

}  // namespace

MatrixXd inverseOf(MatrixXd a, const Job& job) {
  if (!factor(a, job)) return {};
  const int n = static_cast<int>(a.rows());
  MatrixXd out(n, n);
  parallelRanges(0, (n + kBlock - 1) / kBlock, 1, [&](int first, int last) {
    for (int b = first; b < last && !job.stopped(); ++b) {
      // Rows above a column's own are another column's.
      const int at = b * kBlock, wide = std::min(kBlock, n - at), rest = n - at;
      MatrixXd x = MatrixXd::Identity(rest, wide);
      const auto l = a.bottomRightCorner(rest, rest).triangularView<Lower>();
      l.solveInPlace(x);
      l.transpose().solveInPlace(x);
      out.block(at, at, rest, wide) = x;
    }
  });
  job.checkpoint();
  out.triangularView<Eigen::StrictlyUpper>() = out.transpose();
  return out;
}

}  // namespace zentil
