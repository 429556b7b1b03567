#include <gtest/gtest.h>

#include <atomic>

#include <cmath>

#include "core/map/edges.h"
#include "core/map/resample.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using map::Filter;

namespace {

/// A picture whose value is an even slope: every filter has to read it exactly.
image::Picture slope(int w, int h) {
  image::Picture p(w, h, 4, 1.0f);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x)
      p.pixel(x, y)[0] = static_cast<float>(x + 0.5), p.pixel(x, y)[1] = static_cast<float>(y + 0.5);
  return p;
}

Mat3 shift(double x, double y) {
  Mat3 m = Mat3::Identity();
  m(0, 2) = x, m(1, 2) = y;
  return m;
}

/// A map with a bump that no 8 px cell can hide.
class Bump : public map::Map {
 public:
  void apply(map::MapSample* s, size_t n) const override {
    for (size_t i = 0; i < n; ++i) s[i].at.x() += 3 * std::sin(s[i].at.y() * 0.9);
  }
};

class LeftHalf : public map::Map {
 public:
  void apply(map::MapSample* s, size_t n) const override {
    for (size_t i = 0; i < n; ++i)
      if (s[i].at.x() > 50.3) s[i].branch = map::kInvalid;
  }
};

}  // namespace

class EveryFilter : public testing::TestWithParam<Filter> {};
INSTANTIATE_TEST_SUITE_P(Resample, EveryFilter, testing::Values(Filter::Draft, Filter::Sharp, Filter::Sharper));

TEST_P(EveryFilter, ReadsASlopeExactlyThroughALens) {
  lens::Lens l;
  l.k1 = -0.1, l.k2 = 0.015;
  const lens::LensOnPixels lens(l, 300, 300, 161, 88);
  const auto out =
      map::resample(slope(320, 180), map::Redistort(lens), {-8, -6, 330, 188}, {0, 0, 320, 180}, GetParam());
  double worst = 0;
  int n = 0;
  for (int y = -6; y < 188; ++y)
    for (int x = -8; x < 330; ++x) {
      Vec2 at;
      if (!lens.plateFromStraight({x + 0.5, y + 0.5}, at) || at.x() < 4 || at.y() < 4 || at.x() > 316 || at.y() > 176)
        continue;
      worst = std::max(worst, std::hypot(out.pixel(x, y)[0] - at.x(), out.pixel(x, y)[1] - at.y()));
      ++n;
    }
  EXPECT_GT(n, 50000);
  // Lanczos weights do not reproduce a slope exactly; the others do.
  EXPECT_LT(worst, GetParam() == Filter::Sharper ? 0.04 : 1.0 / 64);
}
TEST_P(EveryFilter, TheIdentityReturnsThePicture) {
  const auto p = slope(64, 48);
  const auto out = map::resample(p, map::Homography(Mat3::Identity()), p.data, p.display, GetParam());
  for (size_t i = 0; i < p.values.size(); ++i) ASSERT_NEAR(out.values[i], p.values[i], 1e-4);
}
TEST_P(EveryFilter, AConstantStaysConstantAndOutsideIsNothing) {
  const image::Picture p(100, 60, 4, 0.5f);
  const auto out = map::resample(p, map::Homography(shift(-20.3, 7.7)), {0, 0, 140, 60}, {0, 0, 140, 60}, GetParam());
  EXPECT_NEAR(out.pixel(60, 20)[2], 0.5, 1e-6);
  EXPECT_EQ(out.pixel(5, 5)[3], 0.0f);
  EXPECT_EQ(out.pixel(130, 30)[3], 0.0f);
}

