// A camera that stands while something before it moves, and that thing's own move: against synthetic truth.
#include "core/solve/object.h"

#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <random>

#include "core/lens/lens.h"
#include "tests/support/some.h"
#include "tests/support/synthetic.h"
#include "tests/support/tracked.h"

using namespace zentil;
using solve::Focal;

namespace {

constexpr int kW = 1280, kH = 720, kFrames = 48;
const FrameRange kRange{1, kFrames};

/// A box on a turntable before a camera; a still room behind.
struct Turntable {
  camera::CameraPath camera;  ///< truth
  lens::Lens lens = test::radial(-0.05, 0);
  std::map<int, solve::ObjectAnswer::Place> truth;
  track::Tracks tracks;
  std::vector<int> onBox;

  Turntable(unsigned seed, bool travels, double degrees, double slide) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> u(-1, 1);
    std::normal_distribution<double> noise(0, 0.1);
    camera.backWidthMm = 24.89, camera.backHeightMm = 14, camera.focalMm = 30;
    for (int f = 1; f <= kFrames; ++f)
      camera.poses[f] = {travels ? Vec3(0.02 * f, 0.005 * f, 0.3 * std::sin(0.1 * f)) : Vec3(Vec3::Zero()),
                         Eigen::AngleAxisd(travels ? 0.002 * f : 0, Vec3::UnitY()).toRotationMatrix(), 30};
    const Mat3 leans = Eigen::AngleAxisd(0.4, Vec3::UnitX()).toRotationMatrix();
    for (int f = 1; f <= kFrames; ++f)
      truth[f] = {
          Vec3(0.1 + slide * f, -0.05, -3),
          leans * Eigen::AngleAxisd(degrees * f * M_PI / 180, Vec3::UnitY()).toRotationMatrix() * leans.transpose()};
    const auto see = [&](int f, const Vec3& world, Vec2& at) {
      const auto c = camera.at(f, kW, kH);
      Vec2 straight;
      return c.project(world, straight) &&
             lens::LensOnPixels(lens, c.fx, c.fy, c.cx, c.cy).plateFromStraight(straight, at) && at.x() > 0 &&
             at.y() > 0 && at.x() < kW && at.y() < kH;
    };
    const auto add = [&](const auto& where) {
      track::Track t;
      t.id = static_cast<int>(tracks.size()) + 1, t.first = 1;
      int seen = 0;
      for (int f = 1; f <= kFrames; ++f) {
        Vec2 at;
        if (where(f, at))
          t.at.push_back(at + Vec2(noise(random), noise(random))), ++seen;
        else
          t.at.push_back(Vec2::Constant(NAN));
      }
      if (seen > 5) tracks.push_back(t);
      return seen > 5;
    };
    for (int i = 0; i < 150; ++i) {
      const Vec3 p(6 * u(random), 3.5 * u(random), -9 + 2 * u(random));
      add([&](int f, Vec2& at) { return see(f, p, at); });
    }
    // On the faces of a box of 1 x 0.8 x 0.9 m, seen while they face the camera.
    const Vec3 half(0.5, 0.4, 0.45);
    for (int i = 0; i < 260; ++i) {
      const int axis = i % 3;
      Vec3 p(u(random), u(random), u(random)), normal = Vec3::Zero();
      p = p.cwiseProduct(half);
      normal[axis] = i % 2 ? 1 : -1, p[axis] = normal[axis] * half[axis];
      if (add([&](int f, Vec2& at) {
            const auto& place = truth.at(f);
            const Vec3 world = place.position + place.turn * p;
            return (place.turn * normal).dot(camera.poses.at(f).position - world) > 0.15 && see(f, world, at);
          }))
        onBox.push_back(tracks.back().id);
    }
  }
};

/// RMS degrees by which the thing's turn is off; which way its own axes point is free.
double turnOff(const std::map<int, solve::ObjectAnswer::Place>& found, const Turntable& t) {
  Eigen::Vector4d sum = Eigen::Vector4d::Zero();
  std::vector<Eigen::Quaterniond> apart;
  for (const auto& [f, p] : found) {
    apart.emplace_back(Mat3(p.turn.transpose() * t.truth.at(f).turn));
    if (apart.back().dot(apart.front()) < 0) apart.back().coeffs() *= -1;
    sum += apart.back().coeffs();
  }
  const Eigen::Quaterniond mean(sum.normalized());
  double squares = 0;
  for (const auto& q : apart) squares += std::pow(q.angularDistance(mean) * 180 / M_PI, 2);
  return std::sqrt(squares / static_cast<double>(apart.size()));
}

}  // namespace

TEST(Object, ACameraThatStandsIsToldInTenOfTen) {
  const int asked = test::some(4, 10, 1);
  int told = 0;
  for (unsigned seed = 1; seed <= static_cast<unsigned>(asked); ++seed) {
    const Turntable t(seed, false, 1 + 0.3 * seed, seed % 2 ? 0.01 : 0);
    camera::CameraPath body;
    body.backWidthMm = 24.89, body.backHeightMm = 14;
    const std::string words = test::errorOf([&] { solve::solve(t.tracks, kRange, kW, kH, body, t.lens, {}); });
    told += words.find("the camera is static") != std::string::npos && words.find("as an object") != std::string::npos;
    if (words.empty()) std::printf("seed %u: not told\n", seed);
  }
  EXPECT_EQ(told, asked);
}

