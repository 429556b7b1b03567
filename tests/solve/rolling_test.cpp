// Rows that are read one after the other while the camera goes on: what the reading takes, and what stays right by it.
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "core/camera/rolling_shutter.h"
#include "core/view/view.h"
#include "tests/support/some.h"
#include "tests/support/synthetic.h"
#include "tests/support/tracked.h"

using namespace zentil;
using solve::Shutter;

namespace {

/// A camera in a hand that walks: it goes on between frames as it does over them.
camera::Camera walksAt(double t, const camera::CameraPath& body, int width, int height) {
  camera::Camera c = body.bodyAt(1, width, height);
  c.position = {0.05 * t, 0.05 * std::sin(0.5 * t) + 0.01 * std::sin(1.3 * t + 1),
                -0.02 * t + 0.02 * std::sin(0.9 * t)};
  c.rotation = Eigen::AngleAxisd(-0.01 * t + 0.012 * std::sin(0.7 * t), Vec3::UnitY()).toRotationMatrix() *
               Eigen::AngleAxisd(0.012 * std::sin(0.9 * t + 2) + 0.001 * std::sin(1.7 * t), Vec3::UnitX()) *
               Eigen::AngleAxisd(0.006 * std::sin(0.6 * t), Vec3::UnitZ());
  return c;
}

struct Walk {
  static constexpr int kW = 1280, kH = 720, kFrames = 45;
  camera::CameraPath truth;
  std::vector<Vec3> points;
  track::Tracks tracks;

  explicit Walk(double readout, unsigned seed = 3, double noisePx = 0.1) {
    truth.backWidthMm = 24.89, truth.backHeightMm = 14, truth.focalMm = 24, truth.readout = readout;
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> u(-1, 1);
    std::normal_distribution<double> n(0, noisePx);
    const auto body = truth;
    for (int f = 1; f <= kFrames; ++f) {
      const auto c = walksAt(f, body, kW, kH);
      truth.poses[f] = {c.position, c.rotation, 24};
    }
    const int count = test::fewer(250);
    for (int i = 0; i < count; ++i) points.emplace_back(1.5 + 5 * u(random), 2.5 * u(random), -7 + 2.5 * u(random));
    for (int i = 0; i < count; ++i) {
      track::Track t;
      t.id = i + 1, t.first = 1;
      int seen = 0;
      for (int f = 1; f <= kFrames; ++f) {
        // By halving: when the row on which it lands is the one that is read.
        double early = -std::abs(readout), late = std::abs(readout);
        Vec2 p;
        bool there = true;
        for (int k = 0; k < 60 && there; ++k) {
          const double when = (early + late) / 2;
          there = walksAt(f + when, body, kW, kH).project(points[static_cast<size_t>(i)], p);
          const double off = readout * (p.y() / kH - 0.5) - when;
          (off > 0 ? early : late) = when;
        }
        there = there && p.x() > 0 && p.y() > 0 && p.x() < kW && p.y() < kH;
        t.at.push_back(there ? Vec2(p + Vec2(n(random), n(random))) : Vec2(Vec2::Constant(NAN)));
        seen += there;
      }
      if (seen > 5) tracks.push_back(t);
    }
  }

  solve::SolveAnswer solve(Shutter shutter, double readout = 0) const {
    solve::SolveSettings q;
    q.shutter = shutter;
    camera::CameraPath body;
    body.backWidthMm = 24.89, body.backHeightMm = 14, body.readout = readout;
    return solve::solve(tracks, {1, kFrames}, kW, kH, body, {}, q);
  }

