#pragma once
// Decompositions of small matrices, each compiled once: wherever one is written out, its templates cost seconds.
#include "core/base/geometry.h"

namespace zentil {

/// Eigenvalues, rising, and unit eigenvectors, in columns, of a symmetric matrix.
template <int N>
struct Axes {
  Eigen::Matrix<double, N, 1> values;
  Eigen::Matrix<double, N, N> vectors;
};
Axes<2> axesOf(const Mat2& symmetric);
Axes<3> axesOf(const Mat3& symmetric);
Axes<4> axesOf(const Eigen::Matrix4d& symmetric);

/// The rotation nearest to a matrix by the sum of squares, never a mirror (Kabsch 1976; Umeyama 1991). Of the sum of
/// to * from^T it is the rotation that brings directions `from` onto directions `to` best.
Mat3 nearestRotation(const Mat3& m);

/// The smallest rotation that takes one direction onto another; of any length, not zero.
Mat3 rotationFromTo(const Vec3& from, const Vec3& to);

/// Solves a x = b for a symmetric matrix that is not negative. Not finite where it does not hold x.
Vec3 solveSymmetric(const Mat3& a, const Vec3& b);
Eigen::MatrixXd solveSymmetric(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b);

}  // namespace zentil
