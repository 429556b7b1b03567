#include "core/track/region.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>

#include "core/comp/layer.h"
#include "core/edit/trackers.h"
#include "core/shot/shot_json.h"
#include "core/shot/trackers.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using track::Freedom;
using track::Region;

namespace {

constexpr int kRegionW = 320, kRegionH = 240;

/// A texture seen through a motion that grows with the frame; to the right of `edge` there is another that stands.
std::shared_ptr<const image::Picture> frame(const Mat3& motion) {
  auto p = std::make_shared<image::Picture>(kRegionW, kRegionH, 1);
  const Mat3 back = motion.inverse();
  for (int y = 0; y < kRegionH; ++y)
    for (int x = 0; x < kRegionW; ++x) {
      const Vec3 h = back * Vec3(x + 0.5, y + 0.5, 1);
      *p->pixel(x, y) = static_cast<float>(test::texture(0.011 * h.x() / h.z(), 0.011 * h.y() / h.z()));
    }
  return p;
}

Mat3 motionAt(Freedom freedom, int f) {
  const double t = f / 10.0;
  Mat3 m = Mat3::Identity();
  m(0, 2) = 14 * t, m(1, 2) = -9 * t;
  if (freedom >= Freedom::Similarity) m(0, 0) = m(1, 1) = 1 + 0.1 * t, m(0, 1) = -0.12 * t, m(1, 0) = 0.12 * t;
  if (freedom >= Freedom::Affine) m(0, 1) += 0.07 * t;
  if (freedom == Freedom::Perspective) m(2, 0) = 3e-4 * t, m(2, 1) = -2e-4 * t;
  return m;
}

const std::vector<Vec2> kOutline = {{100, 70}, {220, 70}, {225, 170}, {95, 165}};

Region region(Freedom freedom) {
  Region r;
  r.id = 1, r.reference = 0, r.outline = kOutline, r.quad = track::quadAbout(kOutline), r.freedom = freedom;
  return r;
}

}  // namespace

class Freedoms : public testing::TestWithParam<Freedom> {};

TEST_P(Freedoms, AreFollowedBothWays) {
  const auto source = [](int f) { return frame(motionAt(GetParam(), f)); };
  auto r = track::followRegion(source, region(GetParam()), 0, 6);
  r = track::followRegion(source, r, 0, -6);
  ASSERT_EQ(r.motion.size(), 13U);
  double worst = 0;
  for (const auto& [f, m] : r.motion)
    for (const Vec2& c : r.quad) {
      const Vec3 h = motionAt(GetParam(), f) * Vec3(c.x(), c.y(), 1);
      worst = std::max(worst, (r.moved(f, c) - h.head<2>() / h.z()).norm());
    }
  EXPECT_LT(worst, 0.05);
  // No more freedom than was asked for.
  const Mat3& m = r.motion.at(6);
  if (GetParam() < Freedom::Perspective) {
    EXPECT_NEAR(std::abs(m(2, 0)) + std::abs(m(2, 1)), 0, 1e-12);
  }
  if (GetParam() < Freedom::Affine) {
    EXPECT_NEAR(m(0, 0), m(1, 1), 1e-9);
  }
  if (GetParam() == Freedom::Translation) {
    EXPECT_NEAR(m(0, 0), 1, 1e-12);
  }
}

INSTANTIATE_TEST_SUITE_P(Region, Freedoms,
                         testing::Values(Freedom::Translation, Freedom::Similarity, Freedom::Affine,
                                         Freedom::Perspective));

TEST(Region, StayingOnTheScreenTheTexturePassesBeneath) {
  const auto source = [](int f) { return frame(motionAt(Freedom::Translation, f)); };
  auto r = region(Freedom::Translation);
  r.travels = false;
  r = track::followRegion(source, r, 0, 20);
  ASSERT_TRUE(r.has(20));
  // Two regions' widths away the texture is another, and the way there is known all the same.
  EXPECT_NEAR((r.moved(20, {0, 0}) - Vec2(28, -18)).norm(), 0, 0.2);
}

TEST(Region, WhatStandsBeforeItIsCutOut) {
  // Something bright that moves otherwise covers half of it.
  const auto source = [](int f) {
    auto p = std::make_shared<image::Picture>(*frame(motionAt(Freedom::Perspective, f)));
    for (int y = 0; y < kRegionH; ++y)
      for (int x = 0; x < kRegionW; ++x)
        if (x > 170 - 5 * f) *p->pixel(x, y) = static_cast<float>(test::texture(0.02 * (x + 5 * f), 0.02 * y));
    return std::shared_ptr<const image::Picture>(p);
  };
  const auto allowed = [](int f) {
    auto m = std::make_shared<image::Picture>(kRegionW, kRegionH, 1);
    for (int y = 0; y < kRegionH; ++y)
      for (int x = 0; x < kRegionW; ++x) *m->pixel(x, y) = x > 168 - 5 * f ? 0.0f : 1.0f;
    return std::shared_ptr<const image::Picture>(m);
  };
  const auto r = track::followRegion(source, region(Freedom::Affine), 0, 3, {}, allowed);
  ASSERT_TRUE(r.has(3));
  const Vec3 truth = motionAt(Freedom::Perspective, 3) * Vec3(120, 120, 1);
  EXPECT_LT((r.moved(3, {120, 120}) - truth.head<2>() / truth.z()).norm(), 0.3);
}

