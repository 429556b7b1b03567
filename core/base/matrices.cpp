#include "core/base/matrices.h"

#include <Eigen/Dense>

namespace zentil {
namespace {

template <int N>
Axes<N> axes(const Eigen::Matrix<double, N, N>& symmetric) {
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix<double, N, N>> solver(symmetric);
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
  return Eigen::Quaterniond::FromTwoVectors(from, to).toRotationMatrix();
}

Vec3 solveSymmetric(const Mat3& a, const Vec3& b) { return a.ldlt().solve(b); }

Eigen::MatrixXd solveSymmetric(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b) { return a.ldlt().solve(b); }

}  // namespace zentil
