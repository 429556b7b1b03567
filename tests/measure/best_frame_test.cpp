// Which frame is the best source: hidden places, blur, other light, what has to go.
#include "core/measure/best_frame.h"
#include "core/evaluate/shot_evaluator.h"

#include <gtest/gtest.h>

#include <opencv2/imgproc.hpp>

#include "core/image/write.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

using test::Folder;

/// A wall with a thing of 30 x 40 px that stands still on the screen while the camera walks, and the place behind it.
struct Rig {
  Folder folder;
  shot::Shot s;
  comp::RenderCache cache{test::kBudget};

  Rig() : s(test::walkAlongWall(folder, 9)) {
    for (int f = 1001; f <= 1009; ++f)
      change(f, [](cv::Mat& m) { m(cv::Rect(150, 70, 30, 40)).setTo(cv::Scalar(0.9, 0.1, 0.1, 1)); });
    test::addPatch(s, 1005, 1005, 148, 68, 182, 112);
    s.mattes[0].parts[0].follows = matte::Follows::Screen;
  }
  void change(int f, const std::function<void(cv::Mat&)>& combine) {
    auto p = image::readFrame(s.plate(), f).picture;
    cv::Mat m(180, 320, CV_32FC4, p.values.data());
    combine(m);
    image::writePicture(s.plate().fileOf(f), p, {});
  }
  measure::FoundFrames find(int target, bool matched = false) {
    return measure::framesFor(*evaluate::ShotEvaluator::of(s), "e1", target, matched, cache);
  }
};

TEST(FramesFound, WhatHasToGoIsNeverASourceAndWhatPassesIsSeen) {
  Rig r;
  // By what most frames show alone: the place behind the thing is seen in the frames at the ends.
  const auto byMost = r.find(1005);
  EXPECT_GT(std::abs(byMost.best - 1005), 1) << byMost.best;
  EXPECT_GT(byMost.at(1005)->away, 4 * byMost.at(byMost.best)->away);
  // Said to have to go, it is told exactly.
  r.s.mattes[0].removal = true;
  const auto found = r.find(1005);
  EXPECT_FALSE(found.at(1005)->usable);
  EXPECT_DOUBLE_EQ(found.at(1005)->seen, 0);
  EXPECT_NEAR(found.at(1005)->excluded, 1, 1e-9);
  EXPECT_NE(found.at(1005)->words.find("removal matte"), std::string::npos);
  EXPECT_EQ(found.neverSeenPx, 0);
  for (const auto& f : found.frames) EXPECT_LE(f.seen, found.at(found.best)->seen + 0.005);
}

TEST(FramesFound, BlurAndOtherLightAreLeft) {
  Rig r;
  r.s.mattes[0].removal = true;
  const int clear = r.find(1005).best;
  r.change(clear, [](cv::Mat& m) { cv::GaussianBlur(m, m, {0, 0}, 2.0); });
  const auto blurred = r.find(1005);
  EXPECT_NE(blurred.best, clear);
  EXPECT_LT(blurred.at(clear)->detail, 0.8);
  const int second = blurred.best;
  r.change(second, [](cv::Mat& m) { m = m.mul(cv::Scalar(1.2, 1.2, 1.2, 1)); });
  const auto lit = r.find(1005);
  EXPECT_NE(lit.best, second);
  EXPECT_NEAR(lit.at(second)->gain, 1.2, 0.02);
  // Light that follows makes it as good as it was.
  EXPECT_LT(r.find(1005, true).at(second)->away, 0.5 * lit.at(second)->away);
}