TEST(Resample, TheCubicIsCatmullRom) {
  // One bright pixel, read a quarter of a pixel beside it: the weight at distance 0.25 is 1.5 t^3 - 2.5 t^2 + 1 (Keys
  // 1981, a = -0.5).
  image::Picture p(32, 32, 4);
  p.pixel(16, 16)[0] = 1;
  const auto out = map::resample(p, map::Homography(shift(0.25, 0)), p.data, p.display, Filter::Sharp);
  EXPECT_NEAR(out.pixel(16, 16)[0], 1.5 * std::pow(0.25, 3) - 2.5 * std::pow(0.25, 2) + 1, 1e-5);
  EXPECT_NEAR(out.pixel(15, 16)[0],
              -0.5 * (std::pow(0.75, 3) - 2 * std::pow(0.75, 2) + 0.75) + std::pow(0.75, 2) * 0 +
                  (1.5 * std::pow(0.75, 3) - 2.5 * std::pow(0.75, 2) + 1) +
                  0.5 * (std::pow(0.75, 3) - 2 * std::pow(0.75, 2) + 0.75),
              1e-5);
}
TEST(Resample, AMapTooLivelyForTheLatticeIsAskedAtEveryPixel) {
  const auto out = map::resample(slope(200, 120), Bump(), {0, 0, 200, 120}, {0, 0, 200, 120}, Filter::Sharp);
  for (int y = 10; y < 110; ++y) EXPECT_NEAR(out.pixel(100, y)[0], 100.5 + 3 * std::sin((y + 0.5) * 0.9), 2e-3);
}
TEST(Resample, WhatCurvesIsWhereTheMapSaysThoughFewPlacesAreAsked) {
  // Bent as a sphere is: far from straight over a cell, and smooth.
  class Bent : public map::Map {
   public:
    void apply(map::MapSample* spots, size_t n) const override {
      asked += n;
      for (size_t i = 0; i < n; ++i) {
        const Vec2 p = spots[i].at;
        spots[i].at = p + Vec2(9 * std::sin(p.y() / 40), 7 * std::cos(p.x() / 50 + p.y() / 90));
      }
    }
    mutable std::atomic<size_t> asked = 0;
  };
  const Bent bent;
  image::Picture ramps(400, 320, 4, 1.0f);
  for (int y = 0; y < 320; ++y)
    for (int x = 0; x < 400; ++x)
      ramps.pixel(x, y)[0] = static_cast<float>(x + 0.5), ramps.pixel(x, y)[1] = static_cast<float>(y + 0.5);
  const Box all{0, 0, 400, 320};
  for (const Filter filter : {Filter::Sharp, Filter::Draft}) {
    bent.asked = 0;
    const auto out = map::resample(ramps, bent, all, all, filter);
    EXPECT_LT(bent.asked, 400U * 320 / 4) << "the border alone is asked at every pixel";
    double worst = 0;
    for (int y = 20; y < 300; ++y)
      for (int x = 20; x < 380; ++x) {
        map::MapSample s{{x + 0.5, y + 0.5}, 0};
        bent.apply(&s, 1);
        worst = std::max(worst, (Vec2(out.pixel(x, y)[0], out.pixel(x, y)[1]) - s.at).norm());
      }
    EXPECT_LT(worst, 1.0 / 64);
  }
}
TEST(Resample, AnEdgeIsKeptToThePixel) {
  image::Picture covered;
  map::resample(slope(200, 120), LeftHalf(), {0, 0, 200, 120}, {0, 0, 200, 120}, Filter::Sharp, &covered);
  for (int y = 0; y < 120; ++y) {
    EXPECT_EQ(*covered.pixel(49, y), 1.0f);
    EXPECT_EQ(*covered.pixel(50, y), 0.0f);
  }
}
TEST(Resample, ReducingAveragesAndDoesNotAlias) {
  image::Picture p(256, 256, 4, 1.0f);
  for (int y = 0; y < 256; ++y)
    for (int x = 0; x < 256; ++x) p.pixel(x, y)[0] = static_cast<float>((x + y) & 1);
  Mat3 m = Mat3::Identity();
  m(0, 0) = m(1, 1) = 4.03;
  const auto out = map::resample(p, map::Homography(m), {0, 0, 60, 60}, {0, 0, 60, 60}, Filter::Sharp);
  for (int y = 2; y < 58; ++y)
    for (int x = 2; x < 58; ++x) ASSERT_NEAR(out.pixel(x, y)[0], 0.5, 0.12);
}
TEST(Resample, OneChannelAndFourGiveTheSame) {
  image::Picture one(90, 70, 1), four(90, 70, 4);
  for (int y = 0; y < 70; ++y)
    for (int x = 0; x < 90; ++x)
      *one.pixel(x, y) = four.pixel(x, y)[2] = static_cast<float>(test::texture(x * 0.02, y * 0.02));
  lens::Lens l;
  l.k1 = 0.2;
  const map::Undistort m(lens::LensOnPixels(l, 80, 80, 45, 35));
  const auto a = map::resample(one, m, {0, 0, 90, 70}, {0, 0, 90, 70}, Filter::Sharp),
             b = map::resample(four, m, {0, 0, 90, 70}, {0, 0, 90, 70}, Filter::Sharp);
  for (int y = 0; y < 70; ++y)
    for (int x = 0; x < 90; ++x) ASSERT_NEAR(*a.pixel(x, y), b.pixel(x, y)[2], 2e-5);
}
TEST(Map, AChainIsItsPartsOneAfterTheOther) {
  lens::Lens l;
  l.k1 = -0.08;
  const lens::LensOnPixels lens(l, 300, 300, 160, 90);
  map::Chain chain;
  chain.add(std::make_shared<map::Undistort>(lens));
  chain.add(std::make_shared<map::Homography>(shift(5, -3)));
  chain.add(std::make_shared<map::Redistort>(lens));
  Vec2 s, p, q;
  lens.straightFromPlate({40, 150}, s);
  lens.plateFromStraight(s + Vec2(5, -3), p);
  ASSERT_TRUE(map::through(chain, {40, 150}, q));
  EXPECT_LT((p - q).norm(), 1e-12);
}
TEST(Map, BehindTheHorizonOfAHomographyIsNowhere) {
  Mat3 m = Mat3::Identity();
  m(2, 0) = -0.01;
  Vec2 q;
  EXPECT_TRUE(map::through(map::Homography(m), {50, 0}, q));
  EXPECT_FALSE(map::through(map::Homography(m), {150, 0}, q));
}

