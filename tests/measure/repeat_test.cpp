// A source from elsewhere on its surface: by numbers, and snapped to a repeat that is known.
#include "core/measure/repeat.h"
#include "core/evaluate/shot_evaluator.h"

#include <gtest/gtest.h>

#include <cmath>
#include <opencv2/imgproc.hpp>
#include <random>

#include "core/edit/cleanup.h"
#include "core/edit/edits.h"
#include "core/image/write.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

using test::Folder;

/// A wall whose brightness repeats, in metres, seen at an angle through a lens; a red thing on a place of it, in every
/// frame. `step` is what it repeats by.
struct PatternedWall {
  Folder folder;
  shot::Shot s = test::walkAlongWall(folder, 3, 480, 270);
  comp::RenderCache cache{test::kBudget};
  image::Picture clean;

  explicit PatternedWall(const std::function<double(double, double)>& look) {
    std::mt19937 random(8);
    std::normal_distribution<float> noise(0, 0.004f);
    // Turned away a little: a step is not the same all over the picture.
    s.surfaces[0].turn = Eigen::AngleAxisd(0.35, Vec3::UnitY()).toRotationMatrix();
    const auto wall = s.surfaces[0].at(1001);
    test::repaint(s, [&](int f, image::Picture& p) {
      const auto camera = s.cameraAt(f);
      const auto lens = s.lensAt(f);
      for (int y = 0; y < 270; ++y)
        for (int x = 0; x < 480; ++x) {
          double sum = 0;
          for (const double dy : {0.25, 0.75})
            for (const double dx : {0.25, 0.75}) {
              Vec2 straight;
              lens.straightFromPlate({x + dx, y + dy}, straight);
              const Vec3 d = camera.unproject(straight);
              const double t = wall.normal().dot(wall.position - camera.position) / wall.normal().dot(d);
              const Vec3 own = wall.toOwn(camera.position + t * d);
              sum += look(own.x(), own.y()) / 4;
            }
          for (int c = 0; c < 3; ++c) p.pixel(x, y)[c] = static_cast<float>(sum * (1 - 0.15 * c)) + noise(random);
        }
      if (f == 1002) clean = p;
      cv::Mat(270, 480, CV_32FC4, p.values.data())(cv::Rect(226, 116, 26, 34)).setTo(cv::Scalar(0.9, 0.1, 0.1, 1));
    });
    test::addPatch(s, 1002, 1002, 224, 114, 254, 152);
    s.mattes[0].removal = true;
  }
  nlohmann::json apply(const std::string& edits) {
    return edit::apply(s, nlohmann::json::parse(edits), {cache, folder.path()});
  }
  double psnr() {
    const auto built = test::buildFrame(s, 1002, cache);
    double sum = 0;
    for (int y = 116; y < 150; ++y)
      for (int x = 226; x < 252; ++x)
        for (int c = 0; c < 3; ++c) sum += std::pow(built.pixel(x, y)[c] - clean.pixel(x, y)[c], 2);
    return -10 * std::log10(sum / (3 * 34 * 26));
  }
};

/// Bricks of 0.31 by 0.11 m in mortar, every other row half a brick further.
double bricks(double x, double y) {
  const double row = std::floor(y / 0.11), along = x / 0.31 + (static_cast<long>(row) % 2 ? 0.5 : 0.0);
  const double u = (along - std::floor(along)) * 0.31, v = y - row * 0.11;
  const double edge = std::min({u, 0.31 - u, v, 0.11 - v});
  const double mortar = std::clamp(edge / 0.008, 0.0, 1.0);
  return 0.25 + 0.3 * mortar + 0.04 * std::sin(2 * M_PI * along) * mortar;
}
/// Boards 0.16 m high that shade upwards, and nails every 0.4 m.
double boards(double x, double y) {
  const double v = y / 0.16 - std::floor(y / 0.16), u = x / 0.4 - std::floor(x / 0.4);
  const double groove = std::clamp(std::min(v, 1 - v) * 0.16 / 0.01, 0.0, 1.0);
  const double nail = std::exp(-(std::pow((u - 0.5) * 0.4, 2) + std::pow((v - 0.5) * 0.16, 2)) / (2 * 0.012 * 0.012));
  return 0.15 + groove * (0.3 + 0.12 * v) - 0.2 * nail;
}

