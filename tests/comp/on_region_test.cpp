// Without a camera: patches and fills on a region that was followed, against the wall without the thing before it.
#include <gtest/gtest.h>

#include <Eigen/LU>
#include <opencv2/imgproc.hpp>

#include "core/edit/edits.h"
#include "core/edit/make.h"
#include "core/edit/set_word.h"
#include "core/edit/things.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/write.h"
#include "core/measure/best_frame.h"
#include "core/shot/shot_json.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

using test::Folder;

/// A wall with a thing that stands still on the screen, without a camera; a region on the wall whose motion is true.
struct NoCamera {
  Folder folder;
  shot::Shot s;
  std::map<int, image::Picture> clean;
  comp::RenderCache cache{test::kBudget};

  NoCamera() : s(test::walkAlongWall(folder, 9, 320, 180, 0)) {
    for (int f = 1001; f <= 1009; ++f) clean[f] = image::readFrame(s.plate(), f).picture;
    test::repaint(s, [&](int, image::Picture& p) {
      cv::Mat(180, 320, CV_32FC4, p.values.data())(cv::Rect(150, 70, 24, 40)).setTo(cv::Scalar(0.9, 0.1, 0.1, 1));
    });
    track::Region r;
    r.id = 1, r.name = "wall", r.reference = 1005;
    r.outline = {{40, 30}, {140, 30}, {140, 150}, {40, 150}};
    r.quad = track::quadAbout(r.outline);
    for (int f = 1001; f <= 1009; ++f) {
      cv::Point2f from[4], to[4];
      const auto ride = test::carrying(s, "s1", 1005, f, cache);
      for (size_t i = 0; i < 4; ++i) {
        Vec2 at;
        EXPECT_TRUE(map::through(*ride, r.outline[i], at));
        from[i] = cv::Point2f(static_cast<float>(r.outline[i].x()), static_cast<float>(r.outline[i].y()));
        to[i] = cv::Point2f(static_cast<float>(at.x()), static_cast<float>(at.y()));
      }
      const cv::Mat m = cv::getPerspectiveTransform(from, to);
      Mat3 h;
      for (int y = 0; y < 3; ++y)
        for (int x = 0; x < 3; ++x) h(y, x) = m.at<double>(y, x);
      r.motion[f] = h;
    }
    s.regions = {r};
    s.camera = std::make_shared<camera::CameraPath>();
    s.surfaces.clear();
    apply(R"([{"shape": [[147, 67], [177, 67], [177, 113], [147, 113]], "frame": 1005, "element": ")" + add("fill") +
          R"(", "as": {"follows": "screen"}}])");
  }
  nlohmann::json apply(const std::string& edits) {
    return edit::apply(s, nlohmann::json::parse(edits), {cache, folder.path()});
  }
  std::string add(const std::string& kind) { return apply(R"([{"element": ")" + kind + R"(", "frame": 1005}])")[0]; }
  double psnr(int f) {
    const auto built = test::buildFrame(s, f, cache);
    double sum = 0;
    for (int y = 70; y < 110; ++y)
      for (int x = 150; x < 174; ++x)
        for (int c = 0; c < 3; ++c) sum += std::pow(built.pixel(x, y)[c] - clean.at(f).pixel(x, y)[c], 2);
    return -10 * std::log10(sum / (3 * 40 * 24));
  }
};

TEST(OnRegion, PicturesAndCheckersAreSeenWithTheirCornersOnTheRegions) {
  NoCamera n;
  n.s.elements.clear(), n.s.mattes.clear();
  // Four quarters of four colours.
  image::Picture sign(40, 20, 4, 1.0f);
  const float colours[4][3] = {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {1, 1, 0}};
  for (int y = 0; y < 20; ++y)
    for (int x = 0; x < 40; ++x) std::copy_n(colours[(y >= 10) * 2 + (x >= 20)], 3, sign.pixel(x, y));
  image::writePicture(n.folder / "sign.exr", sign, {});
  n.apply(
      R"([{"element": "picture", "on": "1", "as": {"source": {"kind": "picture", "files": {"files": "sign.exr"}}}}])");
  EXPECT_EQ(n.s.elements[0].name, "Picture");
  const auto& region = n.s.regions[0];
  for (const int f : {1001, 1005, 1009}) {
    const auto built = test::buildFrame(n.s, f, n.cache);
    for (int k = 0; k < 4; ++k) {
      // The middle of each quarter, by OpenCV's homography between the corners.
      std::vector<cv::Point2f> from = {{0, 0}, {40, 0}, {40, 20}, {0, 20}}, to, at;
      for (const Vec2& corner : region.quad) {
        const Vec2 p = region.moved(f, corner);
        to.emplace_back(static_cast<float>(p.x()), static_cast<float>(p.y()));
      }
      cv::perspectiveTransform(std::vector<cv::Point2f>{{10.0f + 20 * (k % 2), 5.0f + 10 * (k / 2)}}, at,
                               cv::getPerspectiveTransform(from, to));
      const float* p = built.pixel(static_cast<int>(at[0].x), static_cast<int>(at[0].y));
      for (int c = 0; c < 3; ++c) EXPECT_NEAR(p[c], colours[k][c], 0.02) << f << " " << k;
    }
    EXPECT_EQ(built.pixel(300, 170)[0], n.clean.at(f).pixel(300, 170)[0]) << "beside it the plate's own";
  }
  n.apply(R"([{"remove": "elements.e1"}, {"element": "checker", "on": "1"}])");
  EXPECT_EQ(n.s.elements[0].name, "Checker on wall");
  const auto checked = test::buildFrame(n.s, 1003, n.cache);
  const Vec2 in = region.moved(1003, {90, 90});
  EXPECT_NE(checked.pixel(static_cast<int>(in.x()), static_cast<int>(in.y()))[0],
            n.clean.at(1003).pixel(static_cast<int>(in.x()), static_cast<int>(in.y()))[0]);
  EXPECT_NE(wording::textOf(wording::recipeOf(n.s, n.s.elements[0], 1003)).find("on wall"), std::string::npos);
}

