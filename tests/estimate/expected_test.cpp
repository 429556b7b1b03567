#include "core/estimate/expected.h"

#include <gtest/gtest.h>

#include <random>

using namespace zentil;

namespace {

/// A shot that trucks to the right and turns a little; `step` metres a frame.
shot::Shot trucking(double step) {
  shot::Shot s;
  s.width = 640, s.height = 360, s.range = {1, 40};
  camera::CameraPath c;
  for (int f = 1; f <= 40; ++f)
    c.poses[f] = {Vec3(step * f, 0.1, 0), Mat3(Eigen::AngleAxisd(0.002 * f, Vec3::UnitY())), 30};
  s.camera = std::make_shared<camera::CameraPath>(c);
  return s;
}

/// A tracker of a place on frames 1 to `last`, with grain's noise; it goes by itself along the picture so many pixels a
/// frame.
track::Track seenOn(const shot::Shot& s, const Vec3& place, int last, double wanders = 0) {
  std::mt19937 random(4);
  std::normal_distribution<double> noise(0, 0.1);
  track::Track t;
  t.first = 1;
  for (int f = 1; f <= last; ++f) {
    Vec2 at;
    EXPECT_TRUE(s.viewAt(f)->see(place, at));
    t.set(f, at + Vec2(noise(random), noise(random)) + wanders * f * f * Vec2(0, 1));
  }
  return t;
}

const Vec3 kPlace(0.6, 0.2, -8);

}  // namespace

TEST(Expected, WhereTheCameraWillSeeItAgain) {
  const auto s = trucking(0.05);
  const auto expected = estimate::expectedBy(s);
  const auto t = seenOn(s, kPlace, 15);
  for (const int f : {16, 25, 40}) {
    Vec2 truth;
    ASSERT_TRUE(s.viewAt(f)->see(kPlace, truth));
    const auto at = expected(t, f);
    ASSERT_TRUE(at) << f;
    EXPECT_LT((*at - truth).norm(), f == 16 ? 0.3 : 2) << f;
  }
}

TEST(Expected, ACameraThatOnlyTurnsNeedsNoDepth) {
  const auto s = trucking(0);
  const auto at = estimate::expectedBy(s)(seenOn(s, kPlace, 15), 40);
  Vec2 truth;
  ASSERT_TRUE(s.viewAt(40)->see(kPlace, truth));
  ASSERT_TRUE(at);
  EXPECT_LT((*at - truth).norm(), 0.3);
}

TEST(Expected, NothingIsSaidOfWhatTheCameraDoesNotKnow) {
  const auto s = trucking(0.05);
  const auto expected = estimate::expectedBy(s);
  EXPECT_FALSE(expected(seenOn(s, kPlace, 15, 0.05), 25)) << "it goes by itself";
  EXPECT_FALSE(expected(seenOn(s, kPlace, 2), 25)) << "two frames fit anything";
  EXPECT_FALSE(expected(seenOn(s, kPlace, 15), 60)) << "no camera there";
  EXPECT_FALSE(estimate::expectedBy(trucking(0.05))(seenOn(s, kPlace, 4), 40)) << "four near frames tell no depth";
  shot::Shot bare = s;
  bare.camera = std::make_shared<camera::CameraPath>();
  EXPECT_FALSE(estimate::expectedBy(bare)(seenOn(s, kPlace, 15), 25));
}
