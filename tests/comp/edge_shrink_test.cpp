// A layer's own edge drawn in, by arithmetic on a disc.
#include <gtest/gtest.h>

#include <cmath>

#include "core/edit/make.h"
#include "core/image/write.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

TEST(EdgeShrink, DrawsADiscsEdgeInAndLeavesItsColours) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2, 320, 180, 0);
  constexpr double kRadius = 60;
  image::Picture disc(320, 180, 4);
  for (int y = 0; y < 180; ++y)
    for (int x = 0; x < 320; ++x) {
      const auto a = static_cast<float>(std::clamp(kRadius + 0.5 - std::hypot(x + 0.5 - 160, y + 0.5 - 90), 0.0, 1.0));
      for (int c = 0; c < 4; ++c) disc.pixel(x, y)[c] = c < 3 ? 0.5f * a : a;
    }
  image::WriteOptions options;
  options.alpha = true, options.half = false;
  image::writePicture(folder / "disc.exr", disc, options);
  edit::addFromFiles(s, "picture", (folder / "disc.exr").string(), {"", "s1"}, 1001);
  s.elements.back().place = element::onScreen();
  comp::RenderCache w(test::kBudget);
  for (const double by : {0.0, 1.0, 2.5, 6.0}) {
    s.elements.back().look.edgeShrinkPx = by;
    const auto layer = test::buildLayer(s, s.elements.back(), 1001, w, map::Filter::Sharp);
    double area = 0;
    for (int y = layer.data.y0; y < layer.data.y1; ++y)
      for (int x = layer.data.x0; x < layer.data.x1; ++x) {
        const float* p = layer.pixel(x, y);
        area += p[3];
        if (!(p[3] > 0.01f)) continue;
        ASSERT_NEAR(p[0] / p[3], 0.5, 2e-3) << x << " " << y;
      }
    EXPECT_NEAR(std::sqrt(area / M_PI), kRadius - by, 0.35) << by;
  }
}