TEST(Region, WhatCannotBeFollowedIsSaid) {
  const auto source = [](int f) { return frame(motionAt(Freedom::Affine, f)); };
  Region bare;
  EXPECT_NE(test::errorOf([&] { track::followRegion(source, bare, 0, 3); }).find("three corners"), std::string::npos);
  EXPECT_NE(test::errorOf([&] { track::followRegion(source, region(Freedom::Affine), 4, 6); }).find("frame 4"),
            std::string::npos);
  const auto flat = [](int) {
    auto p = std::make_shared<image::Picture>(kRegionW, kRegionH, 1);
    std::fill(p->values.begin(), p->values.end(), 0.3f);
    return std::shared_ptr<const image::Picture>(p);
  };
  EXPECT_NE(test::errorOf([&] { track::followRegion(flat, region(Freedom::Affine), 0, 3); }).find("no texture"),
            std::string::npos);
  // A cut: it ends there, with what was followed.
  const auto cut = [&](int f) { return f < 4 ? source(f) : frame(Mat3(Vec3(3, 3, 1).asDiagonal())); };
  const auto r = track::followRegion(cut, region(Freedom::Affine), 0, 8);
  EXPECT_TRUE(r.has(3));
  EXPECT_FALSE(r.has(4));
}

TEST(Region, BecomesTracksPinsAndIsSaved) {
  const auto source = [](int f) { return frame(motionAt(Freedom::Perspective, f)); };
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  const int id = edit::addRegion(s, 0, kOutline, "floor");
  edit::putRegion(s, track::followRegion(source, *shot::regionOf(s, id), 0, 5));
  edit::useAsTracks(s, id, 3);
  edit::useAsTracks(s, id, 3);
  ASSERT_EQ(s.tracks->size(), 9U);
  EXPECT_EQ(s.tracks->front().length(), 6);
  const int hand = edit::addTracker(s, 1001, {40.5, 60.25});
  EXPECT_EQ(shot::trackOf(s, hand)->hand->name, "tracker 1");
  // Tracking anew leaves both where they are.
  edit::takeFollowed(s, {});
  EXPECT_EQ(s.tracks->size(), 10U);
  const auto file = (folder / "a.zentil").string();
  shot::save(s, file);
  const auto again = shot::load(file);
  ASSERT_EQ(again.regions.size(), 1U);
  EXPECT_EQ(again.regions[0].outline, kOutline);
  EXPECT_LT((again.regions[0].motion.at(5) - s.regions[0].motion.at(5)).norm(), 1e-9);
  ASSERT_TRUE(shot::trackOf(again, hand));
  EXPECT_EQ(*shot::trackOf(again, hand)->hand, *shot::trackOf(s, hand)->hand);
  EXPECT_EQ(shot::trackOf(again, hand)->weight, 3);
  track::writePins(s.regions[0], (folder / "pins.csv").string());
  std::ifstream in(folder / "pins.csv");
  std::string head, first;
  std::getline(in, head), std::getline(in, first);
  EXPECT_EQ(first, "0,100.0000,70.0000,220.0000,70.0000,225.0000,170.0000,95.0000,165.0000");
}

TEST(Region, AMatteRidesIt) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  const int first = s.range.first;
  const int id = edit::addRegion(s, first, {{60, 40}, {200, 40}, {200, 150}, {60, 150}}, "wall");
  auto r = *shot::regionOf(s, id);
  Mat3 shift = Mat3::Identity();
  shift(0, 2) = 20, shift(1, 2) = 10;
  r.motion[first + 2] = shift;
  edit::putRegion(s, r);
  matte::Matte m;
  m.id = "m9", m.name = "patch";
  matte::Part part;
  part.id = "p1", part.follows = matte::Follows::Region, part.region = id;
  part.content = matte::RotoShapes{{test::rectangle(80, 60, 140, 120)}, first};
  m.parts = {part};
  s.mattes.push_back(m);
  element::Element e;
  e.id = "e1", e.name = "cover", e.cover = {{"m9"}};
  e.place = element::OnScreen{};
  e.source = element::Patch{first, {}, {}};
  s.elements = {e};
  comp::RenderCache cache(size_t{64} << 20);
  const auto there = test::matteAt(s, e, first + 2, s.frameBox(), cache);
  EXPECT_NEAR(*there.pixel(130, 100), 1, 1e-3);
  EXPECT_NEAR(*there.pixel(155, 125), 1, 1e-3);
  EXPECT_NEAR(*there.pixel(90, 65), 0, 1e-3);
  // Where the region was not followed to, it says so.
  EXPECT_NE(test::errorOf([&] { test::matteAt(s, e, first + 3, s.frameBox(), cache); }).find("cannot follow"),
            std::string::npos);
  // Kept with the shot, and a reason to build anew when the region moves.
  const auto file = (folder / "a.zentil").string();
  shot::save(s, file);
  EXPECT_EQ(shot::load(file).matte("m9")->parts[0].region, id);
  const auto before = test::recipeKey(s, first + 2);
  r.motion[first + 2](0, 2) = 25;
  edit::putRegion(s, r);
  EXPECT_NE(test::recipeKey(s, first + 2), before);
}
