// What is exported, read by other people's readers: the glTF validator of Khronos (glTF 2.0), and two readers of USD
// (three.js and TinyUSDZ, from the npm registry: tests/readers/packages).
#include <gtest/gtest.h>

#include <filesystem>
#include <nlohmann/json.hpp>

#include "core/exchange/write.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

using nlohmann::json;

/// The fourth column, and the upper left three by three, of a matrix that is written column by column.
Vec3 placeOf(const json& node) {
  const auto m = node.at("matrix").get<std::vector<double>>();
  return {m.at(12), m.at(13), m.at(14)};
}
Mat3 turnOf(const json& node) {
  const auto m = node.at("matrix").get<std::vector<double>>();
  Mat3 out;
  for (int c = 0; c < 3; ++c)
    for (int r = 0; r < 3; ++r) out(r, c) = m.at(static_cast<size_t>(4 * c + r));
  return out;
}

shot::Shot withSpots(const test::Folder& folder) {
  auto s = test::walkAlongWall(folder);
  auto path = std::make_shared<camera::CameraPath>(*s.camera);
  path->centreOffsetPx = Vec2::Zero();
  // Turned by more than half a turn over the shot, about all axes: what is read between has to go the short way.
  int i = 0;
  for (auto& [f, pose] : path->poses)
    pose.rotation = (Eigen::AngleAxisd(0.4 * i, Vec3::UnitY()) * Eigen::AngleAxisd(-0.13 * i, Vec3::UnitX()) *
                     Eigen::AngleAxisd(0.07 * i, Vec3::UnitZ()))
                        .toRotationMatrix(),
    ++i;
  s.camera = path;
  set::Spot spot;
  spot.id = "o1", spot.name = "nail", spot.position = Vec3(0.2, 1.6, -0.3), spot.frame = 1002;
  s.spots.push_back(spot);
  s.points = std::make_shared<std::vector<set::Point>>(std::vector<set::Point>{{Vec3(1, 2, 0)}, {Vec3(0, 1, -1)}});
  return s;
}

json readBack(const std::filesystem::path& gltf, const std::filesystem::path& usda) {
  std::string printed;
  const int code = test::runCommand(fmt::format("node {}/../readers/read.mjs {} '{}' '{}' 2>/dev/null", ZENTIL_PAINTED,
                                                ZENTIL_READERS, gltf.string(), usda.string()),
                                    &printed);
  EXPECT_EQ(code, 0) << "node, or the packages of tests/readers/packages, are not there: ./run tests fetches them";
  return json::parse(printed, nullptr, false);
}

TEST(Readers, ExportsAreReadByOthersAsTheyWereMeant) {
  const test::Folder folder;
  auto s = withSpots(folder);
  exchange::exportShot(s, folder / "out");
  std::filesystem::path gltf, usda;
  for (const auto& f : std::filesystem::directory_iterator(folder / "out")) {
    if (f.path().extension() == ".gltf") gltf = f.path();
    if (f.path().extension() == ".usda") usda = f.path();
  }
  const json read = readBack(gltf, usda);
  ASSERT_TRUE(read.is_object());
  EXPECT_EQ(read.at("gltf").at("errors"), 0) << read.at("gltf").dump(1);
  EXPECT_EQ(read.at("gltf").at("warnings"), 0) << read.at("gltf").dump(1);
  ASSERT_TRUE(read.at("tinyusdz").at("read").get<bool>()) << read.at("tinyusdz").at("error");
  const auto& first = s.camera->poses.begin()->second;
  const auto& last = s.camera->poses.rbegin()->second;
  double worst = 0;
  for (const char* reader : {"three", "tinyusdz"}) {
    const json& nodes = read.at(reader).at("nodes");
    const json& camera = nodes.at("camera");
    worst = std::max({worst, (placeOf(camera) - first.position).norm(), (turnOf(camera) - first.rotation).norm(),
                      (placeOf(nodes.at("nail")) - s.spots[0].position).norm()});
  }
  EXPECT_LT(worst, 1e-6);
  const json& three = read.at("three");
  EXPECT_NEAR(three.at("nodes").at("camera").at("focalMm").get<double>(), first.focalMm, 1e-6);
  EXPECT_NEAR(three.at("nodes").at("camera").at("aspect").get<double>(), s.camera->backWidthMm / s.camera->backHeightMm,
              1e-6);
  // The wall's corners.
  const auto wall = s.surfacesAt(1001)[0];
  const json& mesh = three.at("nodes").at("wall");
  const Vec3 low = wall.toWorld(Vec3(-wall.size.x() / 2, -wall.size.y() / 2, 0)),
             high = wall.toWorld(Vec3(wall.size.x() / 2, wall.size.y() / 2, 0));
  for (int k = 0; k < 3; ++k) {
    EXPECT_NEAR(mesh.at("low").at(static_cast<size_t>(k)).get<double>(), low[k], 1e-5);
    EXPECT_NEAR(mesh.at("high").at(static_cast<size_t>(k)).get<double>(), high[k], 1e-5);
  }
  // Every frame has its key, and the last is the last pose.
  int tracks = 0;
  for (const json& t : three.at("tracks")) {
    EXPECT_EQ(t.at("count").get<size_t>(), s.camera->poses.size());
    const auto v = t.at("last").get<std::vector<double>>();
    ++tracks;
    if (v.size() == 3) {
      EXPECT_LT((Vec3(v[0], v[1], v[2]) - last.position).norm(), 1e-5);
    } else {
      ASSERT_EQ(v.size(), 4U);
      EXPECT_LT((Eigen::Quaterniond(v[3], v[0], v[1], v[2]).toRotationMatrix() - last.rotation).norm(), 1e-5);
    }
  }
  EXPECT_EQ(tracks, 2);
  std::printf("glTF: no errors, no warnings; USD by two readers within %.2g\n", worst);
}

}  // namespace
}  // namespace zentil
