#include <gtest/gtest.h>

#include <cmath>
#include <fstream>

#include "core/base/error.h"
#include "core/lens/lens_file.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {
lens::LensOnPixels demoLens() {
  lens::Lens l;
  l.k1 = -0.1, l.k2 = 0.015, l.p1 = 0.001, l.p2 = -0.0007;
  return {l, 1234.2, 1234.3, 644.3, 357.3};
}
}  // namespace

TEST(Lens, UndistortThenRedistortReturnsTheSamePixel) {
  const auto l = demoLens();
  double worst = 0;
  for (double y = -20; y <= 740; y += 19)
    for (double x = -20; x <= 1300; x += 17) {
      Vec2 s, p;
      ASSERT_TRUE(l.straightFromPlate({x, y}, s));
      ASSERT_TRUE(l.plateFromStraight(s, p));
      worst = std::max(worst, (p - Vec2(x, y)).norm());
    }
  EXPECT_LT(worst, 1e-6);
}
TEST(Lens, TheDerivativeIsTheSlope) {
  const auto l = demoLens().lens;
  const Vec2 at(0.31, -0.22);
  Mat2 d;
  l.bend(at, &d);
  const double h = 1e-6;
  for (int k = 0; k < 2; ++k) {
    Vec2 step = Vec2::Zero();
    step[k] = h;
    EXPECT_LT((d.col(k) - (l.bend(at + step) - l.bend(at - step)) / (2 * h)).norm(), 1e-8);
  }
}
TEST(Lens, BeyondTheFoldThereIsNoAnswer) {
  lens::Lens l;
  l.k1 = -0.4;  // grows until r = 1 / sqrt(1.2)
  EXPECT_NEAR(l.foldRadius(), 1 / std::sqrt(1.2), 1e-9);
  Vec2 s;
  EXPECT_FALSE(l.straighten({0.7, 0}, s));  // the largest bent radius is 0.6086
  EXPECT_TRUE(l.straighten({0.6, 0}, s));
  EXPECT_LT(s.x(), l.foldRadius());
}
TEST(Lens, ALensThatFoldsInsideTheFrameIsRefusedInWords) {
  lens::Lens l;
  l.k1 = -1.2;
  const lens::LensOnPixels p(l, 1000, 1000, 640, 360);
  EXPECT_NE(lens::foldProblem(p, 1280, 720).find("folds over"), std::string::npos);
  EXPECT_THROW(lens::straightBox(p, 1280, 720), Error);
  EXPECT_TRUE(lens::foldProblem(demoLens(), 1280, 720).empty());
}
TEST(Lens, TheStraightBoxIsTheOneFoundByBruteForce) {
  const auto l = demoLens();
  double x0 = 1e9, y0 = 1e9, x1 = -1e9, y1 = -1e9;
  for (double y = 0; y <= 720; y += 0.5)
    for (double x = 0; x <= 1280; x += (y == 0 || y == 720 ? 0.5 : 1280)) {
      Vec2 s;
      l.straightFromPlate({x, y}, s);
      x0 = std::min(x0, s.x()), x1 = std::max(x1, s.x()), y0 = std::min(y0, s.y()), y1 = std::max(y1, s.y());
    }
  EXPECT_EQ(lens::straightBox(l, 1280, 720),
            (Box{int(std::floor(x0)), int(std::floor(y0)), int(std::ceil(x1)), int(std::ceil(y1))}));
}
TEST(Lens, NoDistortionLeavesTheFrameAsItIs) {
  EXPECT_EQ(lens::straightBox({lens::Lens{}, 1000, 1000, 640, 360}, 1280, 720), (Box{0, 0, 1280, 720}));
}

