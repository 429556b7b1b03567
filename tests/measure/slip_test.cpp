#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "core/image/crop.h"
#include "core/image/pictures.h"
#include "core/image/write.h"
#include "core/measure/slip.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

/// Two views of one texture, the second displaced by `offset` plus `change` times the distance from the middle, with
/// noise.
measure::SlipPictures pair(const Vec2& offset, const Mat2& change, double noise, double contrast = 1) {
  measure::SlipPictures p;
  p.seen = p.plate = image::Picture(240, 200, 1);
  p.votes = image::Picture(240, 200, 1, 1.0f);
  p.centre = Vec2(120, 100);
  std::mt19937 random(3);
  std::normal_distribution<double> n(0, noise);
  for (int y = 0; y < 200; ++y)
    for (int x = 0; x < 240; ++x) {
      const Vec2 at(x + 0.5, y + 0.5);
      const Vec2 from = at - offset - change * (at - p.centre);  // seen shows here what belongs there
      *p.plate.pixel(x, y) =
          static_cast<float>(0.5 + contrast * (test::texture(at.x() * 0.02, at.y() * 0.02) - 0.5) + n(random));
      *p.seen.pixel(x, y) = static_cast<float>(
          0.45 + 0.9 * contrast * (test::texture(from.x() * 0.02, from.y() * 0.02) - 0.5) + n(random));
    }
  return p;
}

}  // namespace

class KnownShift : public testing::TestWithParam<double> {};
INSTANTIATE_TEST_SUITE_P(Slip, KnownShift, testing::Values(0.0, 0.1, 0.25, 0.5, 0.75, 1.0, 1.5, 2.0));

TEST_P(KnownShift, IsMeasuredToAFiftiethOfAPixelInNoise) {
  const Vec2 shift = GetParam() * Vec2(0.8, -0.6);
  const auto s = measure::registerPictures(pair(shift, Mat2::Zero(), 0.01));
  ASSERT_TRUE(s.known) << s.why;
  EXPECT_LT((s.offset - shift).norm(), 0.02);
  EXPECT_LT(s.sigmaPx, 0.02);
}
TEST(Slip, ScaleAndTurnAreMeasured) {
  Mat2 change;
  change << 0.004, -0.006, 0.006, 0.004;
  const auto s = measure::registerPictures(pair({0.3, 0.2}, change, 0.005));
  ASSERT_TRUE(s.known);
  EXPECT_NEAR(s.scale(), 1.004, 5e-4);
  EXPECT_NEAR(s.turnDegrees(), 0.006 * 180 / M_PI, 0.03);
  EXPECT_LT((s.at({180, 100}) - Vec2(0.3 + 0.24, 0.2 + 0.36)).norm(), 0.04);
}
TEST(Slip, WithoutTextureItCannotSay) {
  const auto s = measure::registerPictures(pair({1, 0}, Mat2::Zero(), 0.01, 0.0));
  EXPECT_FALSE(s.known);
  EXPECT_FALSE(s.why.empty());
  EXPECT_EQ(s.confidence(), 0);
}
TEST(Slip, SomethingInFrontLosesItsVote) {
  auto p = pair({0.4, 0}, Mat2::Zero(), 0.005);
  for (int y = 40; y < 160; ++y)
    for (int x = 30; x < 80; ++x) *p.plate.pixel(x, y) = static_cast<float>(test::texture(x * 0.031 + 5, y * 0.027));
  const auto s = measure::registerPictures(p);
  ASSERT_TRUE(s.known) << s.why;
  EXPECT_NEAR(s.offset.x(), 0.4, 0.03);
}
TEST(Slip, WhenEverythingIsSomethingElseItCannotSay) {
  auto p = pair({0, 0}, Mat2::Zero(), 0.005);
  std::mt19937 random(5);
  std::uniform_real_distribution<float> u(0, 1);
  for (float& v : p.plate.values) v = u(random);
  EXPECT_FALSE(measure::registerPictures(p).known);
}
TEST(Slip, ALockedPatchHasNone) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5, 640, 360);
  test::addPatch(s, 1005, 1003, 200, 100, 420, 260);
  comp::RenderCache w(size_t{300} << 20);
  const auto slip = test::slipOver(s, s.elements[0], w);
  EXPECT_EQ(slip.unknown, 0);
  EXPECT_LT(slip.lockPx, 0.02);
}
TEST(Slip, AnOffsetMatteChangesNothingButTheSurfaceDoes) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 640, 360);
  test::addPatch(s, 1003, 1002, 200, 100, 420, 260);
  s.surfaces[0].position = Vec3(0, 1.5, 0.15);
  comp::RenderCache w(size_t{300} << 20);
  EXPECT_GT(test::slipAt(s, s.elements[0], 1001, w).px(), 0.5);
  EXPECT_LT(test::slipAt(s, s.elements[0], 1003, w).px(), 0.01);
}
TEST(Slip, LevelsAroundAreFound) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 640, 360);
  test::addPatch(s, 1003, 1002, 200, 100, 420, 260);
  comp::RenderCache w(size_t{300} << 20);
  for (const double g : test::levelAround(s, s.elements[0], 1001, w)) EXPECT_NEAR(g, 1, 0.01);
}

