// Output views: one resampling, the plate's own pixels where the canvas only grows, mattes and light where they belong.
#include <gtest/gtest.h>

#include <cmath>

#include "core/edit/edits.h"
#include "core/image/write.h"
#include "core/output/deliver.h"
#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

image::Picture outputOf(const shot::Shot& s, int frame, comp::RenderCache& w, map::Filter filter = map::Filter::Sharp,
                        bool overPlate = true) {
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  return output::outputPicture(*evaluator, evaluator->output(frame), w, filter, overPlate);
}

/// A plate that is black but for one pixel.
void lightOnePixel(shot::Shot& s, const test::Folder& folder, int x, int y) {
  image::Picture p(s.width, s.height, 4);
  for (size_t i = 3; i < p.values.size(); i += 4) p.values[i] = 1;
  for (int c = 0; c < 3; ++c) p.pixel(x, y)[c] = 1;
  image::WriteOptions floats;
  floats.half = false;
  for (int f = s.range.first; f <= s.range.last; ++f)
    image::writePicture(folder / fmt::format("lit.{}.exr", f), p, floats);
  s.setPlate(image::openPlate(folder / fmt::format("lit.{}.exr", s.range.first)));
}

/// Pixels that are more than nearly nothing.
int litIn(const image::Picture& p) {
  int n = 0;
  for (size_t i = 0; i < p.values.size(); i += 4) n += p.values[i + 1] > 1e-4f;
  return n;
}

}  // namespace

TEST(OutputView, AWiderCanvasHasThePlateBitForBit) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 320, 180);
  comp::RenderCache w(test::kBudget);
  s.output.width = 480, s.output.height = 301, s.output.shiftX = 10;
  const auto wide = outputOf(s, 1002, w);
  ASSERT_EQ(wide.data, (Box{0, 0, 480, 301}));
  ASSERT_EQ(wide.display, wide.data);
  const auto& plate = w.frame(s.plate(), 1002)->picture;
  // Its middle on the plate's, but for the shift: (320 - 480) / 2 + 10 = -70, (180 - 301) / 2 = -60.5, a pixel's
  // corner.
  for (int y = 0; y < 180; ++y)
    for (int x = 0; x < 320; ++x)
      for (int c = 0; c < 4; ++c) ASSERT_EQ(wide.pixel(x + 70, y + 61)[c], plate.pixel(x, y)[c]) << x << " " << y;
  EXPECT_EQ(wide.pixel(69, 100)[3], 0);
  EXPECT_EQ(wide.pixel(70 + 320, 100)[3], 0);
  // Smaller than the plate it is a part of it.
  s.output = {};
  s.output.width = 100, s.output.height = 80;
  const auto crop = outputOf(s, 1002, w);
  ASSERT_EQ(crop.data, (Box{0, 0, 100, 80}));
  for (int c = 0; c < 3; ++c) EXPECT_EQ(crop.pixel(7, 9)[c], plate.pixel(117, 59)[c]);
}

TEST(OutputView, WhateverItIsAPixelIsReadOnce) {
  // Read between its neighbours once, a lit pixel reaches 2 x 2 others at the most where pixels lie as far apart as the
  // plate's; read twice, 3 x 3.
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 320, 180, -0.08);
  comp::RenderCache w(test::kBudget);
  lightOnePixel(s, folder, 211, 47);
  s.steady.hold = shot::Hold::Rotation, s.steady.reference = 1001, s.steady.enlarged = false;
  for (const auto kind : {shot::OutputKind::Straight, shot::OutputKind::Steadied, shot::OutputKind::AnotherLens}) {
    s.output.kind = kind;
    const int lit = litIn(outputOf(s, 1003, w, map::Filter::Draft));
    EXPECT_GE(lit, 1) << namesOf(kind)[static_cast<size_t>(kind)];
    EXPECT_LE(lit, 4) << namesOf(kind)[static_cast<size_t>(kind)];
  }
}

TEST(OutputView, AnElementGoesOnBeyondThePlatesEdge) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 320, 180, 0);
  comp::RenderCache w(test::kBudget);
  auto* wall = s.surface("s1");
  ASSERT_NE(wall, nullptr);
  edit::apply(s, nlohmann::json::parse(R"([{"element": "plain colour", "on": "s1", "frame": 1002,
    "as": {"source": {"kind": "plain colour", "colour": [0.2, 0.4, 0.6]}}}])"),
              {w, folder.path()});
  s.output.kind = shot::OutputKind::AnotherLens;
  s.output.focalMm = s.camera->poses.at(1002).focalMm / 4;
  const auto wide = outputOf(s, 1002, w, map::Filter::Sharp, false);
  // By arithmetic: a corner of the wall lands where a pinhole of that focal length sees it.
  const auto now = s.surfacesAt(1002).front();
  camera::Camera eye = s.cameraAt(1002);
  eye.fx /= 4, eye.fy /= 4;
  Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
  for (const double u : {-0.5, 0.5})
    for (const double v : {-0.5, 0.5}) {
      Vec2 at;
      ASSERT_TRUE(eye.project(now.toWorld(Vec3(u * now.size.x(), v * now.size.y(), 0)), at));
      lo = lo.cwiseMin(at), hi = hi.cwiseMax(at);
    }
  // How much of it is there: its area, by alpha, within the frame.
  double area = 0;
  for (size_t i = 3; i < wide.values.size(); i += 4) area += wide.values[i];
  Vec2 from = lo.cwiseMax(Vec2(0, 0)), to = hi.cwiseMin(Vec2(320, 180));
  EXPECT_LT(from.x(), 320 * 3 / 8.0) << "it has to reach beyond the plate";
  // Seen square, it is a rectangle.
  ASSERT_TRUE(s.cameraAt(1002).rotation.isApprox(Mat3(Mat3::Identity()), 1e-9));
  EXPECT_NEAR(area / ((to - from).x() * (to - from).y()), 1, 0.01);
}