void findsAndFills(const std::function<double(double, double)>& look, const Vec2& a, const Vec2& b) {
  PatternedWall w(look);
  const auto answer = w.apply(R"([{"repeat": "e1", "frame": 1002}])")[0];
  const Vec2 step(answer.at("acrossM"), answer.at("upM"));
  // Some sum of whole steps: which one is the surface's own affair.
  Mat2 lattice;
  lattice << a, b;
  const Vec2 n = lattice.inverse() * step, whole(std::round(n.x()), std::round(n.y()));
  const double pxM = measure::repeatNear(*evaluate::ShotEvaluator::of(w.s), "e1", 1002, step, w.cache).pxM;
  const double off = (lattice * (n - whole)).norm() / pxM;
  std::printf("%.0f and %.0f steps further, off by %.3f px (+- %.3f), alike by %.3f, filled at %.1f dB\n", n.x(), n.y(),
              off, answer.at("sigmaPx").get<double>(), answer.at("alike").get<double>(), w.psnr());
  EXPECT_GT(whole.norm(), 0);
  EXPECT_LT(off, 0.1);
  EXPECT_GT(w.psnr(), 36);
}

TEST(Repeat, IsFoundOnBricksWithinATenthOfAPixel) { findsAndFills(bricks, {0.31, 0}, {0.155, 0.11}); }
TEST(Repeat, IsFoundOnBoardsWithinATenthOfAPixel) { findsAndFills(boards, {0.4, 0}, {0, 0.16}); }

TEST(Repeat, NearAShiftByHandItIsTheOneThere) {
  PatternedWall w(bricks);
  w.apply(
      R"([{"set": "elements.e1.source.sourceOffsetM.acrossM", "to": -0.60}, {"set": "elements.e1.source.sourceOffsetM.upM", "to": 0.02}])");
  const auto answer = w.apply(R"([{"repeat": "e1", "frame": 1002}])")[0];
  EXPECT_NEAR(answer.at("acrossM").get<double>(), -0.62, 0.004);
  EXPECT_NEAR(answer.at("upM").get<double>(), 0, 0.004);
}

TEST(Repeat, AFillIsTakenFromElsewhereToo) {
  for (const auto how : {element::FillMethod::Averaged, element::FillMethod::PartByPart}) {
    PatternedWall w(bricks);
    element::Fill g{{1002, 1001, 1003}, {}, how, true};
    g.from.acrossM = 0.31;
    w.s.elements[0].source = g;
    EXPECT_GT(w.psnr(), 36) << nameOf(how);
  }
}

TEST(Repeat, WhatCannotBeIsRefusedInWords) {
  // Every spot of 3 cm is its own.
  PatternedWall w([](double x, double y) {
    const double cell = std::floor(x / 0.03) * 12.9898 + std::floor(y / 0.03) * 78.233, v = std::sin(cell) * 43758.5453;
    return 0.2 + 0.5 * (v - std::floor(v));
  });
  EXPECT_NE(test::errorOf([&] { w.apply(R"([{"repeat": "e1", "frame": 1002}])"); }).find("looks like"),
            std::string::npos);
  w.s.surfaces[0].kind = set::SurfaceKind::Sphere;
  EXPECT_NE(test::errorOf([&] { w.apply(R"([{"repeat": "e1", "frame": 1002}])"); }).find("on a plane"),
            std::string::npos);
  w.s.elements[0].from<element::Patch>()->from.acrossM = 0.2;
  EXPECT_NE(test::errorOf([&] { test::buildFrame(w.s, 1002, w.cache); }).find("taken from elsewhere"),
            std::string::npos);
}

}  // namespace
}  // namespace zentil