TEST(FramesFound, APartThatNoFrameShowsIsNamedExactly) {
  Rig r;
  // Something else stands before a part of the wall itself, on all frames: it rides the wall.
  auto m = r.s.mattes[0];
  m.id = "m2", m.removal = true;
  m.parts[0].follows = matte::Follows::Surface, m.parts[0].surface = "s1";
  m.parts[0].content = matte::RotoShapes{{test::rectangle(160, 80, 170, 100)}, 1005};
  r.s.mattes.push_back(m);
  const auto found = r.find(1005);
  EXPECT_NEAR(found.neverSeenPx, 10 * 20, 45);  // and a rim, where the matte is read between pixels
  EXPECT_EQ(*found.neverSeen.pixel(165, 90), 1);
  EXPECT_EQ(*found.neverSeen.pixel(152, 75), 0);
  for (const auto& f : found.frames) EXPECT_LT(f.seen, 0.9);
}

TEST(FramesFound, ThePlateThatThePatchIsTakenFromIsTheOneThatIsWeighed) {
  Rig r;
  // Another take of the same move beside the plate, its frames numbered from 1, and dark on one.
  image::Plate take = r.s.plate();
  take.pattern = (r.folder / "take/take.####.exr").string();
  std::filesystem::create_directories(r.folder / "take");
  for (int f = 1; f <= 9; ++f) {
    auto p = image::readFrame(r.s.plate(), 1000 + f).picture;
    cv::Mat m(180, 320, CV_32FC4, p.values.data());
    if (f == 5) m *= 0.5;
    image::writePicture(take.fileOf(f), p, {});
  }
  shot::PlateUse use;
  use.id = "f2", use.name = "take", use.files = image::openPlate(take.fileOf(1)), use.shift = 1000;
  r.s.plates.push_back(use);
  r.s.elements[0].from<element::Patch>()->plate = "f2";
  const auto found = r.find(1001);
  EXPECT_NEAR(found.at(1005)->gain, 0.5, 0.02);
  EXPECT_NEAR(found.at(1004)->gain, 1, 0.02);
}

TEST(FramesFound, WhatHasToGoMayRideItsElementsOwnSurface) {
  Rig r;
  r.s.mattes[0].removal = true;
  r.s.mattes[0].parts[0].follows = matte::Follows::Surface;
  // It names no surface: the patch's. So it lies on the place on every frame.
  ASSERT_TRUE(r.s.mattes[0].parts[0].surface.empty());
  EXPECT_NE(test::errorOf([&] { r.find(1005); }).find("no frame shows the place"), std::string::npos);
}

TEST(FramesFound, AFrameThatIsGoneIsToldAndTheOthersAreWeighed) {
  Rig r;
  std::filesystem::remove(r.s.plate().fileOf(1003));
  const auto found = r.find(1005);
  ASSERT_NE(found.at(1003), nullptr);
  EXPECT_FALSE(found.at(1003)->usable);
  EXPECT_NE(found.at(1003)->words.find("1003"), std::string::npos) << found.at(1003)->words;
  EXPECT_NE(found.best, 1003);
  EXPECT_EQ(found.unread(), 1);
}

TEST(FramesFound, WhatCannotBeIsRefusedInWords) {
  Rig r;
  auto all = r.s;
  all.mattes[0].removal = true,
  all.mattes[0].parts[0].content = matte::RotoShapes{{test::rectangle(-500, -500, 900, 900)}, 1005};
  const auto ask = [&](const shot::Shot& s, const char* id) {
    return test::errorOf([&] { measure::framesFor(*evaluate::ShotEvaluator::of(s), id, 1005, false, r.cache); });
  };
  EXPECT_NE(ask(all, "e1").find("no frame shows"), std::string::npos);
  auto early = r.s;
  early.elements[0].range = {1001, 1002};
  EXPECT_NE(ask(early, "e1").find("does not show on frame 1005"), std::string::npos);
  auto far = r.s;
  far.elements[0].place = element::AtInfinity{};
  EXPECT_NE(ask(far, "e1").find("on a surface or a region"), std::string::npos);
  auto out = r.s;
  out.mattes[0].parts[0].content = matte::RotoShapes{{test::rectangle(-50, -50, -10, -10)}, 1005};
  EXPECT_NE(ask(out, "e1").find("outside the picture"), std::string::npos);
}

}  // namespace
}  // namespace zentil