TEST(LensFile, JsonComesBack) {
  const test::Folder folder;
  lens::Lens l;
  l.k1 = -0.11, l.k2 = 0.02, l.k3 = 0.003, l.p1 = 1e-4, l.p2 = -2e-4;
  lens::writeLens(folder / "l.json", l);
  auto back = lens::readLens(folder / "l.json").lens;
  EXPECT_EQ(back.source, "l.json");
  back.source.clear();
  EXPECT_EQ(back, l);
}
TEST(LensFile, WhatIsWrongIsSaid) {
  const test::Folder folder;
  const std::vector<std::tuple<std::string, std::string, std::string>> cases = {
      {"a.json", "{\"type\":\"zentil-lens\",\"k1\":-0.1", "not readable JSON"},
      {"b.json", "{\"type\":\"other\"}", "not a lens"},
      {"c.txt", "k1=1", "comes as"},
      {"d.yml", "%YAML:1.0\n---\nx: 1\n", "no distortion coefficients"}};
  for (const auto& [name, text, expected] : cases) {
    std::ofstream(folder / name) << text;
    const std::string said = test::errorOf([&, n = name] { lens::readLens(folder / n); });
    EXPECT_NE(said.find(expected), std::string::npos) << name << ": " << said;
  }
}

TEST(Lens, FourAtOnceAreStraightenedAsOneAtATime) {
  for (const double k1 : {-0.1, 0.2, -0.35}) {
    lens::Lens l;
    l.k1 = k1, l.k2 = 0.015, l.p1 = 0.001;
    const lens::LensOnPixels lens(l, 900, 910, 640, 355);
    for (double y = -100; y < 900; y += 37)
      for (double x = -300; x < 1600; x += 61) {
        Vec2 four[4] = {{x, y}, {x + 11, y + 3}, {-x, y}, {x * 3, y * 3}};
        const Vec2 given[4] = {four[0], four[1], four[2], four[3]};
        const unsigned found = lens.straightFromPlate(four);
        for (int k = 0; k < 4; ++k) {
          Vec2 one;
          ASSERT_EQ(lens.straightFromPlate(given[k], one), (found >> k & 1) != 0) << given[k].transpose();
          if (found >> k & 1) {
            ASSERT_LT((one - four[k]).norm(), 1e-6) << given[k].transpose();
          }
        }
      }
  }
}

TEST(Lens, TheFoldIsWhereTheRadiusStopsGrowing) {
  // Against a fine walk outwards.
  for (const auto& [k1, k2, k3] : {std::tuple{-0.1, 0.0, 0.0},
                                   {-0.3, 0.05, 0.0},
                                   {-0.2, 0.02, -0.001},
                                   {0.1, -0.05, 0.0},
                                   {-0.5, 0.3, -0.08},
                                   {0.1, 0.0, 0.0},
                                   {-0.1, 0.015, 0.0}}) {
    lens::Lens l;
    l.k1 = k1, l.k2 = k2, l.k3 = k3;
    double walked = INFINITY;
    for (double r = 1e-4; r < 19; r += 1e-4) {
      const double s = r * r;
      if (1 + s * (3 * k1 + s * (5 * k2 + s * 7 * k3)) <= 0) {
        walked = r;
        break;
      }
    }
    if (std::isinf(walked)) {
      EXPECT_GT(l.foldRadius(), 19) << k1;
    } else {
      EXPECT_NEAR(l.foldRadius(), walked, 2e-4) << k1;
    }
  }
}

TEST(Division, ThereAndBackAndItsDerivative) {
  for (const auto& [k1, k2] :
       {std::pair(-0.35, 0.0), std::pair(-0.25, -0.04), std::pair(0.1, 0.0), std::pair(0.12, -0.02)}) {
    lens::Lens l;
    l.k1 = k1, l.k2 = k2;
    l.model = lens::Model::Division;
    for (double r = 0.01; r < 1.2; r += 0.07) {
      const Vec2 bent = r * Vec2(std::cos(r * 5), std::sin(r * 5));
      Vec2 s;
      ASSERT_TRUE(l.straighten(bent, s)) << k1 << " at " << r;
      EXPECT_NEAR((s - bent / (1 + k1 * r * r + k2 * r * r * r * r)).norm(), 0, 1e-14);
      Mat2 d;
      EXPECT_NEAR((l.bend(s, &d) - bent).norm(), 0, 1e-11) << k1 << " at " << r;
      const double e = 1e-6;
      for (int i = 0; i < 2; ++i) {
        const Vec2 step = e * Vec2::Unit(i);
        EXPECT_NEAR((d.col(i) - (l.bend(s + step) - l.bend(s - step)) / (2 * e)).norm(), 0, 1e-6);
      }
    }
  }
}