  /// How far what was put into the found world slips: points that no track knows, put where all frames together see
  /// them, against where each does; RMS, pixels.
  double slip(const solve::SolveAnswer& a) const {
    const auto viewOf = [&](const camera::CameraPath& path, const lens::Lens& lens, int f) {
      const auto c = path.at(f, kW, kH);
      return view::Rolling(c, {lens, c.fx, c.fy, c.cx, c.cy}, camera::rollOf(path, f), path.readout, kH);
    };
    Eigen::Matrix3Xd from(3, static_cast<long>(a.points.size())), to = from;
    for (size_t i = 0; i < a.points.size(); ++i)
      from.col(static_cast<long>(i)) = points[static_cast<size_t>(a.points[i].track - 1)],
      to.col(static_cast<long>(i)) = a.points[i].at;
    const Eigen::Matrix4d t = Eigen::umeyama(from, to, true);
    std::mt19937 random(77);
    std::uniform_real_distribution<double> u(-1, 1);
    double sum = 0;
    int n = 0;
    for (int i = 0; i < 200; ++i) {
      const Vec3 x(1.5 + 4 * u(random), 2 * u(random), -7 + 2 * u(random));
      std::vector<std::pair<view::Rolling, Vec2>> seen;
      for (int f = 2; f < kFrames; f += 3) {
        Vec2 p;
        double early = -1, late = 1;
        bool there = true;
        for (int k = 0; k < 60 && there; ++k) {
          const double when = (early + late) / 2;
          there = walksAt(f + when, truth, kW, kH).project(x, p);
          (truth.readout * (p.y() / kH - 0.5) > when ? early : late) = when;
        }
        if (there && p.x() > 0 && p.y() > 0 && p.x() < kW && p.y() < kH)
          seen.emplace_back(viewOf(a.camera, a.lens, f), p);
      }
      if (seen.size() < 4) continue;
      Vec3 at = (t * x.homogeneous()).head<3>();
      for (int round = 0; round < 8; ++round) {
        Mat3 m = Mat3::Zero();
        Vec3 g = Vec3::Zero();
        for (const auto& [view, p] : seen) {
          Vec2 q, r;
          if (!view.see(at, q)) continue;
          Eigen::Matrix<double, 2, 3> j;
          for (int k = 0; k < 3; ++k) view.see(at + 1e-5 * Vec3::Unit(k), r), j.col(k) = (r - q) / 1e-5;
          m += j.transpose() * j, g += j.transpose() * (p - q);
        }
        at += m.ldlt().solve(g);
      }
      for (const auto& [view, p] : seen)
        if (Vec2 q; view.see(at, q)) sum += (p - q).squaredNorm(), ++n;
    }
    return std::sqrt(sum / n);
  }
};

}  // namespace

TEST(Rolling, HowLongTheRowsTakeToBeReadIsFoundAndNothingSlipsByIt) {
  const Walk atOnce(0);
  const double still = atOnce.slip(atOnce.solve(Shutter::AtOnce));
  std::vector<double> times{0.6, -0.8};
  times.resize(static_cast<size_t>(test::some(1, 2)));
  for (const double readout : times) {
    const Walk scene(readout);
    const auto blind = scene.solve(Shutter::AtOnce), found = scene.solve(Shutter::Found),
               known = scene.solve(Shutter::Known, readout);
    const double sigma = found.errors.evidence.sigma.readout;
    // What poses on whole frames do not say of the way between them is nobody's to know: the true ones slip by so much.
    solve::SolveAnswer truth;
    truth.camera = scene.truth;
    for (size_t i = 0; i < scene.points.size(); ++i)
      truth.points.push_back({static_cast<int>(i) + 1, scene.points[i], 0, Walk::kFrames});
    const double between = scene.slip(truth), least = std::hypot(still, between);
    std::printf(
        "rows read over %.0f%% of a frame: found %.2f +- %.2f%%; RMS %.3f px as if at once, %.3f found, %.3f known; "
        "slip "
        "%.3f, %.3f, %.3f px where a shutter that reads at once leaves %.3f, and the true poses %.3f; focal length "
        "%.3f +- %.3f mm\n",
        100 * readout, 100 * found.camera.readout, 100 * sigma, blind.errors.rmsPx, found.errors.rmsPx,
        known.errors.rmsPx, scene.slip(blind), scene.slip(found), scene.slip(known), still, between,
        found.camera.focalMm, found.errors.evidence.sigma.focal * 24.89);
    EXPECT_NEAR(found.camera.readout, readout, 0.05 * std::abs(readout));
    EXPECT_LT(std::abs(found.camera.readout - readout), 3 * sigma + 0.002);
    EXPECT_LT(found.errors.rmsPx, 0.16);
    EXPECT_LT(scene.slip(found), 1.15 * least);
    EXPECT_LT(scene.slip(known), 1.15 * least);
    EXPECT_EQ(known.camera.readout, readout);
    const auto& r = blind.errors.remarks;
    const auto told = std::find_if(
        r.begin(), r.end(), [](const auto& x) { return x.find("looks like rolling shutter") != std::string::npos; });
    ASSERT_NE(told, r.end());
    std::printf("  told: %s\n", told->c_str());
    EXPECT_GT(scene.slip(blind), 3 * still) << "else nothing was asked";
  }
}

