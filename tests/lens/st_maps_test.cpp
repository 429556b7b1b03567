#include "core/lens/st_maps.h"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>

#include "core/image/write.h"
#include "core/lens/lens.h"
#include "core/shot/shot_json.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

constexpr int kMapW = 320, kMapH = 180;
constexpr float kNaN = std::numeric_limits<float>::quiet_NaN();

/// A redistort map of a mild barrel without overscan: mapWidth x mapHeight, origin at the top.
image::Picture barrel(int mapWidth = kMapW, int mapHeight = kMapH, double k1 = 0.02) {
  image::Picture p(mapWidth, mapHeight, 4);
  for (int y = 0; y < mapHeight; ++y)
    for (int x = 0; x < mapWidth; ++x) {
      const double s = (x + 0.5) / mapWidth - 0.5, t = (y + 0.5) / mapHeight - 0.5,
                   scale = 1 - k1 * (s * s + t * t * 0.3164);
      float* v = p.pixel(x, y);
      v[0] = static_cast<float>(0.5 + s * scale), v[1] = static_cast<float>(0.5 + t * scale), v[3] = 1;
    }
  return p;
}

struct Written : test::Folder {
  std::filesystem::path operator()(const image::Picture& p, const char* name = "map.exr", bool half = false) const {
    image::WriteOptions o;
    o.half = half, o.alpha = false, o.colourSpace = "raw";
    image::writePicture(*this / name, p, o);
    return *this / name;
  }
};

std::string problemWith(const image::Picture& map, int w = kMapW, int h = kMapH) {
  const Written write;
  const auto file = write(map);
  return test::errorOf([&] { lens::readStMaps({{}, file}, w, h); });
}

}  // namespace

TEST(LensMaps, AMapAloneIsInvertedAndComesBack) {
  const Written write;
  const auto a = lens::readStMaps({{}, write(barrel())}, kMapW, kMapH);
  EXPECT_TRUE(a.remarks.empty());
  lens::Lens l;
  l.maps = a.maps;
  EXPECT_FALSE(l.isStraight());
  const lens::LensOnPixels lens(l, 300, 300, kMapW / 2.0, kMapH / 2.0);
  for (double y = 2; y < kMapH; y += 17)
    for (double x = 2; x < kMapW; x += 13) {
      Vec2 s, p;
      ASSERT_TRUE(lens.straightFromPlate({x, y}, s));
      ASSERT_TRUE(lens.plateFromStraight(s, p));
      EXPECT_NEAR((p - Vec2(x, y)).norm(), 0, 2e-3);
    }
  EXPECT_EQ(lens::straightBox(lens, kMapW, kMapH), (Box{0, 0, kMapW, kMapH}));
  Vec2 four[4] = {{10, 10}, {100, 50}, {-9, 20}, {300, 170}};
  EXPECT_EQ(lens.straightFromPlate(four), 0b1011U);
}

TEST(LensMaps, AMapOfHalfTheSizeSaysTheSame) {
  const Written write;
  const auto whole = lens::readStMaps({{}, write(barrel(), "a.exr")}, kMapW, kMapH),
             small = lens::readStMaps({{}, write(barrel(kMapW / 2, kMapH / 2), "b.exr")}, kMapW, kMapH);
  for (double y = 0; y <= kMapH; y += 15)
    for (double x = 0; x <= kMapW; x += 16) {
      Vec2 a, b;
      ASSERT_TRUE(whole.maps->redistort.at({x, y}, a));
      ASSERT_TRUE(small.maps->redistort.at({x, y}, b));
      EXPECT_NEAR((a - b).norm(), 0, 2e-3);
    }
}

TEST(LensMaps, HolesAreCountedAndLeadNowhere) {
  image::Picture p = barrel();
  for (int i = 0; i < 7; ++i) p.pixel(100 + i, 50)[0] = kNaN;
  const Written write;
  const auto a = lens::readStMaps({{}, write(p)}, kMapW, kMapH);
  ASSERT_EQ(a.remarks.size(), 1U);
  EXPECT_NE(a.remarks[0].find("7 holes"), std::string::npos) << a.remarks[0];
  Vec2 q;
  EXPECT_FALSE(a.maps->redistort.at({103.5, 50.5}, q));
  EXPECT_TRUE(a.maps->redistort.at({120.5, 50.5}, q));
}