TEST(Resample, WhatAMatteDoesNotAskForIsLeftOutAndTheRestIsTheSameToTheBit) {
  lens::Lens l;
  l.k1 = -0.12, l.k2 = 0.02;
  map::Chain chain;
  chain.add(std::make_shared<map::Undistort>(lens::LensOnPixels(l, 300, 300, 158, 92)));
  chain.add(std::make_shared<Bump>());
  image::Picture source(320, 180, 4);
  for (size_t i = 0; i < source.values.size(); ++i) source.values[i] = static_cast<float>((i * 7919) % 1000) / 1000;
  const Box region{5, 3, 315, 177};
  image::Picture matte(region, {0, 0, 320, 180}, 1);
  for (int y = region.y0; y < region.y1; ++y)
    for (int x = region.x0; x < region.x1; ++x)
      *matte.pixel(x, y) = (x - 120) * (x - 120) + (y - 80) * (y - 80) < 900 || (x > 250 && y > 150) ? 0.5f : 0.0f;
  for (const Filter f : {Filter::Draft, Filter::Sharp, Filter::Sharper}) {
    const auto all = map::resample(source, chain, region, {0, 0, 320, 180}, f),
               some = map::resample(source, chain, region, {0, 0, 320, 180}, f, nullptr, &matte);
    size_t asked = 0, left = 0;
    for (int y = region.y0; y < region.y1; ++y)
      for (int x = region.x0; x < region.x1; ++x) {
        if (*matte.pixel(x, y) > 0) {
          ASSERT_EQ(0, memcmp(all.pixel(x, y), some.pixel(x, y), 16)) << x << " " << y;
          ++asked;
        } else {
          left += some.pixel(x, y)[0] == 0;
        }
      }
    EXPECT_GT(asked, 2000U);
    EXPECT_GT(left, 30000U);
  }
}

