// Motion blur: a sharp source in a blurred plate, against the mean of many renders while the shutter is open.
#include "core/comp/motion.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/edit/edits.h"
#include "core/edit/set_word.h"
#include "core/wording/recipe.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

using image::Picture;

/// The camera's pose at a time in frames: it speeds up, rises and rolls.
camera::Pose poseAt(double t) {
  camera::Pose p;
  p.position = Vec3(0.18 * t + 0.02 * t * t, 1.5 + 0.03 * t, 4 - 0.05 * t);
  p.rotation =
      (Eigen::AngleAxisd(0.03 * t, Vec3::UnitZ()) * Eigen::AngleAxisd(-0.02 * t, Vec3::UnitY())).toRotationMatrix();
  p.focalMm = 24;
  return p;
}

/// What the wall looks like from there: the mean of `times` renders over an open shutter.
Picture render(const shot::Shot& s, double t, double open, int times) {
  Picture out(s.width, s.height, 4, 0);
  for (int k = 0; k < times; ++k) {
    camera::CameraPath path = *s.camera;
    path.poses[1] = poseAt(t + open * ((k + 0.5) / times - 0.5));
    const auto camera = path.at(1, s.width, s.height);
    const auto lens = s.lensAt(1002);
    for (int y = 0; y < s.height; ++y)
      for (int x = 0; x < s.width; ++x) {
        Vec2 straight;
        lens.straightFromPlate({x + 0.5, y + 0.5}, straight);
        const Vec3 d = camera.unproject(straight), at = camera.position - d * (camera.position.z() / d.z());
        const auto v = static_cast<float>(test::texture(at.x(), at.y()) / times);
        float* p = out.pixel(x, y);
        p[0] += v, p[1] += v * 0.8f, p[2] += v * 0.6f, p[3] += 1.0f / static_cast<float>(times);
      }
  }
  return out;
}

/// Frame 1003 (a sharp one) seen on 1005, whose plate is blurred.
shot::Shot fastWalk(const test::Folder& folder) {
  auto s = test::walkAlongWall(folder, 7, 480, 270);
  auto path = std::make_shared<camera::CameraPath>(*s.camera);
  for (auto& [f, pose] : path->poses) pose = poseAt(f - 1004);
  s.camera = path;
  test::repaint(s, [&](int f, Picture& p) { p = render(s, f - 1004, 0, 1); });
  test::addPatch(s, 1003, 1005, 150, 80, 330, 190);
  return s;
}

double psnr(const Picture& a, const Picture& b, const Box& box) {
  double sum = 0;
  for (int y = box.y0; y < box.y1; ++y)
    for (int x = box.x0; x < box.x1; ++x)
      for (int c = 0; c < 3; ++c) sum += std::pow(a.pixel(x, y)[c] - b.pixel(x, y)[c], 2);
  return -10 * std::log10(sum / (3.0 * box.width() * box.height()));
}

TEST(MotionBlur, ASharpSourceIsBlurredAsTheShutterWould) {
  const test::Folder folder;
  auto s = fastWalk(folder);
  const Picture truth = render(s, 1, 0.5, 16);
  const Box inside{160, 90, 320, 180};
  comp::RenderCache w(test::kBudget);
  const double without = psnr(test::buildFrame(s, 1005, w), truth, inside);
  edit::setWord(s, "elements.e1.look.shutter", "50 %", 1005);
  const double with = psnr(test::buildFrame(s, 1005, w), truth, inside);
  std::printf("against 16 subframes: %.1f dB without, %.1f dB with motion blur\n", without, with);
  EXPECT_LT(without, 32);
  EXPECT_GT(with, 38);
  // A fill is blurred the same way.
  element::Fill g;
  g.frames = {1003, 1002, 1004}, g.method = element::FillMethod::PartByPart, g.equalise = false;
  s.elements[0].source = g;
  const double fill = psnr(test::buildFrame(s, 1005, w), truth, inside);
  std::printf("a fill: %.1f dB\n", fill);
  EXPECT_GT(fill, 38);
  // Closed it is sharp: the same to the bit as if nobody had spoken of a shutter.
  s = fastWalk(folder);
  const auto sharp = test::buildFrame(s, 1005, w).values;
  edit::setWord(s, "elements.e1.look.shutter", "0 %", 1005);
  EXPECT_EQ(test::buildFrame(s, 1005, w).values, sharp);
}

TEST(MotionBlur, AtTheEndsOfTheShotItGoesByTheOneNeighbour) {
  const test::Folder folder;
  auto s = fastWalk(folder);
  s.elements[0].look.shutter = 0.5;
  const Picture truth = render(s, 3, 0.5, 16);
  comp::RenderCache w(test::kBudget);
  const Box inside{110, 100, 230, 170};
  const double last = psnr(test::buildFrame(s, 1007, w), truth, inside);
  s.elements[0].look.shutter = 0.0;
  const double without = psnr(test::buildFrame(s, 1007, w), truth, inside);
  s.elements[0].look.shutter = 0.5;
  std::printf("on the last frame: %.1f dB without, %.1f dB with\n", without, last);
  EXPECT_GT(last, without + 3);
  // A camera that stands does nothing.
  auto still = s;
  auto path = std::make_shared<camera::CameraPath>(*s.camera);
  for (auto& [f, pose] : path->poses) pose = poseAt(0);
  still.camera = path;
  auto sharp = still;
  sharp.elements[0].look.shutter = 0.0;
  EXPECT_EQ(test::buildFrame(still, 1004, w).values, test::buildFrame(sharp, 1004, w).values);
}

}  // namespace
}  // namespace zentil
