#include "core/solve/solve.h"

#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <cmath>
#include <random>

#include "core/solve/bundle.h"
#include "core/solve/cull.h"
#include "tests/support/synthetic.h"
#include "tests/support/tracked.h"

using namespace zentil;
using test::centresOff;
using Scene = test::TrackedScene;

TEST(Solve, CleanTracksGiveTheCameraBack) {
  const Scene scene({.noisePx = 0});
  const auto a = scene.solve();
  EXPECT_LT(a.errors.rmsPx, 1e-3);
  EXPECT_EQ(a.camera.poses.size(), 40U);
  EXPECT_NEAR(a.camera.focalMm, 24, 1e-3);
  EXPECT_NEAR(a.lens.k1, -0.08, 1e-4);
  // The centre is thought to lie near the middle until tracks say more: a little of that stays.
  EXPECT_NEAR((a.camera.centreOffsetPx - Vec2(5, -3)).norm(), 0, 0.2);
  EXPECT_LT(centresOff(a.camera, scene.truth), 1e-5);
}

TEST(Solve, NoiseAndAThirdOfTheTracksWrongDoNotTurnItOver) {
  const Scene scene({.noisePx = 0.2, .count = 300, .bad = 0.3});
  const auto a = scene.solve();
  std::printf("0.2 px of noise, 30%% of the tracks wrong: RMS %.3f px, focal %.3f mm, centres off by %.4f%%\n",
              a.errors.rmsPx, a.camera.focalMm, 100 * centresOff(a.camera, scene.truth));
  // Two coordinates of 0.2 px each.
  EXPECT_NEAR(a.errors.rmsPx, 0.283, 0.03);
  EXPECT_NEAR(a.camera.focalMm, 24, 0.15);
  EXPECT_LT(centresOff(a.camera, scene.truth), 0.004);
  int wrongKept = 0;
  for (const auto& e : a.errors.tracks) wrongKept += e.used && e.id <= 90;
  EXPECT_LE(wrongKept, 4);
}

TEST(Solve, AKnownFocalLengthIsBelieved) {
  const Scene scene({.noisePx = 0.1});
  auto body = scene.body();
  body.focalMm = 24;
  solve::SolveQuestion q;
  q.focal = solve::Focal::Known;
  const auto a = solve::solve(scene.tracks, scene.range, Scene::kW, Scene::kH, body, {}, q);
  EXPECT_NEAR(a.camera.focalMm, 24, 1e-9);
  EXPECT_LT(centresOff(a.camera, scene.truth), 0.002);
}

TEST(Solve, WhatCannotBeSolvedIsSaid) {
  Scene few({});
  few.tracks.resize(12);
  EXPECT_NE(test::errorOf([&] { few.solve(); }).find("12 tracks are too few"), std::string::npos);
  Scene one({});
  one.range = {1, 2};
  EXPECT_NE(test::errorOf([&] { one.solve(); }).find("three frames"), std::string::npos);
}