TEST(OutputView, AMatteOnTheScreenStaysOnItsPixelsOfThePlate) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 320, 180, -0.08);
  comp::RenderCache w(test::kBudget);
  edit::apply(s, nlohmann::json::parse(R"([
    {"element": "plain colour", "on": "s1", "frame": 1002},
    {"shape": [[100, 60], [200, 60], [200, 120], [100, 120]], "frame": 1002, "element": "e1", "as": {"softPx": 0}},
    {"set": "mattes.m1.parts.p1.follows", "to": "screen"}])"),
              {w, folder.path()});
  for (const auto follows : {matte::Follows::Screen, matte::Follows::Surface}) {
    test::part(s).follows = follows;
    s.output = {};
    s.output.kind = shot::OutputKind::AnotherLens;
    s.output.width = 400, s.output.height = 240;
    const auto evaluator = evaluate::ShotEvaluator::of(s);
    const auto wide = outputOf(s, 1002, w, map::Filter::Sharp, false);
    // The middle of what is covered lies where the view sees the middle of the shape.
    Vec2 sum = Vec2::Zero();
    double weight = 0;
    for (int y = 0; y < 240; ++y)
      for (int x = 0; x < 400; ++x) {
        const double a = wide.pixel(x, y)[3];
        sum += a * Vec2(x + 0.5, y + 0.5), weight += a;
      }
    ASSERT_GT(weight, 1000);
    Vec2 should = Vec2::Zero();
    double parts = 0;
    for (int y = 60; y < 120; y += 2)
      for (int x = 100; x < 200; x += 2) {
        // By area: how far apart the view puts a pixel's neighbours.
        Vec2 at, right, below;
        const auto view = evaluator->outputView(1002);
        ASSERT_TRUE(view.fromPlate(Vec2(x + 1, y + 1), at));
        ASSERT_TRUE(view.fromPlate(Vec2(x + 2, y + 1), right) && view.fromPlate(Vec2(x + 1, y + 2), below));
        const double size = (right - at).x() * (below - at).y();
        should += size * at, parts += size;
      }
    EXPECT_NEAR((sum / weight - should / parts).norm(), 0, 0.05) << static_cast<int>(follows);
    EXPECT_NEAR(weight / (4 * parts), 1, 0.01) << static_cast<int>(follows);
  }
}

TEST(OutputView, WhatIsDeliveredIsStaleWhenTheViewChanges) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 64, 36);
  comp::RenderCache w(test::kBudget);
  s.delivery.pattern = (folder / "out/out.####.exr").string();
  test::deliver(s, {1002}, w);
  EXPECT_TRUE(test::isUpToDate(s, 1002));
  s.output.width = 96;
  EXPECT_FALSE(test::isUpToDate(s, 1002));
  test::deliver(s, {1002}, w);
  EXPECT_TRUE(test::isUpToDate(s, 1002));
  const auto file = image::readPicture(folder / "out/out.1002.exr");
  EXPECT_EQ(file.picture.display, (Box{0, 0, 96, 36}));
  EXPECT_TRUE(file.hasAlpha);
  // Its words are kept and come back.
  s.output.kind = shot::OutputKind::AnotherLens, s.output.focalMm = 18.0, s.output.backWidthMm = 24.89;
  shot::save(s, folder / "view.zentil");
  EXPECT_EQ(shot::load(folder / "view.zentil").output, s.output);
}

TEST(OutputView, ASecondLookIsAnotherFramesCamera) {
  // What lies on the wall is seen from another frame's camera as that frame saw it: without a lens, to the filter.
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 320, 180, 0);
  comp::RenderCache w(test::kBudget);
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  const auto other = evaluator->stage(1003);
  const auto seen = comp::buildFrame(evaluate::seenFrom(evaluator->at(1002), other->view, other->frameBox), w, {});
  const auto& truth = w.frame(s.plate(), 1003)->picture;
  double sum = 0;
  int n = 0;
  for (int y = 20; y < 160; ++y)
    for (int x = 40; x < 280; ++x)
      if (seen.pixel(x, y)[3] > 0.999f) sum += std::pow(seen.pixel(x, y)[1] - truth.pixel(x, y)[1], 2), ++n;
  ASSERT_GT(n, 20000);
  EXPECT_GT(-10 * std::log10(sum / n), 38);
}
