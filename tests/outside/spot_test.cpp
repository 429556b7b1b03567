// Spots on the demo, their depth from the picture alone, against where its surfaces truly are.
#include <gtest/gtest.h>

#include <chrono>
#include <random>

#include "core/estimate/spot_depth.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/exchange/write.h"
#include "core/shot/shot_json.h"
#include "tests/outside/demo_truth.h"
#include "tests/support/making.h"

using namespace zentil;
using namespace zentil::test::demo;

TEST(SpotOutside, TheDemosPicturesTellHowFarItsWallsAre) {
  const auto truth = shot::load(test::kPainted);
  auto s = truth;
  s.elements.clear(), s.surfaces.clear();
  s.points = std::make_shared<std::vector<set::Point>>();
  comp::RenderCache w(size_t{2} << 30);
  const int frame = 1036;
  const auto stage = evaluate::ShotEvaluator::of(truth)->stage(frame);
  const auto scene = w.scene(*stage);
  scene->prepare(0, false);
  cv::Mat rig;
  cv::dilate(rigMatte(frame), rig, cv::Mat(), {-1, -1}, 14);
  std::mt19937 dice(7);
  std::uniform_real_distribution<double> x(40, 1240), y(110, 700);
  std::vector<double> off, median, worst;
  int covered = 0, refused = 0;
  double ms = 0;
  constexpr size_t kSpots = 60;
  while (off.size() < kSpots && refused < 200) {
    const Vec2 p(x(dice), y(dice));
    if (rig.at<uchar>(static_cast<int>(p.y()), static_cast<int>(p.x()))) continue;
    Vec2 straight;
    truth.lensAt(frame).straightFromPlate(p, straight);
    const auto camera = truth.cameraAt(frame);
    const Vec3 d = camera.unproject(straight);
    const auto hit = scene->first(camera.position, d, scene->indexOf(p.y() > 580 ? "s2" : "s1"));
    // Where there is nothing but boards, and where there is nothing but the slip.
    const bool wall = p.x() > 475 && p.x() < 805 && p.y()<560, slip = p.x()> 420 && p.x() < 1150 && p.y() > 600;
    if (hit.surface < 0 || (!wall && !slip)) continue;
    const double depth = camera.depthOf(camera.position + hit.distance * d);
    const auto began = std::chrono::steady_clock::now();
    try {
      auto found = estimate::spotAt(s, frame, p, w, {}, set::DepthFrom::Picture);
      ms = std::max(ms, std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - began).count());
      const double mine = camera.depthOf(found.spot.position);
      off.push_back(std::abs(mine - depth) / depth);
      covered += std::abs(mine - depth) < 2 * found.spot.sigmaM;
      // Its way over the picture against that of the true place.
      std::vector<double> px;
      for (int f = kFirst; f <= kLast; ++f) {
        Vec2 a, b;
        const auto c = truth.cameraAt(f);
        if (c.project(found.spot.position, a) && c.project(camera.position + hit.distance * d, b))
          px.push_back((a - b).norm());
      }
      std::sort(px.begin(), px.end());
      median.push_back(px[px.size() / 2]), worst.push_back(px.back());
    } catch (const Error&) {
      ++refused;
    }
  }
  ASSERT_EQ(off.size(), kSpots);
  const auto at = [](std::vector<double> v, double part) {
    std::sort(v.begin(), v.end());
    return v[static_cast<size_t>(part * static_cast<double>(v.size() - 1))];
  };
  std::printf(
      "%zu spots, %d refused: median %.3f%%, 90%% within %.3f%% of their depth; 2D path median %.3f px, worst %.3f px "
      "(of "
      "90%%); 2 sigma covers %.0f%%; slowest %.0f ms\n",
      off.size(), refused, 100 * at(off, 0.5), 100 * at(off, 0.9), at(median, 0.5), at(worst, 0.9),
      100.0 * covered / static_cast<double>(off.size()), ms);
  EXPECT_LT(at(off, 0.9), 0.003);
  EXPECT_LT(at(worst, 0.9), 0.4);
  EXPECT_GE(covered, 0.9 * static_cast<double>(off.size()));
  EXPECT_LT(at(median, 0.5), 0.08);
}
