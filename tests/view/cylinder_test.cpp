// A cylindrical panorama's pixels against a pinhole's and against each other.
#include <gtest/gtest.h>

#include <cmath>

#include "core/view/far_picture.h"

using namespace zentil;

TEST(Cylinder, ItsPixelsAreDirectionsAndBack) {
  const view::ViewPtr c = view::farView(view::FarPicture::Cylinder, {1200, 300, {25, 8, -3, 200}});
  for (int y = 10; y < 300; y += 40)
    for (int x = 10; x < 1200; x += 70) {
      Vec3 way;
      Vec2 back;
      bool there = false;
      ASSERT_TRUE(c->unproject(Vec2(x, y), way));
      c->project(&way, 1, &back, &there);
      ASSERT_TRUE(there);
      ASSERT_NEAR((back - Vec2(x, y)).norm(), 0, 1e-9);
    }
  // Straight ahead it is as large as a pinhole of that many pixels a radian; a quarter turn is a quarter turn.
  const view::ViewPtr level = view::farView(view::FarPicture::Cylinder, {1200, 300, {0, 0, 0, 180}});
  Vec3 way;
  ASSERT_TRUE(level->unproject(Vec2(600 + 300, 150), way));
  EXPECT_NEAR(std::atan2(way.x(), -way.z()), M_PI / 4, 1e-12);
  ASSERT_TRUE(level->unproject(Vec2(600, 150 - 100), way));
  EXPECT_NEAR(way.y() / way.norm() * std::hypot(1.0, 100 / (1200 / M_PI)), 100 / (1200 / M_PI), 1e-12);
}
