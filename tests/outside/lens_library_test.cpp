// Lenses from the system's open database (Debian's liblensfun-data), against that library's own correction.
#include <gtest/gtest.h>
#include <lensfun/lensfun.h>

#include <cmath>

#include "core/base/error.h"
#include "core/lens/lens_library.h"
#include "tests/support/synthetic.h"

using namespace zentil;

TEST(LensLibrary, OurCoefficientsBendAsTheLibraryDoes) {
  const auto all = lens::searchLibrary("");
  ASSERT_GT(all.size(), 200U);
  const double backs[][2] = {{36, 24}, {23.6, 15.7}, {17.3, 13}};
  lfDatabase db;
  ASSERT_EQ(db.Load(), LF_NO_ERROR);
  int tried = 0, close = 0;
  double sumK1 = 0;
  for (size_t i = 0; i < all.size(); i += 23) {
    const auto& l = all[i];
    // Measured once only, so that there is no question which.
    if (std::count_if(all.begin(), all.end(), [&](const auto& o) { return o.name == l.name; }) > 1) continue;
    const auto& back = backs[l.crop < 1.2 ? 0 : l.crop < 1.8 ? 1 : 2];
    const double focal = (l.shortestMm + l.longestMm) / 2;
    lens::LibraryAnswer a;
    try {
      a = lens::fromLibrary(l.name, focal, back[0], back[1], 1800, 1200);
    } catch (const Error&) {
      continue;  // not measured near its middle
    }
    ++tried;
    close += a.residualPx < 0.5;
    sumK1 += std::abs(a.lens.lens.k1);
    // Asked independently for one place: the top left corner's straight neighbour.
    for (const lfLens* const* f = db.GetLenses(); *f; ++f) {
      const std::string maker = lf_mlstr_get((*f)->Maker), model = lf_mlstr_get((*f)->Model);
      const std::string name = model.starts_with(maker) ? model : maker + " " + model;
      if (name != l.name || (*f)->CropFactor != static_cast<float>(l.crop)) continue;
      lfModifier m(*f, static_cast<float>(43.2666 / std::hypot(back[0], back[1])), 1800, 1200);
      m.Initialize(*f, LF_PF_F32, static_cast<float>(focal), 8, 1000, 1, LF_RECTILINEAR, LF_MODIFY_DISTORTION, false);
      float to[2];
      m.ApplyGeometryDistortion(199.5f, 149.5f, 1, 1, to);
      Vec2 plate;
      const Vec2 centre(900, 600);
      ASSERT_TRUE(a.lens.plateFromStraight(centre + a.scale * (Vec2(200, 150) - centre), plate));
      EXPECT_LE((plate - Vec2(to[0] + 0.5, to[1] + 0.5)).norm(), a.residualPx + 0.1) << l.name;
      break;
    }
  }
  std::printf("%d lenses tried, %d of them within 0.5 px of the library's equation all over 1800 x 1200\n", tried,
              close);
  EXPECT_GT(tried, 20);
  EXPECT_GT(close, tried / 2);  // the rest have wavy equations; how far ours stays off is said
  EXPECT_GT(sumK1, 0);
}

TEST(LensLibrary, ThoseThatReachAFocalLengthNearestSensorFirst) {
  const auto found = lens::searchLibrary("", 24, 1.5);
  ASSERT_GT(found.size(), 20U);
  EXPECT_LT(found.size(), lens::searchLibrary("").size());
  for (size_t i = 0; i < found.size(); ++i) {
    EXPECT_LE(found[i].shortestMm * 0.97, 24);
    EXPECT_GE(found[i].longestMm * 1.03, 24);
    if (i > 0) {
      EXPECT_LE(std::abs(std::log(found[i - 1].crop / 1.5)), std::abs(std::log(found[i].crop / 1.5)) + 1e-12);
    }
  }
}

TEST(LensLibrary, WhatItDoesNotHaveIsSaid) {
  EXPECT_TRUE(lens::searchLibrary("no such lens at all").empty());
  EXPECT_NE(
      test::errorOf([] { lens::fromLibrary("no such lens", 50, 36, 24, 1920, 1080); }).find("no \"no such lens\""),
      std::string::npos);
  const auto first = lens::searchLibrary("").front();
  EXPECT_NE(test::errorOf([&] { lens::fromLibrary(first.name, 5000, 36, 24, 1920, 1080); }).find("not 5000"),
            std::string::npos);
}
