// CG elements on a small shot: shadow passes, alpha, frames that are not there.
#include "core/comp/cg_render.h"

#include <gtest/gtest.h>

#include "core/base/error.h"
#include "core/comp/layer.h"
#include "core/image/write.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
namespace fs = std::filesystem;

namespace {

/// A shot with one cg element whose every frame is `picture`.
shot::Shot withCg(const test::Folder& folder, const image::Picture& picture, bool alpha, int frames = 3) {
  auto s = test::walkAlongWall(folder, 3);
  s.elements.clear();
  fs::create_directories(folder / "cg");
  image::WriteOptions options;
  options.alpha = alpha;
  options.half = false;
  for (int f = 1001; f < 1001 + frames; ++f)
    image::writePicture(folder / fmt::format("cg/r.{}.exr", f), picture, options);
  element::Element e;
  e.id = "e1", e.name = "cg";
  e.source = element::Cg{image::openPlate(folder / "cg/r.1001.exr", s.plate().fps)};
  e.place = element::ThroughCamera{};
  s.elements.push_back(e);
  return s;
}

image::Picture square(float r, float g, float b, float a, float elsewhere) {
  image::Picture p(320, 180, 4, elsewhere);
  for (int y = 0; y < 180; ++y)
    for (int x = 0; x < 320; ++x) {
      if (elsewhere == 0) p.pixel(x, y)[3] = 0;
      if (x < 100 || x >= 200 || y < 50 || y >= 130) continue;
      float* v = p.pixel(x, y);
      v[0] = r, v[1] = g, v[2] = b, v[3] = a;
    }
  return p;
}

}  // namespace

TEST(CgElement, AShadowPassMultipliesThePlateAndOnlyThere) {
  const test::Folder folder;
  auto s = withCg(folder, square(0.5f, 0.25f, 1, 1, 1), false);
  test::render(s.elements[0]).shadow = true;
  comp::RenderCache w(test::kBudget);
  const auto plate = w.frame(s.plate(), 1002);
  const auto out = test::buildFrame(s, 1002, w);
  const float *before = plate->picture.pixel(150, 90), *after = out.pixel(150, 90);
  EXPECT_NEAR(after[0], before[0] * 0.5f, 1e-4);
  EXPECT_NEAR(after[1], before[1] * 0.25f, 1e-4);
  EXPECT_NEAR(after[2], before[2], 1e-4);
  EXPECT_EQ(0, memcmp(plate->picture.pixel(20, 20), out.pixel(20, 20), 4 * sizeof(float)));
  s.elements[0].look.opacity = 0.5;
  EXPECT_NEAR(test::buildFrame(s, 1002, w).pixel(150, 90)[0], before[0] * 0.75f, 1e-4);
}

TEST(CgElement, ColourIsMultipliedByAlphaOnceWhicheverWayItCame) {
  const test::Folder folder, other;
  auto multiplied = withCg(folder, square(0.2f, 0.1f, 0.05f, 0.5f, 0), true),
       plain = withCg(other, square(0.4f, 0.2f, 0.1f, 0.5f, 0), true);
  test::render(plain.elements[0]).premultiplied = false;
  comp::RenderCache w(test::kBudget);
  const auto a = test::buildFrame(multiplied, 1001, w), b = test::buildFrame(plain, 1001, w);
  const auto plate = w.frame(multiplied.plate(), 1001);
  for (int c = 0; c < 3; ++c) EXPECT_NEAR(a.pixel(150, 90)[c], b.pixel(150, 90)[c], 1e-5);
  EXPECT_NEAR(a.pixel(150, 90)[0], 0.2 + 0.5 * plate->picture.pixel(150, 90)[0], 1e-4);
}

TEST(CgElement, WhatCannotBeUsedIsSaid) {
  const test::Folder folder;
  auto s = withCg(folder, square(1, 1, 1, 1, 0), true, 2);
  comp::RenderCache w(test::kBudget);
  // Frame 1003 was never rendered: nothing shows, or the last one is held.
  EXPECT_TRUE(test::buildLayer(s, s.elements[0], 1003, w, map::Filter::Sharp).empty());
  test::render(s.elements[0]).beyond = element::Beyond::Hold;
  EXPECT_FALSE(test::buildLayer(s, s.elements[0], 1003, w, map::Filter::Sharp).empty());
  // A frame in the middle that is gone is named.
  fs::remove(folder / "cg/r.1002.exr");
  bool named = false;
  for (const auto& p : shot::problemsOf(s, false)) named = named || p.text.find("1002") != std::string::npos;
  EXPECT_TRUE(named);
  comp::RenderCache fresh(test::kBudget);
  EXPECT_THROW(test::buildFrame(s, 1002, fresh), Error);
  // Another rate is noted; frame stands for frame.
  test::render(s.elements[0]).files.fps = 30;
  bool rate = false;
  for (const auto& p : shot::problemsOf(s, false)) rate = rate || p.text.find("30 fps") != std::string::npos;
  EXPECT_TRUE(rate);
  // No alpha, and not a shadow pass.
  const test::Folder second;
  auto flat = withCg(second, square(1, 1, 1, 1, 0.5f), false);
  try {
    test::buildFrame(flat, 1001, w);
    FAIL();
  } catch (const Error& e) {
    EXPECT_NE(std::string(e.what()).find("no alpha"), std::string::npos) << e.what();
  }
}

TEST(CgElement, AMatteLimitsIt) {
  const test::Folder folder;
  auto s = withCg(folder, square(1, 1, 1, 1, 0), true);
  const auto cg = s.elements[0];
  test::addPatch(s, 1001, 1001, 120, 60, 160, 100);  // for its matte
  s.elements = {cg};
  s.elements[0].cover = {{s.mattes[0].id}};
  test::part(s).follows = matte::Follows::Screen;
  comp::RenderCache w(test::kBudget);
  const auto layer = test::buildLayer(s, s.elements[0], 1001, w, map::Filter::Sharp);
  EXPECT_GT(layer.pixel(140, 80)[3], 0.99f);
  EXPECT_FALSE(layer.data.contains(190, 120)) << "a layer is only as large as it reaches";
}
