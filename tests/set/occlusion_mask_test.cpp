// The mask that says where sight may begin or end must never miss a pixel: whole pictures against asking at every one.
#include "core/set/occlusion_mask.h"
#include "tests/support/synthetic.h"

#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <random>

#include "core/map/resample.h"
#include "core/set/surface_map.h"

using namespace zentil;
using set::Surface;
using set::SurfaceKind;

namespace {

constexpr int kSide = 240;

camera::Camera cameraAt(const Vec3& position) {
  return {240, 240, kSide / 2.0, kSide / 2.0, position, Mat3::Identity()};
}

/// Pixels where the resampler and a question at every pixel disagree on whether the wall is seen.
size_t disagreements(const std::vector<Surface>& surfaces, const camera::Camera& eye, const camera::Camera& other) {
  const auto scene = std::make_shared<set::RayScene>(surfaces);
  const set::SeenBy map(eye, scene, 0, other, true);
  const image::Picture white(Box{-2000, -2000, 2000, 2000}, {0, 0, kSide, kSide}, 1, 1.0f);
  image::Picture covered;
  map::resample(white, map, {0, 0, kSide, kSide}, {0, 0, kSide, kSide}, map::Filter::Draft, &covered);
  size_t wrong = 0;
  for (int y = 0; y < kSide; ++y)
    for (int x = 0; x < kSide; ++x) {
      Vec2 at;
      const bool seen = map::through(map, {x + 0.5, y + 0.5}, at);
      wrong += seen != (*covered.pixel(x, y) > 0);
    }
  return wrong;
}

}  // namespace

TEST(OcclusionMask, NothingIsMissedWhateverStandsInFront) {
  std::mt19937 random(5);
  std::uniform_real_distribution<double> unit(-1, 1);
  const SurfaceKind kinds[] = {SurfaceKind::Plane, SurfaceKind::Box, SurfaceKind::Cylinder, SurfaceKind::Sphere};
  for (int trial = 0; trial < 40; ++trial) {
    std::vector<Surface> surfaces = {test::surface(SurfaceKind::Plane, {0, 0, 0}, {6, 6, 1}, "wall")};
    for (int k = 0; k < 3; ++k) {
      const double thin = trial % 3 == 0 ? 0.02 : 0.4;  // a post two pixels wide, or something solid
      auto s =
          test::surface(kinds[(trial + k) % 4], {2 * unit(random), 2 * unit(random), 1.2 + unit(random)},
                        {thin + 0.2 * std::abs(unit(random)) * (trial % 3), 0.3 + std::abs(unit(random)), 0.4}, "s");
      s.id += std::to_string(k);
      s.turn = Eigen::AngleAxisd(1.5 * unit(random), Vec3(unit(random), unit(random), unit(random)).normalized())
                   .toRotationMatrix();
      surfaces.push_back(s);
    }
    EXPECT_EQ(disagreements(surfaces, cameraAt({0.4 * unit(random), 0.3 * unit(random), 5}),
                            cameraAt({unit(random), unit(random), 4.5})),
              0U)
        << "trial " << trial;
  }
}

TEST(OcclusionMask, AFloorThatCutsTheWallHidesOnlyWhatIsBelowIt) {
  auto floor = test::surface(SurfaceKind::Plane, {0, -0.63, 1}, {8, 8, 1}, "floor");
  floor.turn = set::turnFor(Vec3::UnitY());
  const std::vector<Surface> surfaces = {test::surface(SurfaceKind::Plane, {0, 0, 0}, {6, 6, 1}, "wall"), floor};
  EXPECT_EQ(disagreements(surfaces, cameraAt({0, 0.5, 5}), cameraAt({1, 0.4, 5})), 0U);
}

