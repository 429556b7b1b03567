#include <gtest/gtest.h>

#include <cmath>
#include <fstream>

#include "core/map/resample.h"
#include "core/set/points.h"
#include "core/set/surface_map.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using set::Surface;
using set::SurfaceKind;

namespace {

camera::Camera frontCamera() { return {1000, 1000, 500, 500, Vec3(0, 0, 10), Mat3::Identity()}; }

}  // namespace

TEST(PlaneFit, FindsThePlaneAndItsResidual) {
  const Mat3 turn = Eigen::AngleAxisd(0.7, Vec3(1, 2, 0.5).normalized()).toRotationMatrix();
  std::vector<Vec3> points;
  for (int i = 0; i < 40; ++i)
    points.push_back(Vec3(1, 2, 3) + turn * Vec3(std::sin(i * 1.7), std::cos(i * 2.3), i % 2 ? 0.004 : -0.004));
  const auto fit = set::fitPlane(points);
  EXPECT_GT(std::abs(fit.normal.dot(turn.col(2))), 0.99999);
  EXPECT_NEAR(fit.rms, 0.004, 0.0005);
}
TEST(PlaneFit, NamesThePointThatStandsOff) {
  std::vector<Vec3> points = {{0, 0, 0},       {1, 0, 0},     {1, 1, 0},    {0, 1, 0},
                              {0.5, 0.5, 0.2}, {0.2, 0.8, 0}, {0.8, 0.3, 0}};
  EXPECT_EQ(set::fitPlane(points).worstIndex, 4u);
}
TEST(PlaneFit, PointsInALineAreRefusedWithWhatToDo) {
  EXPECT_NE(test::errorOf([] {
              set::fitPlane({{0, 0, 0}, {1, 1, 1}, {2, 2, 2}, {3, 3, 3}});
            }).find("off that line"),
            std::string::npos);
  EXPECT_NE(test::errorOf([] { set::fitPlane({{0, 0, 0}, {1, 1, 1}}); }).find("three points"), std::string::npos);
}
TEST(RayScene, EverySurfaceIsMetWhereItStands) {
  const std::vector<std::pair<Surface, double>> cases = {
      {test::surface(SurfaceKind::Plane, {0, 0, 1}, {2, 2, 1}, "p"), 9},
      {test::surface(SurfaceKind::Box, {0, 0, 1}, {2, 2, 2}, "b"), 8},
      {test::surface(SurfaceKind::Cylinder, {0, 0, 1}, {2, 2, 2}, "c"), 8},
      {test::surface(SurfaceKind::Sphere, {0, 0, 1}, {2, 2, 2}, "s"), 8}};
  for (const auto& [s, distance] : cases) {
    const set::RayScene scene({s});
    const auto hit = scene.first({0.01, 0.01, 10}, {0, 0, -1});
    EXPECT_EQ(hit.surface, 0) << s.id;
    EXPECT_NEAR(hit.distance, distance, 0.003) << s.id;
    EXPECT_EQ(scene.first({3, 0, 10}, {0, 0, -1}).surface, -1) << s.id;
  }
}
TEST(RayScene, WhatBlocksHidesAndWhatDoesNotDoesNot) {
  auto screen = test::surface(SurfaceKind::Plane, {0, 0, 5}, {1, 1, 1}, "screen");
  const auto wall = test::surface(SurfaceKind::Plane, {0, 0, 0}, {10, 10, 1}, "wall");
  EXPECT_TRUE(set::RayScene({wall, screen}).hidden({0, 0, 10}, {0.1, 0.1, 0}, 0));
  EXPECT_FALSE(set::RayScene({wall, screen}).hidden({0, 0, 10}, {3, 0, 0}, 0));
  screen.occludes = false;
  EXPECT_FALSE(set::RayScene({wall, screen}).hidden({0, 0, 10}, {0.1, 0.1, 0}, 0));
}
TEST(SurfaceMap, WhatTheSourceCameraCannotSeeIsNotThere) {
  const auto wall = test::surface(SurfaceKind::Plane, {0, 0, 0}, {10, 10, 1}, "wall"),
             post = test::surface(SurfaceKind::Box, {1, 0, 4}, {0.2, 6, 0.2}, "post");
  const auto scene = std::make_shared<set::RayScene>(std::vector{wall, post});
  auto held = frontCamera();
  held.position.x() = 2;
  const set::SeenBy map(frontCamera(), scene, 0, held, true);
  // From x = 2 the post hides the wall about x = 1 - (2 - 1) * 4 / 6; from x = 0 it stands in front of x = 1 + 1 * 4
  // / 6.
  const auto pixelOf = [](double x) { return Vec2(500 + 1000 * x / 10, 500); };
  Vec2 at;
  EXPECT_FALSE(map::through(map, pixelOf(1 - 4.0 / 6), at));
  EXPECT_FALSE(map::through(map, pixelOf(1 + 4.0 / 6), at));
  ASSERT_TRUE(map::through(map, pixelOf(-1), at));
  EXPECT_NEAR(at.x(), 500 + 1000 * -3.0 / 10, 1e-9);
}
TEST(SurfaceMap, AThinThingBetweenLatticePointsIsNotMissed) {
  const auto wall = test::surface(SurfaceKind::Plane, {0, 0, 0}, {20, 20, 1}, "wall"),
             wire = test::surface(SurfaceKind::Box, {0.033, 0, 5}, {0.01, 8, 0.01}, "wire");
  const auto scene = std::make_shared<set::RayScene>(std::vector{wall, wire});
  const image::Picture white(1000, 1000, 4, 1.0f);
  const auto out = map::resample(white, set::SeenBy(frontCamera(), scene, 0, frontCamera(), false), {0, 0, 1000, 1000},
                                 {0, 0, 1000, 1000}, map::Filter::Sharp);
  int rows = 0;
  for (int y = 300; y < 700; ++y) {
    int gap = 0;
    for (int x = 480; x < 530; ++x) gap += out.pixel(x, y)[3] == 0;
    rows += gap >= 1 && gap <= 4;
  }
  EXPECT_EQ(rows, 400);
}
TEST(SurfaceMap, OffTheSurfaceAndBehindItIsNothing) {
  const auto scene =
      std::make_shared<set::RayScene>(std::vector{test::surface(SurfaceKind::Plane, {0, 0, 0}, {2, 2, 1}, "wall")});
  Vec2 at;
  EXPECT_FALSE(map::through(set::SeenBy(frontCamera(), scene, 0, frontCamera(), false), {700, 500}, at));
  auto away = frontCamera();
  away.rotation = Eigen::AngleAxisd(M_PI, Vec3::UnitY()).toRotationMatrix();
  EXPECT_FALSE(map::through(set::SeenBy(away, scene, 0, frontCamera(), false), {500, 500}, at));
}
TEST(Surface, PicturesAreWrappedTheRightWayUp) {
  const auto plane = test::surface(SurfaceKind::Plane, {0, 0, 0}, {4, 2, 1}, "p");
  EXPECT_LT((set::uvOf(plane, {-2, 1, 0}) - Vec2(0, 0)).norm(), 1e-12);
  EXPECT_LT((set::uvOf(plane, {2, -1, 0}) - Vec2(1, 1)).norm(), 1e-12);
  const auto box = test::surface(SurfaceKind::Box, {0, 0, 0}, {2, 2, 2}, "b");
  EXPECT_LT((set::uvOf(box, {-0.5, 0.5, 1}) - Vec2(0.25, 0.25)).norm(), 1e-12);
}
TEST(Surface, AFloorLooksUpAndAwayFromTheViewer) {
  const Mat3 m = set::turnFor({0, 1, 0});
  EXPECT_LT((m.col(1) - Vec3(0, 0, -1)).norm(), 1e-12);
  EXPECT_NEAR(m.determinant(), 1, 1e-12);
}
TEST(Points, PlyAndMeshFilesAreReadAndBadOnesNamed) {
  const test::Folder folder;
  std::ofstream(folder / "p.ply") << "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float "
                                     "y\nproperty float z\nend_header\n1 2 3\n4 5 6\n7 8 9\n";
  const auto points = set::readPoints(folder / "p.ply");
  ASSERT_EQ(points.size(), 3u);
  EXPECT_LT((points[1].at - Vec3(4, 5, 6)).norm(), 1e-6);
  std::ofstream(folder / "m.obj") << "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n";
  EXPECT_EQ(set::readMesh(folder / "m.obj")->triangles.size(), 2u);
  std::ofstream(folder / "bad.ply") << "ply\nformat ascii 1.0\nelement vertex 30000\n";
  EXPECT_NE(test::errorOf([&] { set::readPoints(folder / "bad.ply"); }).find("bad.ply"), std::string::npos);
  std::ofstream(folder / "empty.obj").flush();
  EXPECT_NE(test::errorOf([&] { set::readMesh(folder / "empty.obj"); }).find("empty"), std::string::npos);
}
TEST(Points, GltfMeshesAreReadUnderTheirNodesInListsStripsAndFans) {
  const test::Folder folder;
  // Four corners of a square as bytes: the buffer of a file that describes itself.
  const float corners[] = {0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0};
  const uint16_t indices[] = {0, 1, 2, 2, 1, 3};
  std::ofstream bytes(folder / "b.bin", std::ios::binary);
  bytes.write(reinterpret_cast<const char*>(corners), sizeof corners);
  bytes.write(reinterpret_cast<const char*>(indices), sizeof indices);
  bytes.close();
  const auto file = [&](const std::string& name, const std::string& primitive, const std::string& accessor = "") {
    std::ofstream(folder / name)
        << R"({"asset":{"version":"2.0"},"buffers":[{"uri":"b.bin","byteLength":60}],"bufferViews":[)"
        << R"({"buffer":0,"byteLength":48},{"buffer":0,"byteOffset":48,"byteLength":12}],"accessors":[)"
        << R"({"bufferView":0,"componentType":5126,"count":4,"type":"VEC3")" << accessor << R"(},)"
        << R"({"bufferView":1,"componentType":5123,"count":6,"type":"SCALAR"}],)"
        << R"("meshes":[{"primitives":[{"attributes":{"POSITION":0})" << primitive << R"(}]}],)"
        << R"("nodes":[{"children":[1],"translation":[10,0,0]},{"mesh":0,"scale":[2,2,2]}],)"
        << R"("scenes":[{"nodes":[0]}]})";
    return folder / name;
  };
  const auto list = set::readMesh(file("list.gltf", R"(,"indices":1)"));
  EXPECT_EQ(list->triangles.size(), 2u);
  EXPECT_EQ(list->hi, Vec3(12, 2, 0));  // scaled by its own node, moved by the one above
  for (const char* mode : {R"(,"mode":5)", R"(,"mode":6)"}) {
    const auto strip = set::readMesh(file("strip.gltf", mode));
    ASSERT_EQ(strip->triangles.size(), 2u) << mode;
  }
  // Both faces of a strip look the same way.
  const auto strip = set::readMesh(file("strip.gltf", R"(,"mode":5)"));
  for (const auto& t : strip->triangles) {
    const Vec3 a = strip->points[static_cast<size_t>(t[0])], b = strip->points[static_cast<size_t>(t[1])],
               c = strip->points[static_cast<size_t>(t[2])];
    EXPECT_GT((b - a).cross(c - a).z(), 0);
  }
  EXPECT_EQ(set::readPoints(file("points.gltf", R"(,"mode":0)")).size(), 4u);
  const auto sparse = file("sparse.gltf", R"(,"indices":1)",
                           R"(,"sparse":{"count":1,"indices":{"bufferView":1,"componentType":5123},)"
                           R"("values":{"bufferView":0}})");
  EXPECT_NE(test::errorOf([&] { set::readMesh(sparse); }).find("sparse.gltf"), std::string::npos);
  std::ofstream(folder / "b.bin", std::ios::binary) << "short";
  EXPECT_NE(test::errorOf([&] { set::readMesh(folder / "list.gltf"); }).find("list.gltf"), std::string::npos);
}
