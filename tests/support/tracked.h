#pragma once
#include <Eigen/Geometry>
#include <cmath>
#include <random>

#include "core/solve/solve.h"
#include "tests/support/some.h"

namespace zentil::test {

/// A lens of two coefficients.
inline lens::Lens radial(double k1, double k2) {
  lens::Lens out;
  out.k1 = k1, out.k2 = k2;
  return out;
}

/// How many tracks a scene has: two of five where every access to memory is watched.
inline int fewer(int count) { return some(count, count, 2 * count / 5); }

/// What a scene of tracks is like.
struct TrackedSetup {
  double noisePx = 0.1;
  double sharedPx = 0;  ///< errors that go along a track, and change over some ten frames
  int count = 200;
  double step = 0.05;   ///< the camera's way sideways, metres a frame
  double bad = 0;       ///< part of the tracks that drift by themselves
  double ahead = 0.01;  ///< its way forwards
  double depth = 2.5;   ///< points lie this much before and behind seven metres
  double turn = 0.012;  ///< radians a frame, about the vertical
  double nod = 0.01;    ///< radians to either side, about the horizontal
  double zoom = 1;      ///< focal length at the end over that at the start
  unsigned seed = 3;
  int frames = 40;
  lens::Lens lens = radial(-0.08, 0.01);
};

/// A handheld camera before a box of points, seen through a lens, with noise.
struct TrackedScene {
  camera::CameraPath truth;
  lens::Lens lens;
  std::vector<Vec3> points;
  track::Tracks tracks;
  FrameRange range;
  static constexpr int kW = 1280, kH = 720;

  explicit TrackedScene(const TrackedSetup& s) : range{1, s.frames} {
    std::mt19937 random(s.seed);
    std::uniform_real_distribution<double> u(-1, 1);
    std::normal_distribution<double> n(0, s.noisePx);
    truth.backWidthMm = 24.89, truth.backHeightMm = 14;
    truth.centreOffsetPx = Vec2(5, -3);
    lens = s.lens;
    for (int f = range.first; f <= range.last; ++f) {
      const double t = (f - s.frames / 2) * 40.0 / s.frames, away = 0.1 * std::sin(t * 0.2) * (s.step > 0);
      truth.poses[f] = {Vec3(s.step * t, away, -s.ahead * t),
                        Eigen::AngleAxisd(-s.turn * t, Vec3::UnitY()).toRotationMatrix() *
                            Eigen::AngleAxisd(s.nod * std::sin(t * 0.4), Vec3::UnitX()).toRotationMatrix(),
                        24 * std::pow(s.zoom, (f - 1.0) / (s.frames - 1))};
    }
    const int count = fewer(s.count);
    for (int i = 0; i < count; ++i) points.emplace_back(4.5 * u(random), 2.5 * u(random), -7 + s.depth * u(random));
    for (int i = 0; i < count; ++i) {
      track::Track t;
      t.id = i + 1, t.first = range.first;
      const bool wrong = i < s.bad * count;
      const Vec2 drift(2.0 * u(random), 2.0 * u(random));
      const double keeps = std::exp(-0.1), fresh = std::sqrt(1 - keeps * keeps) * s.sharedPx;
      std::normal_distribution<double> one(0, 1);
      Vec2 shared = s.sharedPx > 0 ? Vec2(s.sharedPx * one(random), s.sharedPx * one(random)) : Vec2(0, 0);
      int seen = 0;
      for (int f = range.first; f <= range.last; ++f) {
        const auto c = truth.at(f, kW, kH);
        Vec2 straight, p;
        const lens::LensOnPixels l(lens.at(f), c.fx, c.fy, c.cx, c.cy);
        if (c.project(points[static_cast<size_t>(i)], straight) && l.plateFromStraight(straight, p) && p.x() > 0 &&
            p.y() > 0 && p.x() < kW && p.y() < kH) {
          if (s.sharedPx > 0) shared = keeps * shared + fresh * Vec2(one(random), one(random));
          t.at.push_back(p + Vec2(n(random), n(random)) + shared +
                         (wrong ? Vec2(drift * (f - range.first)) : Vec2(0, 0)));
          ++seen;
        } else {
          t.at.push_back(Vec2::Constant(NAN));
        }
      }
      if (seen > 5) tracks.push_back(t);
    }
  }

  camera::CameraPath body() const {
    camera::CameraPath b;
    b.backWidthMm = 24.89, b.backHeightMm = 14;
    return b;
  }
  solve::SolveAnswer solve(const solve::SolveSettings& q = {}) const {
    return solve::solve(tracks, range, kW, kH, body(), {}, q);
  }
};

/// Straight ahead: focal length and centre are told badly, and make up for each other. k2 is not to be asked for.
inline TrackedSetup straightAhead(unsigned seed = 3) {
  TrackedSetup s;
  s.seed = seed, s.frames = 30, s.count = 150;
  s.step = 0, s.turn = 0.001, s.ahead = 0.08, s.depth = 3;
  s.noisePx = 0.05, s.sharedPx = 0.15;
  s.lens = radial(-0.08, 0);
  return s;
}

/// RMS distance of camera centres after the best similarity, over the path's length.
inline double centresOff(const camera::CameraPath& found, const camera::CameraPath& truth) {
  Eigen::Matrix3Xd a(3, static_cast<long>(found.poses.size())), b = a;
  long i = 0;
  for (const auto& [f, p] : found.poses) a.col(i) = p.position, b.col(i) = truth.poses.at(f).position, ++i;
  const Eigen::Matrix4d t = Eigen::umeyama(a, b, true);
  const Eigen::Matrix3Xd moved = (t.topLeftCorner<3, 3>() * a).colwise() + Vec3(t.topRightCorner<3, 1>());
  return std::sqrt((moved - b).colwise().squaredNorm().mean()) / (b.col(b.cols() - 1) - b.col(0)).norm();
}

/// RMS angle between turns, degrees, after the first frame's is made one.
inline double turnsOff(const camera::CameraPath& found, const camera::CameraPath& truth) {
  const int first = found.poses.begin()->first;
  double sum = 0;
  for (const auto& [f, p] : found.poses) {
    const Mat3 a = found.poses.at(first).rotation.transpose() * p.rotation,
               b = truth.poses.at(first).rotation.transpose() * truth.poses.at(f).rotation;
    sum += std::pow(Eigen::AngleAxisd(a.transpose() * b).angle() * 180 / M_PI, 2);
  }
  return std::sqrt(sum / static_cast<double>(found.poses.size()));
}

}  // namespace zentil::test
