#include "core/comp/undistort.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/base/files.h"
#include "core/comp/cg_render.h"
#include "core/comp/layer.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/provenance.h"
#include "core/image/write.h"
#include "core/lens/lens_file.h"
#include "core/lens/st_maps.h"
#include "core/output/lens_files.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

TEST(Straight, WhatNobodyPaintedOnIsThePlatesOwnPixels) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2, 320, 180, -0.15);
  test::addPatch(s, 1001, 1001, 40, 30, 280, 150);
  comp::RenderCache w(size_t{256} << 20);
  const auto files = test::writeStraightPlates(s, {1001}, folder.path(), w);
  ASSERT_EQ(files.size(), 1U);
  auto painted = image::readPicture(files[0]).picture;
  const Box box = evaluate::overscan(s, s.overscan);
  ASSERT_EQ(painted.display.width(), box.width());
  EXPECT_GT(box.width(), 320);
  // Painted: a bright square around straight pixel (160, 90) of the plate.
  for (int y = 80; y < 100; ++y)
    for (int x = 150; x < 170; ++x) std::fill_n(painted.pixel(x - box.x0, y - box.y0), 3, 0.95f);
  image::writePicture(folder / "painted.exr", painted, {});
  test::held(s.elements[0]).picture = (folder / "painted.exr").string();
  const auto plate = w.frame(s.plate(), 1001);
  const auto source = test::sourceOf(s, s.elements[0], w);
  ASSERT_EQ(source->picture.display, s.frameBox());
  size_t same = 0, bright = 0;
  const auto lens = s.lensAt(1001);
  for (int y = 0; y < 180; ++y)
    for (int x = 0; x < 320; ++x) {
      Vec2 q;
      ASSERT_TRUE(lens.straightFromPlate({x + 0.5, y + 0.5}, q));
      const bool far = q.x() < 140 || q.x() > 180 || q.y() < 70 || q.y() > 110;
      const float *a = plate->picture.pixel(x, y), *b = source->picture.pixel(x, y);
      if (far) {
        EXPECT_EQ(a[1], b[1]) << x << " " << y;
        same += a[1] == b[1];
      } else if (q.x() > 153 && q.x() < 167 && q.y() > 83 && q.y() < 97) {
        EXPECT_NEAR(b[1], 0.95, 0.01);
        ++bright;
      }
    }
  EXPECT_GT(same, 50000U);
  EXPECT_GT(bright, 150U);
  // Through a whole build: at the held frame the patch changes only what was painted.
  const auto built = test::buildFrame(s, 1001, w);
  EXPECT_EQ(built.pixel(100, 60)[1], plate->picture.pixel(100, 60)[1]);
  EXPECT_GT(built.pixel(160, 90)[1], 0.9f);
}

TEST(Straight, WhatWasPaintedIsNotWrittenOver) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2, 320, 180, -0.15);
  comp::RenderCache w(size_t{256} << 20);
  const auto files = test::writeStraightPlates(s, {1001, 1002}, folder.path(), w);
  EXPECT_EQ(test::writeStraightPlates(s, {1001, 1002}, folder.path(), w), files) << "its own are";
  // Painted on by another program that keeps the header, as most do.
  const auto mark = image::markOf(files[0]);
  auto painted = image::readPicture(files[0]).picture;
  painted.pixel(40, 40)[0] += 0.25f;
  image::WriteOptions options;
  options.notes["ImageDescription"] = mark;
  image::writePicture(files[0], painted, options);
  const std::string before = readText(files[0]);
  EXPECT_NE(test::errorOf([&] {
              test::writeStraightPlates(s, {1001, 1002}, folder.path(), w);
            }).find("was changed"),
            std::string::npos);
  // The shot uses it: by whatever name.
  test::addPatch(s, 1001, 1001, 40, 30, 280, 150);
  test::held(s.elements[0]).picture = files[1].string();
  s.elements[0].on = false;
  EXPECT_NE(test::errorOf([&] { test::writeStraightPlates(s, {1002}, folder.path(), w); }).find("is made from"),
            std::string::npos);
  EXPECT_EQ(readText(files[0]), before);
}

