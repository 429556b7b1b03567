// Cylinders and spheres through points: against points of known ones.
#include "core/set/round_fit.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "core/set/form.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

/// Points on a part of a cylinder of radius 0.5 that leans, with noise of so much of its radius.
std::vector<Vec3> onCylinder(unsigned seed, double noise, double degrees, int count) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> u(0, 1);
  std::normal_distribution<double> n(0, 0.5 * noise);
  const Mat3 leans = Eigen::AngleAxisd(0.3, Vec3(1, 0.2, 0.4).normalized()).toRotationMatrix();
  std::vector<Vec3> out;
  for (int i = 0; i < count; ++i) {
    const double a = degrees * M_PI / 180 * u(random), r = 0.5 + n(random);
    out.push_back(Vec3(1, 2, -6) + leans * Vec3(r * std::sin(a), 1.6 * (u(random) - 0.5), r * std::cos(a)));
  }
  return out;
}

}  // namespace

TEST(RoundFit, ACylindersRadiusIsFoundToATwentiethOfAPercentAndSaysHowSurely) {
  std::vector<double> off;
  int within = 0;
  for (unsigned seed = 1; seed <= 20; ++seed) {
    const auto fit = set::fitCylinder(onCylinder(seed, 0.01, 200, 400));
    const double radius = fit.surface.size.x() / 2;
    off.push_back(std::abs(radius - 0.5) / 0.5);
    within += std::abs(radius - 0.5) < 2 * fit.sigma;
    EXPECT_NEAR(fit.rms, 0.005, 0.001);
    EXPECT_NEAR(fit.surface.size.y(), 1.6, 0.05);
    // Its own Y is its axis.
    const Vec3 axis = Eigen::AngleAxisd(0.3, Vec3(1, 0.2, 0.4).normalized()) * Vec3::UnitY();
    EXPECT_LT(fit.surface.turn.col(1).cross(axis).norm(), 0.005);
  }
  std::sort(off.begin(), off.end());
  std::printf("cylinder of 1%% noise: radius off by %.3f%% (median), %.3f%% at the most; %d of 20 within two sigma\n",
              100 * off[10], 100 * off.back(), within);
  EXPECT_LT(off[10], 0.002);
  EXPECT_LT(off.back(), 0.005);
  EXPECT_GE(within, 17);
}
TEST(RoundFit, WhatDoesNotBelongToItIsLeftOut) {
  auto points = onCylinder(3, 0.01, 180, 200);
  std::mt19937 random(5);
  std::uniform_real_distribution<double> u(-1, 1);
  for (int i = 0; i < 40; ++i) points.emplace_back(1 + u(random), 2 + u(random), -6 + u(random));
  const auto fit = set::fitCylinder(points);
  EXPECT_NEAR(fit.surface.size.x(), 1, 0.01);
  EXPECT_GE(fit.leftOut, 20U);
}
TEST(RoundFit, ASphereByAPartOfIt) {
  std::mt19937 random(2);
  std::uniform_real_distribution<double> u(-1, 1);
  std::normal_distribution<double> n(0, 0.003);
  std::vector<Vec3> points;
  while (points.size() < 150) {
    const Vec3 d = Vec3(u(random), u(random), u(random)).normalized();
    if (d.z() > 0.1) points.push_back(Vec3(-2, 1, -4) + (0.3 + n(random)) * d);
  }
  const auto fit = set::fitSphere(points);
  EXPECT_NEAR(fit.surface.size.x() / 2, 0.3, 0.0015);
  EXPECT_LT((fit.surface.position - Vec3(-2, 1, -4)).norm(), 0.003);
  EXPECT_LT(std::abs(fit.surface.size.x() / 2 - 0.3), 4 * fit.sigma);
}
TEST(RoundFit, FlatOrTooFewIsSaid) {
  std::mt19937 random(2);
  std::uniform_real_distribution<double> u(-1, 1);
  std::normal_distribution<double> n(0, 0.01);
  std::vector<Vec3> flat;
  for (int i = 0; i < 100; ++i) flat.emplace_back(u(random), u(random), n(random));
  EXPECT_NE(test::errorOf([&] { set::fitSphere(flat); }), "");
  EXPECT_NE(test::errorOf([&] {
              set::fitCylinder({flat.begin(), flat.begin() + 5});
            }).find("too few"),
            std::string::npos);
}
