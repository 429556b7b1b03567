// A camera before one plane: against synthetic truth, and where its picture allows more than one answer.
#include <gtest/gtest.h>

#include "core/solve/planes.h"
#include "tests/support/synthetic.h"
#include "tests/support/tracked.h"

using namespace zentil;
using solve::Focal;
using solve::Kind;
using Scene = test::TrackedScene;

namespace {

solve::SolveSettings asked(Focal focal) {
  solve::SolveSettings q;
  q.kind = Kind::Plane, q.focal = focal, q.centre = false;
  return q;
}

/// Largest distance of points from the plane that suits them best, over the length of their longest side.
double unevenness(const solve::SolveAnswer& a) {
  Vec3 middle = Vec3::Zero();
  for (const auto& p : a.points) middle += p.at / static_cast<double>(a.points.size());
  Mat3 spread = Mat3::Zero();
  for (const auto& p : a.points) spread += (p.at - middle) * (p.at - middle).transpose();
  const Eigen::SelfAdjointEigenSolver<Mat3> axes(spread);
  double worst = 0, side = 0;
  for (const auto& p : a.points) {
    worst = std::max(worst, std::abs(axes.eigenvectors().col(0).dot(p.at - middle)));
    side = std::max(side, std::abs(axes.eigenvectors().col(2).dot(p.at - middle)));
  }
  return worst / side;
}

}  // namespace

TEST(BeforePlane, ThePathAndTheFocalLengthAreFound) {
  for (unsigned seed = 3; seed < 3U + static_cast<unsigned>(test::some(4, 4, 1)); ++seed) {
    const Scene scene({.noisePx = 0.1, .depth = 0, .turn = 0.02, .seed = seed});
    const auto a = scene.solve(asked(Focal::Unknown));
    const double sigma = a.errors.evidence.sigma.focal * a.camera.backWidthMm;
    std::printf("before a plane: RMS %.3f px, focal %.3f +- %.3f mm, centres off by %.3f%%, turns by %.4f degrees\n",
                a.errors.rmsPx, a.camera.focalMm, sigma, 100 * test::centresOff(a.camera, scene.truth),
                test::turnsOff(a.camera, scene.truth));
    EXPECT_EQ(a.errors.kind, Kind::Plane);
    EXPECT_EQ(a.camera.poses.size(), 40U);
    EXPECT_LT(a.errors.rmsPx, 0.16);
    EXPECT_NEAR(a.camera.focalMm, 24, 4 * sigma);
    EXPECT_NEAR(a.camera.focalMm, 24, 0.02 * 24);
    EXPECT_LT(test::centresOff(a.camera, scene.truth), 0.01);
    EXPECT_LT(unevenness(a), 1e-6);
  }
}

TEST(BeforePlane, WithTheFocalLengthKnownAndWhatLiesBesideItLeftOut) {
  Scene scene({.noisePx = 0.1, .count = 120, .depth = 0});
  const Scene beside({.noisePx = 0.1, .count = 40, .depth = 2.5, .seed = 9});
  for (auto t : beside.tracks) {
    t.id += 1000;
    scene.tracks.push_back(t);
  }
  auto body = scene.body();
  body.focalMm = 24, body.centreOffsetPx = scene.truth.centreOffsetPx;
  const auto a = solve::solve(scene.tracks, scene.range, Scene::kW, Scene::kH, body, scene.lens, asked(Focal::Known));
  std::printf("focal length known: RMS %.3f px, centres off by %.3f%%, turns by %.4f degrees\n", a.errors.rmsPx,
              100 * test::centresOff(a.camera, scene.truth), test::turnsOff(a.camera, scene.truth));
  EXPECT_LT(a.errors.rmsPx, 0.17);
  EXPECT_LT(test::centresOff(a.camera, scene.truth), 0.005);
  int on = 0, off = 0;
  for (const auto& e : a.errors.tracks) (e.id > 1000 ? off : on) += e.used();
  EXPECT_GT(on, test::fewer(120) * 88 / 100);
  EXPECT_LT(off, 8);  // those that lie on it by chance
}

TEST(BeforePlane, TwoFramesAllowTwoAnswersAndThatIsSaid) {
  const Scene scene({.noisePx = 0.05, .depth = 0, .lens = {}});
  track::Tracks tracks;
  for (const auto& t : scene.tracks)
    if (t.has(8) && t.has(32)) {
      track::Track one;
      one.id = t.id, one.first = 1;
      one.at = {t.where(8), t.where(32), t.where(32)};
      tracks.push_back(one);
    }
  auto body = scene.body();
  body.focalMm = 24, body.centreOffsetPx = scene.truth.centreOffsetPx;
  auto q = asked(Focal::Known);
  q.k1 = q.k2 = false;
  const auto a = solve::solve(tracks, {1, 3}, Scene::kW, Scene::kH, body, {}, q);
  ASSERT_FALSE(a.errors.remarks.empty());
  EXPECT_NE(a.errors.remarks[0].find("two answers explain the plane alike"), std::string::npos) << a.errors.remarks[0];
  // All frames tell them apart.
  const auto b = solve::solve(scene.tracks, scene.range, Scene::kW, Scene::kH, body, {}, q);
  for (const auto& r : b.errors.remarks) EXPECT_EQ(r.find("two answers"), std::string::npos) << r;
}

TEST(BeforePlane, WhatCannotBeTold) {
  const Scene scene({.noisePx = 0.1, .depth = 0});
  auto still = scene;
  for (auto& t : still.tracks)
    for (auto& p : t.at) p = t.at[0];
  EXPECT_NE(test::errorOf([&] { still.solve(asked(Focal::Unknown)); }).find("nothing moves"), std::string::npos);
  EXPECT_NE(test::errorOf([&] { scene.solve(asked(Focal::Zooming)); }).find("looks like a move"), std::string::npos);
  // Looked at straight on and from one side to the other, without a turn: any focal length will do.
  const Scene flat({.noisePx = 0.1, .ahead = 0, .depth = 0, .turn = 0, .lens = {}});
  auto q = asked(Focal::Unknown);
  q.k1 = q.k2 = false;
  const auto a = flat.solve(q);
  const bool said = std::any_of(a.errors.remarks.begin(), a.errors.remarks.end(),
                                [](const auto& r) { return r.find("focal length") != std::string::npos; });
  EXPECT_TRUE(said) << a.camera.focalMm;
}