TEST(OnRegion, AnElementThatCannotBeMadeIsLeftOutAndNamedWhereThatIsAsked) {
  NoCamera n;
  n.s.elements.clear(), n.s.mattes.clear();
  n.apply(R"([{"element": "checker", "on": "1", "as": {"name": "board"}}])");
  n.s.regions.clear();
  EXPECT_NE(test::errorOf([&] { test::buildFrame(n.s, 1003, n.cache); }).find("board"), std::string::npos);
  std::vector<std::string> failed;
  const auto state = evaluate::ShotEvaluator::of(n.s)->at(1003, &failed);
  comp::BuildOptions options;
  options.failed = &failed;
  EXPECT_EQ(comp::buildFrame(state, n.cache, options).pixel(90, 90)[0],
            image::readFrame(n.s.plate(), 1003).picture.pixel(90, 90)[0]);
  ASSERT_EQ(failed.size(), 1U);
  EXPECT_NE(failed[0].find("board"), std::string::npos);
}

TEST(OnRegion, AFillWithoutACameraStaysOnTheWall) {
  NoCamera n;
  EXPECT_EQ(regionOf(n.s.elements[0].place), 1);
  EXPECT_EQ(n.s.elements[0].name, "Fill on wall");
  n.s.mattes[0].removal = true;
  double worst = 1e9;
  for (int f = 1001; f <= 1009; ++f) worst = std::min(worst, n.psnr(f));
  const auto slip = test::slipOver(n.s, n.s.elements[0], n.cache);
  std::printf("averaged on a region: worst frame %.1f dB, slip median %.3f px, worst %.3f\n", worst, slip.medianPx,
              slip.lockPx);
  EXPECT_GT(worst, 38);
  EXPECT_EQ(slip.unknown, 0);
  EXPECT_LT(slip.medianPx, 0.15);
  // Part by part, and one frame as a patch, likewise.
  n.apply(R"([{"fillFromFewest": "e1"}])");
  EXPECT_GT(n.psnr(1005), 38);
  const auto found = measure::framesFor(*evaluate::ShotEvaluator::of(n.s), "e1", 1005, false, n.cache);
  n.s.elements[0].source = element::Patch{found.best, {}, {}};
  EXPECT_GT(n.psnr(1005), 30);
}

TEST(OnRegion, WhatIsNotFollowedThereIsNamedAndRefused) {
  NoCamera n;
  n.s.regions[0].motion.erase(1003);
  bool named = false;
  for (const auto& p : shot::problemsOf(n.s, false))
    named = named || p.text.find("not tracked to frames 1003") != std::string::npos;
  EXPECT_TRUE(named);
  EXPECT_NE(test::errorOf([&] { test::buildFrame(n.s, 1003, n.cache); }).find("1003"), std::string::npos);
  EXPECT_EQ(test::slipAt(n.s, n.s.elements[0], 1003, n.cache).why, "its region was not followed to here");
  n.s.regions.clear();
  EXPECT_NE(test::errorOf([&] { test::buildFrame(n.s, 1005, n.cache); }).find("region"), std::string::npos);
  n.s.elements.clear();
  EXPECT_NE(test::errorOf([&] { n.add("fill"); }).find("camera"), std::string::npos);
}

TEST(OnRegion, TheWordMovesAnElementBetweenSurfacesAndRegions) {
  NoCamera n;
  set::Surface wall;
  wall.id = "s9", wall.name = "brick";
  n.s.surfaces = {wall};
  edit::setWord(n.s, "elements.e1.on", "surface s9", 1005);
  EXPECT_EQ(n.s.elements[0].surface(), "s9");
  edit::setWord(n.s, "elements.e1.on", "region 1", 1005);
  EXPECT_EQ(regionOf(n.s.elements[0].place), 1);
  EXPECT_NE(test::errorOf([&] { edit::setWord(n.s, "elements.e1.on", "region 7", 1005); }).find("there is no"),
            std::string::npos);
  // It stays so in its file, and its pixels do not depend on regions that others ride.
  const auto key = test::recipeKey(n.s, 1005);
  auto other = n.s;
  other.regions.push_back(other.regions[0]);
  other.regions[1].id = 2;
  EXPECT_EQ(test::recipeKey(other, 1005), key);
  other.regions[0].motion[1004](0, 2) += 1;
  EXPECT_NE(test::recipeKey(other, 1005), key);
  const auto file = n.folder / "r.zentil";
  shot::save(n.s, file);
  EXPECT_EQ(shot::load(file).elements, n.s.elements);
}

}  // namespace
}  // namespace zentil
