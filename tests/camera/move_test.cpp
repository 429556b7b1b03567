// A move used elsewhere: against moves whose formula is known.
#include "core/camera/move.h"

#include <gtest/gtest.h>

#include <Eigen/Geometry>

#include "tests/support/synthetic.h"

using namespace zentil;
using camera::Move;

namespace {

Mat3 about(const Vec3& axis, double degrees) {
  return Eigen::AngleAxisd(degrees * M_PI / 180, axis.normalized()).toRotationMatrix();
}
/// Where the formula has the camera at a frame with fractions.
camera::Pose formula(double f) {
  const double t = (f - 1001) / 100;
  return {{std::sin(3 * t), 0.3 * t * t, -2 * t}, about({0.2, 1, 0.1}, 40 * t + 15 * std::sin(5 * t)), 30 + 4 * t};
}
Move move() {
  auto path = std::make_shared<camera::CameraPath>();
  for (int f = 1001; f <= 1101; ++f) path->poses[f] = formula(f);
  Move m;
  m.of = path, m.name = "hall", m.part = {1001, 1101}, m.at = 1;
  return m;
}
double degreesBetween(const Mat3& a, const Mat3& b) {
  return Eigen::AngleAxisd(a.transpose() * b).angle() * 180 / M_PI;
}

}  // namespace

TEST(Move, OnItsOwnFramesItIsAsItWas) {
  const auto path = camera::moved(move(), {1, 101});
  for (int f = 1; f <= 101; ++f) {
    const auto is = formula(f + 1000);
    EXPECT_LT((path.poses.at(f).position - is.position).norm(), 1e-12) << f;
    EXPECT_LT(degreesBetween(path.poses.at(f).rotation, is.rotation), 1e-6) << f;
  }
  EXPECT_EQ(path.source, "the move of hall");
}
TEST(Move, SlowerItGoesAlongTheFormulaBetweenItsFrames) {
  Move m = move();
  m.speed = 0.3;
  const auto path = camera::moved(m, {1, 400});
  for (int f = 10; f <= 325; ++f) {
    const auto is = formula(1001 + 0.3 * (f - 1));
    EXPECT_LT((path.poses.at(f).position - is.position).norm(), 2e-5) << f;
    EXPECT_LT(degreesBetween(path.poses.at(f).rotation, is.rotation), 1e-3) << f;
    EXPECT_NEAR(path.poses.at(f).focalMm, is.focalMm, 1e-9) << f;
  }
  EXPECT_LT((path.poses.at(400).position - formula(1101).position).norm(), 1e-12) << "after its end it stands";
}
TEST(Move, EasedItBeginsAndEndsAtRestAndGoesAllOfItsWay) {
  Move m = move();
  m.easeIn = 20, m.easeOut = 30;
  EXPECT_NEAR(camera::lasts(m), 125, 1e-12);
  EXPECT_NEAR(camera::frameOf(m, 1), 1001, 1e-12);
  EXPECT_NEAR(camera::frameOf(m, 126), 1101, 1e-12);
  const auto speed = [&](double f) { return camera::frameOf(m, f + 0.01) - camera::frameOf(m, f - 0.01); };
  EXPECT_LT(speed(1.02), 0.02 * 0.01);
  EXPECT_LT(speed(125.98), 0.02 * 0.01);
  EXPECT_NEAR(speed(11), 0.02 * 0.5, 1e-6) << "half as fast in the middle of what it is eased over";
  EXPECT_NEAR(speed(60), 0.02, 1e-9);
  double before = 0;
  for (double f = -5; f < 140; f += 0.25) {
    EXPECT_GE(camera::frameOf(m, f), before);
    before = camera::frameOf(m, f);
  }
  m.easeIn = m.easeOut = 5000;
  EXPECT_NEAR(camera::frameOf(m, 1 + camera::lasts(m)), 1101, 1e-9) << "longer than it lasts: shortened";
  EXPECT_NEAR(camera::frameOf(m, 1 + camera::lasts(m) / 2), 1051, 1e-9);
}
TEST(Move, PlacedAnewItKeepsItsShape) {
  Move m = move();
  m.begins = camera::Begins::AtMiddle, m.scale = 2, m.turnDegrees = 90, m.position = {1, 2, 3};
  const auto path = camera::moved(m, {1, 101});
  EXPECT_LT((path.poses.at(1).position - Vec3(1, 2, 3)).norm(), 1e-12);
  const Vec3 ahead = -path.poses.at(1).rotation.col(2);
  EXPECT_LT(std::abs(ahead.z()), 1e-9) << "turned by 90 degrees from -Z it looks along -X";
  EXPECT_LT(ahead.x(), 0);
  for (int f = 2; f <= 101; ++f) {
    EXPECT_NEAR((path.poses.at(f).position - path.poses.at(1).position).norm(),
                2 * (formula(1000 + f).position - formula(1001).position).norm(), 1e-9);
    EXPECT_NEAR(degreesBetween(path.poses.at(1).rotation, path.poses.at(f).rotation),
                degreesBetween(formula(1001).rotation, formula(1000 + f).rotation), 1e-6);
  }
}
TEST(Move, SmoothedItsShakeGoesAndAnEvenTurnStays) {
  Move m = move();
  auto shaken = std::make_shared<camera::CameraPath>();
  for (int f = 1001; f <= 1101; ++f)
    shaken->poses[f] = {{0.1 * (f - 1001) + (f % 2 ? 0.01 : -0.01), 0, 0},
                        about(Vec3::UnitY(), f - 1001) * about(Vec3::UnitX(), f % 2 ? 0.2 : -0.2),
                        35};
  m.of = shaken, m.smoothFrames = 6;
  const auto path = camera::moved(m, {1, 101});
  for (int f = 12; f <= 90; ++f) {
    EXPECT_NEAR(path.poses.at(f).position.x(), 0.1 * (f - 1), 1e-4);
    EXPECT_LT(degreesBetween(path.poses.at(f).rotation, about(Vec3::UnitY(), f - 1)), 0.005);
  }
}
TEST(Move, OfNothingIsRefused) {
  Move m = move();
  m.part = {1, 10};
  EXPECT_NE(test::errorOf([&] { camera::moved(m, {1, 10}); }).find("1001 to 1101"), std::string::npos);
  m.of = nullptr;
  EXPECT_NE(test::errorOf([&] { camera::moved(m, {1, 10}); }), "");
}
