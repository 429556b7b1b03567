// Small matrices taken apart.
#include "core/base/matrices.h"

#include <gtest/gtest.h>

#include <Eigen/LU>
#include <random>

using namespace zentil;

namespace {

std::mt19937 dice(5);
double any() { return std::uniform_real_distribution<double>(-1, 1)(dice); }
Vec3 anyWay() { return Vec3(any(), any(), any()); }

template <int N>
void expectAxes() {
  using M = Eigen::Matrix<double, N, N>;
  const M half = M::NullaryExpr([] { return any(); }), m = half + half.transpose();
  const auto axes = axesOf(m);
  EXPECT_LT((axes.vectors * axes.values.asDiagonal() * axes.vectors.transpose() - m).norm(), 1e-12);
  EXPECT_LT((axes.vectors.transpose() * axes.vectors - M::Identity()).norm(), 1e-12);
  for (int i = 1; i < N; ++i) EXPECT_LE(axes.values[i - 1], axes.values[i]);
}

}  // namespace

TEST(Matrices, AxesOfSymmetricOnes) {
  for (int i = 0; i < 20; ++i) expectAxes<2>(), expectAxes<3>(), expectAxes<4>();
}

TEST(Matrices, TheSmallestRotationTakesOneDirectionOntoAnother) {
  const auto expect = [](const Vec3& from, const Vec3& to) {
    const Mat3 r = rotationFromTo(from, to);
    EXPECT_LT((r * from.normalized() - to.normalized()).norm(), 1e-6) << from.transpose() << " to " << to.transpose();
    EXPECT_LT((r.transpose() * r - Mat3::Identity()).norm(), 1e-6);
    EXPECT_GT(r.determinant(), 0);
    // The smallest: its angle is the one between them.
    EXPECT_NEAR((r.trace() - 1) / 2, from.normalized().dot(to.normalized()), 1e-6);
  };
  for (int i = 0; i < 50; ++i) expect(3 * anyWay(), anyWay());
  const Vec3 up(0, 2, 0);
  expect(up, up), expect(up, -up);
  for (const double off : {1e-9, 1e-7, 1e-5, 1e-3})
    expect(up, -up + off * Vec3(1, 0, 1)), expect(up, up + off * Vec3(1, 0, 1));
}

TEST(Matrices, TheNearestRotationIsNeverAMirror) {
  const Mat3 turned = rotationFromTo(anyWay(), anyWay());
  EXPECT_LT((nearestRotation(2 * turned) - turned).norm(), 1e-12);
  EXPECT_NEAR(nearestRotation(-turned).determinant(), 1, 1e-12);
}