// A sign 15 cm before the wall, which is not on the plate: what the plate shows around it is the wall, and that holds.
TEST(Slip, OfASignBeforeAWallItIsHowTheWallHolds) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5, 640, 360);
  auto sign = s.surfacesAt(1003)[0];
  sign.id = "s2", sign.name = "sign", sign.position = Vec3(0, 1.5, 0.15), sign.size = Vec3(1.2, 0.7, 1);
  s.surfaces.emplace_back(sign);
  element::Element e;
  e.id = "e1", e.name = "sign", e.place = element::onSurface("s2"), e.source = element::Checker{};
  s.elements = {e};
  comp::RenderCache w(size_t{300} << 20);
  const auto slip = test::slipOver(s, e, w);
  EXPECT_EQ(slip.unknown, 0);
  EXPECT_LT(slip.lockPx, 0.03);
  EXPECT_EQ(slip.frames.front().against, "s1");
  // Without the wall in the set the plate around it is all that there is, and that moves past it.
  s.surfaces.erase(s.surfaces.begin());
  EXPECT_GT(test::slipOver(s, e, w).lockPx, 0.3);
}

// A shadow that is laid on a wall goes as that wall does, and says so when the wall stands wrong.
TEST(Slip, OfAShadowIsThatOfTheSurfaceWhichItIsLaidOn) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5, 640, 360);
  test::addPatch(s, 1003, 1003, 240, 130, 400, 230);
  s.elements[0].source = element::Shadow{std::array<double, 3>{0.5, 0.5, 0.5}, true};
  comp::RenderCache w(size_t{300} << 20);
  const auto right = test::slipOver(s, s.elements[0], w);
  EXPECT_EQ(right.unknown, 0);
  EXPECT_LT(right.lockPx, 0.03);
  s.surfaces[0].position.each([](Vec3& p) { p.z() = 0.1; });
  const auto wrong = test::slipOver(s, s.elements[0], w);
  std::printf("a shadow on a wall 0.1 m off slips by %.2f px at the most\n", wrong.lockPx);
  EXPECT_GT(wrong.lockPx, 0.3);
}

// A picture half as bright as the wall, and redder: matched it is as bright as what is around it, or it is said why
// not.
TEST(Slip, APictureIsMatchedToThePlateAroundIt) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 640, 360);
  test::repaint(s, [](int, image::Picture& p) {
    for (size_t i = 0; i < p.values.size(); ++i) p.values[i] = i % 4 == 3 ? 1.0f : 0.4f;
  });
  image::Picture dull(64, 64, 4, 1.0f);
  for (size_t i = 0; i < dull.values.size(); i += 4)
    dull.values[i] = 0.25f, dull.values[i + 1] = 0.2f, dull.values[i + 2] = 0.16f;
  image::writePicture(folder / "dull.exr", dull, {});
  element::Element e;
  e.id = "e1", e.name = "dull", e.place = element::onSurface("s1");
  e.source = element::Picture{image::openPictures((folder / "dull.exr").string(), 24)};
  s.elements = {e};
  s.surfaces[0].size = Vec3(0.8, 0.8, 1);
  comp::RenderCache w(size_t{300} << 20);
  const auto gain = test::levelAround(s, e, 1002, w);
  EXPECT_NEAR(gain[0], 1.6, 0.01);
  EXPECT_NEAR(gain[1], 2.0, 0.01);
  EXPECT_NEAR(gain[2], 2.5, 0.01);
  // Over the whole frame there is nothing to match it to.
  s.surfaces[0].size = Vec3(40, 40, 1);
  EXPECT_NE(test::errorOf([&] { test::levelAround(s, e, 1002, w); }).find("no edge"), std::string::npos);
}

TEST(Slip, APlateWithASmallerDataWindowIsReadWithinItAlone) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1001, 1001, 100, 60, 220, 120);
  // The same frames, cropped: what lies outside is not there to be measured.
  test::repaint(s, [](int, image::Picture& p) { p = image::over(p, {40, 20, 290, 165}); });
  comp::RenderCache cache(test::kBudget);
  const auto slip = test::slipAt(s, s.elements[0], 1003, cache);
  EXPECT_TRUE(slip.known) << slip.why;
  EXPECT_LT(slip.px(), 0.1);
  // The patch is laid outside of it, too.
  test::drawn(s).shapes = {test::rectangle(4, 60, 120, 120)};
  const auto built = test::buildFrame(s, 1002, cache);
  ASSERT_LE(built.data.x0, 20);
  EXPECT_GT(built.pixel(20, 90)[1], 0.1f);
  EXPECT_EQ(built.data.x1, 290);
  EXPECT_NO_THROW(test::slipAt(s, s.elements[0], 1002, cache));
}
