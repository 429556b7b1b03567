// Values over time: against arithmetic written out here, and against what a cubic may not do.
#include <gtest/gtest.h>

#include <cmath>

#include "core/matte/matte.h"
#include "core/value/turn.h"
#include "core/value/value.h"

using namespace zentil;
using value::Between;
using value::Value;

TEST(Value, AConstantHoldsOnEveryFrame) {
  const Value<double> v = 0.7;
  EXPECT_FALSE(v.keyed());
  for (const int f : {-5, 0, 1001}) EXPECT_EQ(v.at(f), 0.7);
}
TEST(Value, KeysAreMetExactlyAndHeldOutside) {
  Value<double> v = 1.0;
  v.key(10, 0.1, Between::Linear);
  v.key(14, 0.3, Between::Smooth);
  v.key(24, 0.7, Between::Hold);
  v.key(30, -2, Between::Linear);
  for (const auto& [f, x] : {std::pair{10, 0.1}, {14, 0.3}, {24, 0.7}, {30, -2.0}, {3, 0.1}, {99, -2.0}})
    EXPECT_EQ(v.at(f), x);
  EXPECT_NEAR(v.at(11), 0.15, 1e-15);
  EXPECT_EQ(v.at(29), 0.7);
}
TEST(Value, SmoothBetweenTwoKeysIsTheEasedCubic) {
  Value<double> v;
  v.key(0, 2, Between::Smooth);
  v.key(10, 6, Between::Smooth);
  for (int f = 0; f <= 10; ++f) {
    const double t = f / 10.0;
    EXPECT_NEAR(v.at(f), 2 + 4 * (3 * t * t - 2 * t * t * t), 1e-12) << f;
  }
}
// Against the closed form: slopes at inner keys are the weighted harmonic mean of Fritsch and Butland (1984), written
// out for one case by hand: pieces of 4 and 6 frames with slopes 1/2 and 1/3.
TEST(Value, SmoothThroughAKeyHasThePublishedSlope) {
  Value<double> v;
  v.key(0, 0, Between::Smooth);
  v.key(4, 2, Between::Smooth);
  v.key(10, 4, Between::Smooth);
  const double w1 = 2 * 6 + 4, w2 = 6 + 2 * 4, slope = (w1 + w2) / (w1 / 0.5 + w2 / (1 / 3.0));
  // Cubic on [4, 10] from 2 with that slope to 4 with slope 0.
  for (int f = 4; f <= 10; ++f) {
    const double t = (f - 4) / 6.0, h00 = (1 + 2 * t) * (1 - t) * (1 - t), h10 = t * (1 - t) * (1 - t),
                 h01 = t * t * (3 - 2 * t);
    EXPECT_NEAR(v.at(f), h00 * 2 + h10 * 6 * slope + h01 * 4, 1e-12) << f;
  }
}
TEST(Value, SmoothNeverGoesBeyondItsKeys) {
  unsigned seed = 7;
  const auto random = [&] { return (seed = seed * 1664525u + 1013904223u) / 4294967296.0; };
  for (int round = 0; round < 500; ++round) {
    Value<Vec3> v;
    std::vector<std::pair<int, Vec3>> keys;
    int f = 0;
    for (int k = 0; k < 6; ++k) {
      f += 1 + static_cast<int>(random() * 12);
      keys.emplace_back(f, Vec3(random(), 100 * random(), random() < 0.3 ? 0.0 : 1e-3 * random()));
      v.key(f, keys.back().second, Between::Smooth);
    }
    for (size_t k = 0; k + 1 < keys.size(); ++k)
      for (int at = keys[k].first; at <= keys[k + 1].first; ++at) {
        const Vec3 x = v.at(at), lo = keys[k].second.cwiseMin(keys[k + 1].second),
                   hi = keys[k].second.cwiseMax(keys[k + 1].second);
        ASSERT_TRUE((x.array() >= lo.array()).all() && (x.array() <= hi.array()).all()) << round << " " << at;
      }
  }
}
TEST(Value, ATurnGoesAboutOneAxisTheShortWay) {
  Value<Mat3> v = Mat3(Mat3::Identity());
  const Vec3 axis = Vec3(1, 2, -0.5).normalized();
  const auto about = [&](double a) { return Eigen::AngleAxisd(a, axis).toRotationMatrix(); };
  v.key(0, about(0.2), Between::Linear);
  v.key(10, about(1.4), Between::Smooth);
  v.key(20, about(1.0), Between::Linear);
  for (int f = 0; f <= 10; ++f) EXPECT_LT((v.at(f) - about(0.2 + 0.12 * f)).norm(), 1e-12) << f;
  for (int f = 11; f < 20; ++f) {
    const Eigen::AngleAxisd a(v.at(f) * about(-1.4));
    EXPECT_LE(std::abs(a.angle()), 0.4 + 1e-12) << f;
    EXPECT_NEAR(std::abs(a.axis().dot(axis)), 1, 1e-6) << f;
  }
}
TEST(Value, SetAtTheplayheadIsAKeyOnlyWhereThereAreKeys) {
  Value<double> v = 1.0;
  v.put(5, 2.0);
  EXPECT_FALSE(v.keyed());
  EXPECT_EQ(v.constant(), 2.0);
  v.key(5);
  v.put(9, 4.0);
  EXPECT_EQ(v.keys().all().size(), 2U);
  EXPECT_EQ(v.at(7), 3.0);
  EXPECT_TRUE(v.keys().move(9, 13));
  EXPECT_EQ(v.at(9), 3.0);
  EXPECT_FALSE(v.keys().move(9, 20));
  v.unkey(5);
  v.unkey(13);
  EXPECT_FALSE(v.keyed());
  EXPECT_EQ(v.at(0), 4.0) << "what the last key said stays";
}
TEST(Value, ShapesChangePointByPointAndHoldWhereTheyCannot) {
  Value<matte::ShapePoints> v;
  matte::ShapePoints a(3), b(3);
  for (size_t i = 0; i < 3; ++i) a[i].at = Vec2(static_cast<double>(i), 0), b[i].at = Vec2(static_cast<double>(i), 10);
  v.key(0, a);
  v.key(10, b);
  EXPECT_EQ(v.at(5)[2].at, Vec2(2, 5));
  EXPECT_EQ(v.at(5)[0].featherPx, -1) << "as its part says is no number between";
  b.emplace_back();
  v.key(10, b);
  EXPECT_EQ(v.at(9), a);
  EXPECT_EQ(v.at(10), b);
}
TEST(Turn, DegreesGoThereAndBack) {
  for (const Vec3& d : {Vec3(12, -34, 56), Vec3(90, 20, 0), Vec3(-89.9, 170, -170), Vec3(0, 0, 180)})
    EXPECT_LT(
        (value::turnFromDegrees(value::turnDegrees(value::turnFromDegrees(d))) - value::turnFromDegrees(d)).norm(),
        1e-12);
}