TEST(Straight, TheSizeSaysWhatItIs) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 1, 320, 180, -0.15);
  test::addPatch(s, 1001, 1001, 40, 30, 280, 150);
  comp::RenderCache w(size_t{256} << 20);
  image::writePicture(folder / "plate.exr", image::Picture(320, 180, 4, 0.25f), {});
  test::held(s.elements[0]).picture = (folder / "plate.exr").string();
  EXPECT_EQ(test::sourceOf(s, s.elements[0], w)->picture.pixel(5, 5)[0], 0.25f);
  image::writePicture(folder / "other.exr", image::Picture(322, 180, 4, 0.25f), {});
  test::held(s.elements[0]).picture = (folder / "other.exr").string();
  EXPECT_NE(test::errorOf([&] { test::sourceOf(s, s.elements[0], w); }).find("322 x 180"), std::string::npos);
}

TEST(Straight, AStoppedJobStops) {
  const test::Folder folder;
  const auto s = test::walkAlongWall(folder, 2);
  comp::RenderCache w(size_t{256} << 20);
  Job job;
  job.stop();
  EXPECT_THROW(test::writeStraightPlates(s, {1001, 1002}, folder.path(), w, job), Stopped);
}

TEST(LensFiles, ALensThatChangesHasMapsForEveryFrame) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 320, 180, 0);
  s.name = "zoom";
  s.lens.keys.put(1001, {-0.02, 0, 0, 0, 0});
  s.lens.keys.put(1003, {-0.2, 0, 0, 0, 0});
  EXPECT_TRUE(evaluate::ShotEvaluator::of(s)->lensChanges());
  // The straight picture holds the plate on the frame where it is largest.
  const Box box = evaluate::overscan(s, {false, 1}), last = lens::straightBox(s.lensAt(1003), 320, 180);
  EXPECT_EQ(box, last);
  const auto files = test::writeLensFiles(s, 1002, folder / "maps", output::Origin::Top);
  for (const int f : {1001, 1002, 1003}) {
    const auto name = fmt::format("zoom.{}_", f);
    const auto a = lens::readStMaps(
        {folder / "maps" / (name + "undistort.exr"), folder / "maps" / (name + "redistort.exr")}, 320, 180);
    Vec2 p, q;
    ASSERT_TRUE(a.maps->redistort.at({10.5, 10.5}, p));
    ASSERT_TRUE(s.lensAt(f).straightFromPlate({10.5, 10.5}, q));
    EXPECT_NEAR((p - q).norm(), 0, 0.01) << f;
  }
  // The coefficients are those of the frame asked for, in OpenCV's form.
  EXPECT_NEAR(lens::readLens(folder / "maps/zoom_lens.yml").lens.k1, -0.11, 1e-9);
  EXPECT_EQ(files.size(), 9U);
  s.lens.keys = {};
  s.lens.model = lens::Model::Division, s.lens.k1 = -0.1;
  EXPECT_FALSE(evaluate::ShotEvaluator::of(s)->lensChanges());
  for (const auto& f : test::writeLensFiles(s, 1001, folder / "division", output::Origin::Top))
    EXPECT_NE(f.extension(), ".yml");
}

TEST(Build, APatchStaysLockedThroughALensThatChanges) {
  // The wall is painted through the shot's own lens at each frame; a patch from another frame must land on itself.
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 4, 320, 180, -0.1);
  test::addPatch(s, 1001, 1001, 80, 50, 240, 130);
  comp::RenderCache w(size_t{256} << 20);
  const auto still = test::buildFrame(s, 1004, w);
  // The same lens, said as keys: the same picture to the last bit.
  auto keyed = s;
  for (const int f : {1001, 1004}) keyed.lens.keys.put(f, s.lens.coefficientsAt(f));
  EXPECT_EQ(test::buildFrame(keyed, 1004, w).values, still.values);
  // Another lens at the end: another picture.
  keyed.lens.keys.put(1004, {-0.02, 0, 0, 0, 0});
  EXPECT_NE(test::buildFrame(keyed, 1004, w).values, still.values);
  EXPECT_EQ(test::buildFrame(keyed, 1001, w).values, test::buildFrame(s, 1001, w).values);
}