TEST(LensMaps, WhatIsNoStMapIsRefusedInWords) {
  image::Picture constant(kMapW, kMapH, 4, 0.5f), swapped = barrel(), mirrored = barrel(), pixels = barrel(),
                                                  nan = barrel();
  for (int y = 0; y < kMapH; ++y)
    for (int x = 0; x < kMapW; ++x) {
      std::swap(swapped.pixel(x, y)[0], swapped.pixel(x, y)[1]);
      mirrored.pixel(x, y)[0] = 1 - mirrored.pixel(x, y)[0];
      pixels.pixel(x, y)[0] *= kMapW, pixels.pixel(x, y)[1] *= kMapH;
      nan.pixel(x, y)[1] = kNaN;
    }
  EXPECT_NE(problemWith(constant).find("one value all over"), std::string::npos);
  EXPECT_NE(problemWith(swapped).find("exchanged"), std::string::npos);
  EXPECT_NE(problemWith(mirrored).find("left to right"), std::string::npos);
  EXPECT_NE(problemWith(pixels).find("divided by its size"), std::string::npos);
  EXPECT_NE(problemWith(nan).find("0% of its pixels"), std::string::npos);
  EXPECT_NE(problemWith(barrel(), kMapW, kMapH + 60).find("another aspect"), std::string::npos);
  EXPECT_NE(test::errorOf([] { lens::readStMaps({}, kMapW, kMapH); }).find("no ST map was given"), std::string::npos);
  EXPECT_NE(test::errorOf([] {
              lens::readStMaps({{}, "/nowhere/m.exr"}, kMapW, kMapH);
            }).find("/nowhere/m.exr"),
            std::string::npos);
}

TEST(LensMaps, HalfFloatsAtFourThousandPixelsAreWarnedOf) {
  const Written write;
  const auto file = write(barrel(512, 270), "half.exr", true);
  const auto large = lens::readStMaps({{}, file}, 4096, 2160);
  ASSERT_EQ(large.remarks.size(), 1U);
  EXPECT_NE(large.remarks[0].find("cannot address a pixel of a picture 4096 wide"), std::string::npos);
  EXPECT_NE(large.remarks[0].find("1.00 px"), std::string::npos);
}

TEST(LensMaps, MapsThatDoNotBelongTogetherAreNamed) {
  const Written write;
  const auto a = lens::readStMaps(
      {write(barrel(kMapW, kMapH, 0.1), "u.exr"), write(barrel(kMapW, kMapH, 0.1), "r.exr")}, kMapW, kMapH);
  EXPECT_GT(a.pairPx, 0.25);
  ASSERT_FALSE(a.remarks.empty());
  EXPECT_NE(a.remarks.back().find("do not belong together"), std::string::npos);
}

TEST(LensMaps, ThePlateBeyondAStraightPictureWithoutOverscanIsNamed) {
  // Undistort alone, of a barrel, as large as the plate: its borders show places inside the plate's.
  image::Picture p = barrel(kMapW, kMapH, 0.1);
  const Written write;
  const auto a = lens::readStMaps({write(p), {}}, kMapW, kMapH);
  ASSERT_EQ(a.remarks.size(), 1U);
  EXPECT_NE(a.remarks[0].find("does not hold the whole plate"), std::string::npos);
}

TEST(LensMaps, AShotKeepsThemByTheirNames) {
  const Written write;
  shot::Shot s = test::walkAlongWall(write, 1);
  s.lens = {};
  s.lens.maps = lens::readStMaps({{}, write(barrel())}, kMapW, kMapH).maps;
  shot::save(s, write / "a.zentil");
  const auto back = shot::load(write / "a.zentil");
  EXPECT_TRUE(back == s);
  ASSERT_TRUE(back.lens.maps);
  Vec2 a, b;
  ASSERT_TRUE(s.lensAt(1001).straightFromPlate({30, 20}, a));
  ASSERT_TRUE(back.lensAt(1001).straightFromPlate({30, 20}, b));
  EXPECT_EQ(a, b);
  // With the file gone the shot still opens, says what is missing, and forgets nothing.
  std::filesystem::remove(write / "map.exr");
  const auto without = shot::load(write / "a.zentil");
  bool said = false;
  for (const auto& p : shot::problemsOf(without, false)) said |= p.text.find("map.exr") != std::string::npos;
  EXPECT_TRUE(said);
  shot::save(without, write / "b.zentil");
  EXPECT_NE(shot::toJson(without, write.path()).dump().find("map.exr"), std::string::npos);
}
