#include "core/base/matrices.h"

#include <Eigen/Dense>

namespace zentil {
namespace {

/// One solver for all of them, compiled once: for each size in particular it takes ten seconds.
template <int N>
Axes<N> axes(const Eigen::Matrix<double, N, N>& symmetric) {
  using Small = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, 0, 4, 4>;
  const Eigen::SelfAdjointEigenSolver<Small> solver{Small(symmetric)};
  return {solver.eigenvalues(), solver.eigenvectors()};
}

}  // namespace

Axes<2> axesOf(const Mat2& symmetric) { return axes<2>(symmetric); }
Axes<3> axesOf(const Mat3& symmetric) { return axes<3>(symmetric); }
Axes<4> axesOf(const Eigen::Matrix4d& symmetric) { return axes<4>(symmetric); }

Mat3 nearestRotation(const Mat3& m) {
  const Eigen::JacobiSVD<Mat3> svd(m, Eigen::ComputeFullU | Eigen::ComputeFullV);
  const double sign = (svd.matrixU() * svd.matrixV().transpose()).determinant() < 0 ? -1 : 1;
  return svd.matrixU() * Vec3(1, 1, sign).asDiagonal() * svd.matrixV().transpose();
}

Mat3 rotationFromTo(const Vec3& from, const Vec3& to) {
  const Vec3 a = from.normalized(), b = to.normalized();
  const double along = a.dot(b);
  // About what lies across both (Rodrigues); of opposite ones, half a turn about anything across.
  if (along < -1 + 1e-12) {
    const Vec3 about = a.unitOrthogonal();
    return 2 * about * about.transpose() - Mat3::Identity();
  }
  const Vec3 about = a.cross(b);
  Mat3 cross;
  cross << 0, -about.z(), about.y(), about.z(), 0, -about.x(), -about.y(), about.x(), 0;
  return Mat3::Identity() + cross + cross * cross / (1 + along);
}

Vec3 solveSymmetric(const Mat3& a, const Vec3& b) { return a.ldlt().solve(b); }

Eigen::MatrixXd solveSymmetric(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b) { return a.ldlt().solve(b); }

}  // namespace zentil