TEST(Rolling, WhatIsReadAtOnceIsSaidToBeHardlyToldFromIt) {
  const Walk scene(0);
  const auto found = scene.solve(Shutter::Found);
  std::printf("rows read at once: found %.2f +- %.2f%%\n", 100 * found.camera.readout,
              100 * found.errors.evidence.sigma.readout);
  EXPECT_LT(std::abs(found.camera.readout), 0.02);
  const auto& r = found.errors.remarks;
  EXPECT_TRUE(std::any_of(r.begin(), r.end(),
                          [](const auto& x) { return x.find("rolling shutter is not clear") != std::string::npos; }));
}

TEST(Rolling, AnEvenWayAlongAWallTellsNothingOfIt) {
  // A camera that goes evenly and does not turn sees slanted what stands plumb: so it might be built.
  Walk scene(0);
  const double readout = 0.6;
  const auto body = scene.truth;
  std::mt19937 random(5);
  std::normal_distribution<double> n(0, 0.1);
  for (auto& t : scene.tracks) {
    const Vec3& x = scene.points[static_cast<size_t>(t.id - 1)];
    for (int f = 1; f <= Walk::kFrames; ++f) {
      auto c = body.bodyAt(1, Walk::kW, Walk::kH);
      c.position = Vec3(0.05 * f, 0, 0);
      Vec2 p;
      c.project(x, p);
      c.position.x() += 0.05 * readout * (p.y() / Walk::kH - 0.5);  // its row is the same from there
      const bool there = c.project(x, p) && p.x() > 0 && p.y() > 0 && p.x() < Walk::kW && p.y() < Walk::kH;
      t.at[static_cast<size_t>(f - 1)] = there ? Vec2(p + Vec2(n(random), n(random))) : Vec2(Vec2::Constant(NAN));
    }
  }
  std::erase_if(scene.tracks, [](const auto& t) {
    return std::count_if(t.at.begin(), t.at.end(), [](const Vec2& p) { return p.allFinite(); }) < 6;
  });
  const auto found = scene.solve(Shutter::Found);
  const double sigma = found.errors.evidence.sigma.readout;
  std::printf("an even way: found %.0f +- %.0f%% of 60\n", 100 * found.camera.readout, 100 * sigma);
  EXPECT_GT(sigma, 0.1);
  const auto& r = found.errors.remarks;
  EXPECT_TRUE(std::any_of(r.begin(), r.end(), [](const auto& x) {
    return x.find("the readout is uncertain") != std::string::npos ||
           x.find("rolling shutter is not clear") != std::string::npos;
  }));
  EXPECT_NE(test::errorOf([&] { scene.solve(Shutter::Known); }).find("how long the rows"), std::string::npos);
}

TEST(Rolling, APixelsRayLeadsToWhatLandsOnIt) {
  const Walk scene(0.7);
  const auto c = scene.truth.at(20, Walk::kW, Walk::kH);
  lens::Lens bent;
  bent.k1 = -0.08;
  const lens::LensOnPixels lens(bent, c.fx, c.fy, c.cx, c.cy);
  const view::Rolling rolling(c, lens, camera::rollOf(scene.truth, 20), 0.7, Walk::kH);
  double worst = 0;
  for (double x = 20; x < Walk::kW; x += 61)
    for (double y = 15; y < Walk::kH; y += 37)
      for (const double away : {0.8, 7.0, 1e9}) {
        Vec3 way;
        Vec2 back;
        ASSERT_TRUE(static_cast<const view::View&>(rolling).unproject(Vec2(x, y), way));
        ASSERT_TRUE(rolling.see(rolling.positionAt({x, y}) + away * way, back));
        worst = std::max(worst, (back - Vec2(x, y)).norm());
        // Without the lens it lies where that pixel of the plate is straightened to.
        Vec2 straight, pixel;
        ASSERT_TRUE(rolling.seeStraight(rolling.positionAt({x, y}) + away * way, straight));
        ASSERT_TRUE(lens.straightFromPlate(back, pixel));
        EXPECT_LT((straight - pixel).norm(), 1e-9);
      }
  EXPECT_LT(worst, 1e-5);
}