TEST(OcclusionMask, WhatLiesBehindTheWallOrDoesNotBlockIsInNobodysWay) {
  auto behind = test::surface(SurfaceKind::Box, {0, 0, -2}, {1, 1, 1}, "behind");
  auto card = test::surface(SurfaceKind::Plane, {0, 0, 1}, {1, 1, 1}, "card");
  card.occludes = false;
  const set::RayScene scene({test::surface(SurfaceKind::Plane, {0, 0, 0}, {6, 6, 1}, "wall"), behind, card});
  EXPECT_TRUE(set::OcclusionMask(scene, 0, cameraAt({0, 0, 5})).empty());
  auto front = behind;
  front.position.z() = 2, front.id = "front";
  const set::RayScene other({test::surface(SurfaceKind::Plane, {0, 0, 0}, {6, 6, 1}, "wall"), front});
  const set::OcclusionMask way(other, 0, cameraAt({0, 0, 5}));
  EXPECT_FALSE(way.empty());
  const auto cell = [&](double x, double y) {
    const Vec2 corners[4] = {{x, y}, {x + 8, y}, {x + 8, y + 8}, {x, y + 8}};
    return way.within(corners);
  };
  // The box's nearest face spans 240 / 2.5 = 96 pixels about the middle: its edges are marked, its inside and the far
  // corner are not.
  EXPECT_TRUE(cell(kSide / 2.0 - 48 - 4, kSide / 2.0));
  EXPECT_FALSE(cell(kSide / 2.0 - 4, kSide / 2.0 - 4));
  EXPECT_FALSE(cell(10, 10));
  EXPECT_TRUE(cell(-5000, 10)) << "far outside nothing is known";
}

TEST(OcclusionMask, SomethingAroundTheCameraIsEverywhere) {
  const set::RayScene scene({test::surface(SurfaceKind::Plane, {0, 0, 0}, {6, 6, 1}, "wall"),
                             test::surface(SurfaceKind::Sphere, {0, 0, 5}, {2, 2, 2}, "dome")});
  const set::OcclusionMask way(scene, 0, cameraAt({0, 0, 5}));
  const Vec2 corners[4] = {{10, 10}, {18, 10}, {18, 18}, {10, 18}};
  EXPECT_TRUE(way.within(corners));
}

TEST(RayPackets, ManyAtOnceSayWhatEachAloneSays) {
  const set::RayScene scene({test::surface(SurfaceKind::Plane, {0, 0, 0}, {6, 6, 1}, "wall"),
                             test::surface(SurfaceKind::Box, {0.3, 0.2, 2}, {1, 1, 1}, "box"),
                             test::surface(SurfaceKind::Sphere, {-1, 0, 1}, {1, 1, 1}, "ball")});
  const auto eye = cameraAt({0.2, 0.1, 6});
  std::vector<Vec3> directions, points;
  std::vector<int> targets;
  for (int y = 4; y < kSide; y += 17)
    for (int x = 3; x < kSide; x += 13) directions.push_back(eye.unproject(Vec2(x, y)));
  std::vector<set::RayScene::Hit> hits(directions.size());
  scene.first(eye.position, directions.data(), directions.size(), -1, hits.data());
  for (size_t i = 0; i < hits.size(); ++i) {
    const auto alone = scene.first(eye.position, directions[i]);
    EXPECT_EQ(hits[i].surface, alone.surface);
    EXPECT_NEAR(hits[i].distance, alone.distance, 1e-5);
    if (hits[i].surface < 0) continue;
    points.push_back(eye.position + hits[i].distance * directions[i]);
    targets.push_back(hits[i].surface);
  }
  const Vec3 other(2, -0.5, 5);
  std::unique_ptr<bool[]> hidden(new bool[points.size()]);
  scene.hidden(other, points.data(), targets.data(), points.size(), hidden.get());
  size_t some = 0;
  for (size_t i = 0; i < points.size(); ++i) {
    EXPECT_EQ(hidden[i], scene.hidden(other, points[i], targets[i])) << i;
    some += hidden[i];
  }
  EXPECT_GT(some, 5U);
  EXPECT_LT(some, points.size() - 5);
}