TEST(Solve, TheBundlesErrorsAreThoseThatTheNoiseAllows) {
  // The least error that any estimate can have, from the true Jacobian (Cramer 1946, Rao 1945), against the spread of
  // many solves of one small problem; focal length free, the first two views fixed so that the bound is of full rank.
  std::mt19937 random(5);
  std::uniform_real_distribution<double> u(-1, 1);
  solve::Inner truth{1200, 640, 360, -0.08, 0.01, 1};
  std::vector<solve::View> views(5);
  for (size_t i = 0; i < views.size(); ++i) {
    views[i].turn = Eigen::AngleAxisd(0.03 * static_cast<double>(i), Vec3::UnitY()).toRotationMatrix();
    views[i].place =
        Vec3(-0.3 * static_cast<double>(i), 0.05 * static_cast<double>(i * i % 3), 0.1 * static_cast<double>(i));
  }
  std::vector<Vec3> points;
  for (int i = 0; i < 40; ++i) points.emplace_back(2.5 * u(random), 1.4 * u(random), 6 + 2 * u(random));
  std::vector<solve::Sight> exact;
  for (int v = 0; v < 5; ++v)
    for (int p = 0; p < 40; ++p) {
      Vec2 at;
      ASSERT_TRUE(truth.project(views[static_cast<size_t>(v)], points[static_cast<size_t>(p)], at));
      exact.push_back({v, p, at, 1});
    }
  // Jacobian by differences: f, k1, views 1 to 4 (6 each), points (3 each).
  const int n = 2 + 24 + 120;
  const auto residuals = [&](const Eigen::VectorXd& d) {
    solve::Inner c = truth;
    c.f += d[0], c.k1 += d[1];
    auto w = views;
    for (int v = 1; v < 5; ++v) {
      const Vec3 r = d.segment<3>(2 + 6 * (v - 1));
      if (r.norm() > 0)
        w[static_cast<size_t>(v)].turn = Eigen::AngleAxisd(r.norm(), r.normalized()) * w[static_cast<size_t>(v)].turn;
      w[static_cast<size_t>(v)].place += d.segment<3>(5 + 6 * (v - 1));
    }
    Eigen::VectorXd out(2 * static_cast<long>(exact.size()));
    for (size_t i = 0; i < exact.size(); ++i) {
      const auto& s = exact[i];
      Vec2 at;
      c.project(w[static_cast<size_t>(s.view)], points[static_cast<size_t>(s.point)] + d.segment<3>(26 + 3 * s.point),
                at);
      out.segment<2>(2 * static_cast<long>(i)) = at - s.at;
    }
    return out;
  };
  Eigen::MatrixXd j(2 * static_cast<long>(exact.size()), n);
  for (int k = 0; k < n; ++k) {
    const double e = k == 0 ? 1e-3 : 1e-6;
    Eigen::VectorXd d = Eigen::VectorXd::Zero(n);
    d[k] = e;
    const Eigen::VectorXd up = residuals(d);
    d[k] = -e;
    j.col(k) = (up - residuals(d)) / (2 * e);
  }
  // Size is free as well: the bound is on what does not depend on it, by the pseudo-inverse.
  const Eigen::MatrixXd bound = (j.transpose() * j).completeOrthogonalDecomposition().pseudoInverse();
  for (const double noise : {0.1, 0.3, 1.0}) {
    std::normal_distribution<double> g(0, noise);
    double f2 = 0, k2 = 0;
    constexpr int kTimes = 60;
    for (int t = 0; t < kTimes; ++t) {
      auto sights = exact;
      for (auto& s : sights) s.at += Vec2(g(random), g(random));
      auto w = views;
      auto x = points;
      solve::Inner c = truth;
      solve::BundleQuestion q;
      q.focal = true, q.k1 = true, q.rounds = 60, q.huberPx = 1e6;
      solve::refine(w, c, x, sights, q);
      f2 += std::pow(c.f - truth.f, 2) / kTimes, k2 += std::pow(c.k1 - truth.k1, 2) / kTimes;
    }
    const double leastF = noise * std::sqrt(bound(0, 0)), leastK = noise * std::sqrt(bound(1, 1));
    std::printf("noise %.1f px: focal off by %.2f px RMS (bound %.2f), k1 by %.5f (bound %.5f)\n", noise, std::sqrt(f2),
                leastF, std::sqrt(k2), leastK);
    EXPECT_LE(std::sqrt(f2), 1.3 * leastF);
    EXPECT_LE(std::sqrt(k2), 1.3 * leastK);
  }
}

TEST(Cull, NamesWhatIsBeyondAndSaysWhatIsLeft) {
  const Scene scene({.noisePx = 0.2, .count = 120, .bad = 0.1});
  const auto a = scene.solve();
  const auto gone = solve::beyond(a.errors, scene.tracks, {0.5, 2, 8});
  EXPECT_GE(gone.size(), 8U);
  EXPECT_LE(gone.size(), 40U);
  const int all = solve::fewestWithout(scene.tracks, {}, scene.range);
  EXPECT_LT(solve::fewestWithout(scene.tracks, gone, scene.range), all);
  EXPECT_TRUE(solve::beyond(a.errors, scene.tracks, {1e9, 1e9, 0}).size() <= gone.size());
}