TEST(Division, FoldsWhereItStopsGrowing) {
  lens::Lens l;
  l.k1 = 0.5;
  l.model = lens::Model::Division;
  // r' / (1 + k r'^2) is greatest at r' = 1 / sqrt(k).
  EXPECT_NEAR(l.foldRadius(), std::sqrt(2.0) / 2, 1e-12);
  Vec2 s;
  EXPECT_FALSE(l.straighten({1.5, 0}, s));
  l.k1 = -0.5;
  EXPECT_TRUE(std::isinf(l.foldRadius()));
  EXPECT_FALSE(l.straighten({1.5, 0}, s));  // beyond the angle at which the ray would stand square to the axis
}

TEST(Lens, ASqueezedPlateIsWideWhenStraight) {
  lens::Lens l;
  l.squeeze = 2, l.squeezeCentrePx = 10;
  const lens::LensOnPixels lens(l, 900, 900, 500, 300);
  Vec2 s, p;
  ASSERT_TRUE(lens.straightFromPlate({510, 300}, s));
  EXPECT_EQ(s, Vec2(510, 300));
  ASSERT_TRUE(lens.straightFromPlate({610, 200}, s));
  EXPECT_EQ(s, Vec2(710, 200));
  ASSERT_TRUE(lens.plateFromStraight(s, p));
  EXPECT_EQ(p, Vec2(610, 200));
  EXPECT_EQ(lens::straightBox(lens, 1000, 600).width(), 2000);
  Vec2 four[4] = {{610, 200}, {510, 0}, {0, 0}, {1000, 600}};
  EXPECT_EQ(lens.straightFromPlate(four), 15U);
  EXPECT_EQ(four[0], Vec2(710, 200));
  // With distortion as well there and back is the same place.
  l.k1 = -0.08;
  const lens::LensOnPixels both(l, 900, 900, 500, 300);
  ASSERT_TRUE(both.straightFromPlate({120, 40}, s));
  ASSERT_TRUE(both.plateFromStraight(s, p));
  EXPECT_NEAR((p - Vec2(120, 40)).norm(), 0, 1e-9);
}

TEST(Lens, AZoomIsKeyedOverFrames) {
  lens::Lens l;
  l.keys.put(1001, {-0.1, 0.02, 0, 0, 0});
  l.keys.put(1011, {-0.05, 0, 0, 0, 0});
  EXPECT_FALSE(l.isStraight());
  EXPECT_NEAR(l.at(1006).k1, -0.075, 1e-12);
  EXPECT_NEAR(l.at(1006).k2, 0.01, 1e-12);
  EXPECT_EQ(l.at(990).k1, -0.1);
  EXPECT_EQ(l.at(2000).k1, -0.05);
  EXPECT_TRUE(l.at(1006).keys.empty());
  l.setCoefficients(1006, {-0.09, 0, 0, 0, 0});
  EXPECT_EQ(l.keys.all().size(), 3U);
  EXPECT_EQ(l.at(1006).k1, -0.09);
}

TEST(Lens, EveryFormIsKeptInItsFile) {
  const test::Folder folder;
  lens::Lens l;
  l.k1 = -0.2, l.k2 = 0.01;
  l.model = lens::Model::Division;
  l.squeeze = 1.33, l.squeezeCentrePx = -4;
  l.keys.put(3, {-0.2, 0.01, 0, 0, 0});
  lens::writeLens(folder / "l.json", l);
  auto back = lens::readLens(folder / "l.json").lens;
  back.source.clear();
  EXPECT_TRUE(back == l);
  EXPECT_NE(test::errorOf([&] {
              lens::writeLensForOpenCv(folder / "l.yml", lens::LensOnPixels(l, 900, 900, 500, 300), 1000, 600);
            }).find("ST maps"),
            std::string::npos);
}