TEST(Object, ACameraThatMovesBeforeWhatIsFarAwayDoesNotStand) {
  // Half of what is seen is kilometres away, and stays; the rest comes nearer.
  test::TrackedScene scene({.noisePx = 0.1, .count = 240, .step = 0, .ahead = 0.03, .turn = 0});
  std::mt19937 random(4);
  std::uniform_real_distribution<double> u(-1, 1);
  std::normal_distribution<double> noise(0, 0.1);
  for (int f = 1; f <= 40; ++f) {
    auto& pose = scene.truth.poses[f];
    pose.rotation = Mat3::Identity(), pose.position = Vec3(0, 0, -0.03 * f);
  }
  scene.tracks.clear();
  for (int i = 0; i < 240; ++i) {
    const bool far = i % 2;
    const Vec3 p = far ? Vec3(4000 * u(random), 2000 * u(random), -8000)
                       : Vec3(4.5 * u(random), 2.5 * u(random), -7 + 2 * u(random));
    track::Track t;
    t.id = i + 1, t.first = 1;
    for (int f = 1; f <= 40; ++f) {
      Vec2 at;
      ASSERT_TRUE(scene.truth.at(f, kW, kH).project(p, at));
      t.at.push_back(at + Vec2(noise(random), noise(random)));
    }
    scene.tracks.push_back(t);
  }
  const auto standing = solve::standingOf(scene.tracks, scene.range, kW, kH);
  EXPECT_TRUE(standing.told) << "what is far away does stay";
  const auto a = solve::solve(scene.tracks, scene.range, kW, kH, scene.body(), {}, {});
  EXPECT_EQ(a.camera.poses.size(), 40U);
}
TEST(Object, ATurntablesMoveIsFoundBeforeACameraThatStands) {
  for (const double slide : {0.0, 0.01}) {
    const Turntable t(3, false, 2.5, slide);
    camera::CameraPath body;
    body.backWidthMm = 24.89, body.backHeightMm = 14, body.focalMm = 30;
    solve::ObjectSettings q;
    q.focal = Focal::Known, q.distanceM = (t.truth.at(1).position).norm();
    const auto a = solve::solveObject(t.tracks, kRange, kW, kH, body, t.lens, q);
    std::printf("turntable: %.3f px RMS, turn off by %.4f degrees; %zu of %zu tracks\n", a.rmsPx, turnOff(a.places, t),
                a.used, a.of);
    EXPECT_LT(a.rmsPx, 0.15);
    EXPECT_LT(turnOff(a.places, t), 0.05);
    EXPECT_EQ(a.places.size(), static_cast<size_t>(kFrames));
    // A box of 1 x 0.8 x 0.9, by its sides; how large it is follows from how far it was said to be.
    Vec3 size = a.size;
    std::sort(size.data(), size.data() + 3);
    std::printf("its box: %.3f x %.3f x %.3f\n", size.x(), size.y(), size.z());
    EXPECT_LT((size / size.z() - Vec3(0.8, 0.9, 1)).cwiseAbs().maxCoeff(), 0.05);
    EXPECT_EQ(a.camera.poses.size(), static_cast<size_t>(kFrames)) << "it stands on every frame";
  }
  // Without its focal length.
  const Turntable t(5, false, 2.5, 0);
  camera::CameraPath body;
  body.backWidthMm = 24.89, body.backHeightMm = 14;
  const auto a = solve::solveObject(t.tracks, kRange, kW, kH, body, t.lens, {});
  std::printf("focal length unknown: %.2f mm of 30, turn off by %.4f degrees\n", a.camera.focalMm,
              turnOff(a.places, t));
  EXPECT_NEAR(a.camera.focalMm, 30, 0.6);
  EXPECT_LT(turnOff(a.places, t), 0.3);
}
TEST(Object, BeforeACameraThatWasSolved) {
  const Turntable t(7, true, 2.5, 0.004);
  solve::ObjectSettings q;
  q.tracks = t.onBox, q.distanceM = (t.truth.at(1).position - t.camera.poses.at(1).position).norm();
  const auto a = solve::solveObject(t.tracks, kRange, kW, kH, t.camera, t.lens, q);
  std::printf("before a moving camera: %.3f px, turn off by %.4f degrees\n", a.rmsPx, turnOff(a.places, t));
  EXPECT_LT(a.rmsPx, 0.15);
  EXPECT_LT(turnOff(a.places, t), 0.05);
  EXPECT_EQ(a.camera, t.camera);
}
TEST(Object, WhatCannotBeSolvedIsSaid) {
  Turntable t(9, false, 2.5, 0);
  camera::CameraPath body;
  solve::ObjectSettings q;
  q.tracks = {1, 2, 3};
  EXPECT_NE(test::errorOf([&] { solve::solveObject(t.tracks, kRange, kW, kH, body, t.lens, q); }).find("too few"),
            std::string::npos);
  auto zooms = t.camera;
  zooms.poses[9].focalMm = 40;
  EXPECT_NE(test::errorOf([&] { solve::solveObject(t.tracks, kRange, kW, kH, zooms, t.lens, {}); }).find("zooms"),
            std::string::npos);
}