TEST(Resample, OneChannelInRowsReadsWhatPixelByPixelDoes) {
  // A slope again: linear reading has to be exact inside, whichever way the cells are read.
  image::Picture p(200, 120, 1);
  for (int y = 0; y < 120; ++y)
    for (int x = 0; x < 200; ++x) *p.pixel(x, y) = static_cast<float>(0.25 * (x + 0.5) - 0.5 * (y + 0.5));
  Mat3 m;
  m << 0.9, 0.13, 11, -0.11, 0.95, 14, 0.0002, 0.0001, 1;
  const map::Homography map(m);
  const auto out = map::resample(p, map, {0, 0, 160, 96}, {0, 0, 160, 96}, Filter::Draft);
  for (int y = 1; y < 96; y += 3)
    for (int x = 1; x < 160; ++x) {
      Vec2 at;
      ASSERT_TRUE(map::through(map, {x + 0.5, y + 0.5}, at));
      if (at.x() < 1 || at.y() < 1 || at.x() > 199 || at.y() > 119) continue;
      ASSERT_NEAR(*out.pixel(x, y), 0.25 * at.x() - 0.5 * at.y(), 0.01) << x << " " << y;
    }
}

// A white square turned by 17 degrees: how much of each pixel it fills is counted at 64 x 64 places from its geometry.
TEST(Edges, EachPixelIsAsFullAsTheSquareFillsIt) {
  const double a = 17 * M_PI / 180, side = 40;
  Mat3 h = Mat3::Identity();
  h << std::cos(a), std::sin(a), -10.3, -std::sin(a), std::cos(a), 12.7, 0, 0, 1;
  h(0, 2) = 20 - (std::cos(a) * 40.3 + std::sin(a) * 35.8), h(1, 2) = 20 - (-std::sin(a) * 40.3 + std::cos(a) * 35.8);
  const image::Picture white(static_cast<int>(side), static_cast<int>(side), 4, 1.0f);
  const map::Homography map(h);
  const Box region{0, 0, 80, 72};
  image::Picture covered, out = map::resample(white, map, region, region, Filter::Sharp, &covered);
  map::softenEdges(out, covered, map, white.data);
  double worst = 0, sum = 0, area = 0;
  int between = 0;
  for (int y = 0; y < 72; ++y)
    for (int x = 0; x < 80; ++x) {
      int in = 0;
      for (int i = 0; i < 64 * 64; ++i) {
        const Vec3 p = h * Vec3(x + (i % 64 + 0.5) / 64, y + (i / 64 + 0.5) / 64, 1);
        in += p.x() >= 0 && p.y() >= 0 && p.x() < side && p.y() < side;
      }
      const double part = in / 4096.0, got = out.pixel(x, y)[3];
      worst = std::max(worst, std::abs(got - part)), sum += got, area += part;
      EXPECT_NEAR(out.pixel(x, y)[0], out.pixel(x, y)[3], 1e-6) << "premultiplied";
      EXPECT_NEAR(*covered.pixel(x, y), out.pixel(x, y)[3], 1e-6);
      between += got > 0.1 && got < 0.9;
    }
  std::printf("edges within %.3f of how full their pixels are, %d of them between\n", worst, between);
  EXPECT_LE(worst, 0.1) << "sixteen places";
  EXPECT_NEAR(sum, area, 0.002 * area);
  EXPECT_GT(between, 100) << "no stairs";
}

TEST(Edges, WhereNothingIsAskedNothingChanges) {
  const image::Picture white(30, 30, 4, 1.0f);
  const map::Homography map(shift(-10.5, -10.5));
  const Box region{0, 0, 60, 60};
  image::Picture wanted(region, region, 1), covered;
  for (int y = 0; y < 60; ++y)
    for (int x = 0; x < 20; ++x) *wanted.pixel(x, y) = 1;
  image::Picture out = map::resample(white, map, region, region, Filter::Sharp, &covered, &wanted);
  map::softenEdges(out, covered, map, white.data, &wanted);
  EXPECT_NEAR(out.pixel(10, 30)[3], 0.5, 1e-6) << "half a pixel is its own";
  EXPECT_NEAR(out.pixel(19, 30)[3], 1, 1e-6) << "where the matte ends is no edge";
  EXPECT_EQ(out.pixel(30, 30)[3], 0.0f);
}
