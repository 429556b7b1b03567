#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

#include "core/element/element.h"
#include "core/matte/matte.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {
matte::RotoShapesNow circle(double radius, double feather) {
  matte::ShapePoints points;
  const double k = 0.5522847498;  // the usual handle length of a quarter circle
  for (int i = 0; i < 4; ++i) {
    const double a = i * M_PI / 2;
    const Vec2 out(-std::sin(a), std::cos(a));
    points.push_back(
        {Vec2(100, 80) + radius * Vec2(std::cos(a), std::sin(a)), -k * radius * out, k * radius * out, -1});
  }
  matte::RotoShapesNow m;
  m.curves = {{points, true}};
  m.softPx = feather;
  return m;
}
double sum(const image::Picture& p) { return std::accumulate(p.values.begin(), p.values.end(), 0.0); }
}  // namespace

TEST(Matte, ACircleCoversItsArea) {
  EXPECT_NEAR(sum(matte::rasterise(circle(40, 0), {0, 0, 200, 160})), M_PI * 1600, 8);
}
TEST(Matte, TheFeatherFallsOutwardsFromOneToNothing) {
  const auto p = matte::rasterise(circle(40, 20), {0, 0, 200, 160});
  EXPECT_EQ(*p.pixel(100 + 38, 80), 1.0f);
  EXPECT_NEAR(*p.pixel(100 + 49, 80), 0.5, 0.05);
  EXPECT_LT(*p.pixel(100 + 59, 80), 0.01f);
  float last = 1;
  for (int x = 138; x < 161; ++x) {
    EXPECT_LE(*p.pixel(x, 80), last + 1e-6f);
    last = *p.pixel(x, 80);
  }
}
TEST(Matte, APointCanHaveItsOwnFeather) {
  auto m = circle(40, 0);
  m.curves[0].points[0].featherPx = 16;  // the rightmost
  const auto p = matte::rasterise(m, {0, 0, 200, 160});
  EXPECT_GT(*p.pixel(146, 80), 0.3f);
  EXPECT_FALSE(p.data.contains(54, 80)) << "there is nothing to soften on the left";
}
TEST(Matte, ASubtractingShapeTakesAway) {
  auto m = circle(40, 0);
  const auto hole = test::rectangle(90, 70, 110, 90);
  m.curves.push_back({hole.points.constant(), false});
  EXPECT_NEAR(sum(matte::rasterise(m, {0, 0, 200, 160})), M_PI * 1600 - 400, 8);
}
TEST(Matte, ItReachesBeyondTheFrameWhenItsShapeDoes) {
  auto m = circle(40, 0);
  for (auto& p : m.curves[0].points) p.at.x() -= 90;
  EXPECT_LT(matte::boundsOf(m).x0, -25);
  EXPECT_NEAR(sum(matte::rasterise(m, {0, 0, 200, 160})), M_PI * 1600, 8);
}
TEST(Matte, GrowingMovesTheEdgeOutwardsAndShrinkingBack) {
  for (const double grow : {-7.5, -2.0, 3.0, 11.5}) {
    auto m = circle(40, 0);
    m.growPx = grow;
    const double r = 40 + grow;
    EXPECT_NEAR(sum(matte::rasterise(m, {0, 0, 200, 160})), M_PI * r * r, 0.004 * M_PI * r * r) << grow;
  }
}
TEST(Matte, APictureGrowsAndSoftensOutwardsToo) {
  image::Picture p(Box{80, 60, 120, 100}, {0, 0, 200, 160}, 1, 1.0f);
  const auto wide = matte::grown(p, 5, 0);
  EXPECT_EQ(*wide.pixel(76, 80), 1.0f);
  EXPECT_EQ(*wide.pixel(74, 80), 0.0f);
  const auto soft = matte::grown(p, 0, 10);
  EXPECT_EQ(*soft.pixel(85, 80), 1.0f) << "what was covered stays covered";
  EXPECT_GT(*soft.pixel(76, 80), 0.1f);
  EXPECT_LT(*soft.pixel(70, 80), 0.1f);
  const auto narrow = matte::grown(p, -5, 0);
  EXPECT_EQ(*narrow.pixel(83, 80), 0.0f);
  EXPECT_EQ(*narrow.pixel(90, 80), 1.0f);
}
TEST(Matte, TwoPointsAreNoShape) {
  auto m = circle(40, 0);
  m.curves[0].points.resize(2);
  EXPECT_TRUE(matte::boundsOf(m).empty());
}

TEST(Merge, TheOperationsAreTheUsualOnes) {
  // Premultiplied layer: red 0.3 at alpha 0.5 over 0.4 (Porter and Duff 1984 for over and plus).
  for (const auto& [combine, expected] : {std::pair{element::Merge::Over, 0.3 + 0.4 * 0.5},
                                          {element::Merge::Plus, 0.7},
                                          {element::Merge::Screen, 0.3 + 0.4 - 0.12},
                                          {element::Merge::Multiply, 0.4 * 0.5 + 0.3 * 0.4}}) {
    image::Picture plate(4, 4, 4, 0.4f), layer(4, 4, 4);
    layer.pixel(1, 1)[0] = 0.3f, layer.pixel(1, 1)[3] = 0.5f;
    element::merge(layer, combine, plate);
    EXPECT_NEAR(plate.pixel(1, 1)[0], expected, 1e-6);
    EXPECT_EQ(plate.pixel(2, 2)[0], 0.4f);
  }
}
TEST(Checker, SquaresAlternateAndAreWholeFromTheMiddle) {
  const auto p = element::checkerPicture(4, 2, 0.5, false);
  const auto at = [&](double u, double v) {
    return p.pixel(static_cast<int>((u / 4 + 0.5) * p.data.width()),
                   static_cast<int>((v / 2 + 0.5) * p.data.height()))[1];
  };
  EXPECT_GT(at(0.75, 0.75), at(1.25, 0.75) + 0.3f);
  EXPECT_NEAR(at(0.75, 0.75), at(1.25, 0.25), 1e-6);
}
