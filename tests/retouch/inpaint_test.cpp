// Holes closed from around them: how near to what was there, and that nothing else changes.
#include "core/retouch/inpaint.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "tests/support/synthetic.h"

namespace zentil {
namespace {

using image::Picture;

TEST(Hole, ThinOnesAreCarriedOnAndLargeOnesTakePieces) {
  // Boards: level edges every 14 px, fine grain along them.
  Picture p(200, 160, 4, 1);
  for (int y = 0; y < 160; ++y)
    for (int x = 0; x < 200; ++x) {
      const auto v = static_cast<float>(0.3 + (y % 14 < 2 ? -0.15 : 0) + 0.05 * std::sin(y * 1.7) +
                                        0.03 * std::sin(x * 0.9 + 3 * std::sin(y / 14)));
      std::fill_n(p.pixel(x, y), 3, v);
    }
  const auto closed = [&](const Box& box) {
    Picture hole(p.data, p.display, 1), broken = p;
    for (int y = box.y0; y < box.y1; ++y)
      for (int x = box.x0; x < box.x1; ++x) *hole.pixel(x, y) = 1, std::fill_n(broken.pixel(x, y), 3, 7.0f);
    const Picture out = retouch::closeHole(broken, hole), again = retouch::closeHole(broken, hole);
    EXPECT_EQ(out.values, again.values);
    double sum = 0;
    for (int y = 0; y < 160; ++y)
      for (int x = 0; x < 200; ++x) {
        if (*hole.pixel(x, y) > 0) {
          sum += std::pow(out.pixel(x, y)[0] - p.pixel(x, y)[0], 2);
        } else {
          EXPECT_EQ(out.pixel(x, y)[0], broken.pixel(x, y)[0]);
        }
      }
    return -10 * std::log10(sum / (box.width() * box.height()));
  };
  const double thin = closed({60, 20, 64, 120}), large = closed({70, 50, 110, 100});
  std::printf("closed: thin %.1f dB, large %.1f dB\n", thin, large);
  EXPECT_GT(thin, 24);
  EXPECT_GT(large, 24);
  EXPECT_NE(test::errorOf([&] { retouch::closeHole(p, Picture(p.data, p.display, 1, 1.0f)); }), "");
}

}  // namespace
}  // namespace zentil
