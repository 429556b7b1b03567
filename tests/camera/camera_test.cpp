#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <cmath>
#include <fstream>

#include "core/base/files.h"
#include "core/camera/camera_csv.h"
#include "core/camera/camera_file.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using test::errorOf;

namespace {

camera::CameraPath somePath() {
  camera::CameraPath p;
  p.centreOffsetPx = Vec2(4.25, -2.5);
  for (int f = 1001; f <= 1004; ++f)
    p.poses[f] = {Vec3(f - 1000.0, 1.5, 8), Eigen::AngleAxisd(0.1 * f, Vec3(1, 2, 3).normalized()).toRotationMatrix(),
                  24.0 + f % 2};
  return p;
}

void write(const std::filesystem::path& file, const std::string& text) { std::ofstream(file) << text; }

constexpr const char* kHead = "frame,x,y,z,rx,ry,rz,order,focal_mm,back_width_mm,back_height_mm\n";

}  // namespace

TEST(Camera, ARayThroughAProjectedPointPassesThePoint) {
  const auto c = somePath().at(1002, 1280, 720);
  const Vec3 point = c.position - 5 * c.rotation.col(2) + 0.7 * c.rotation.col(0) + 0.4 * c.rotation.col(1);
  Vec2 pixel;
  ASSERT_TRUE(c.project(point, pixel));
  EXPECT_LT((c.unproject(pixel) - (point - c.position).normalized()).norm(), 1e-12);
  EXPECT_NEAR(c.depthOf(point), 5, 1e-12);
}
TEST(Camera, RightIsRightAndUpIsUp) {
  camera::Camera c{1000, 1000, 640, 360, Vec3::Zero(), Mat3::Identity()};
  Vec2 p;
  ASSERT_TRUE(c.project(Vec3(1, 1, -10), p));
  EXPECT_DOUBLE_EQ(p.x(), 740);
  EXPECT_DOUBLE_EQ(p.y(), 260);
  EXPECT_FALSE(c.project(Vec3(0, 0, 1), p));
}
TEST(CameraCsv, WritingAndReadingGivesTheSamePath) {
  const test::Folder folder;
  auto path = somePath();
  camera::writeCameraCsv(folder / "c.csv", path);
  auto back = camera::readCamera(folder / "c.csv", {});
  for (const auto& [f, pose] : path.poses)
    EXPECT_LT((back.poses.at(f).rotation - pose.rotation).norm() + (back.poses.at(f).position - pose.position).norm(),
              1e-12);
  EXPECT_EQ(back.centreOffsetPx, path.centreOffsetPx);
  EXPECT_EQ(back.poses.at(1001).focalMm, path.poses.at(1001).focalMm);
}
TEST(CameraCsv, EulerAnglesMultiplyInTheOrderThatIsNamed) {
  const test::Folder folder;
  write(folder / "c.csv", std::string(kHead) + "1,0,0,0,10,20,30,YXZ,24,36,20\n2,0,0,0,10,20,30,zyx,24,36,20\n");
  const auto p = camera::readCamera(folder / "c.csv", {});
  const auto r = [](double deg, int axis) {
    return Eigen::AngleAxisd(deg * M_PI / 180, Vec3::Unit(axis)).toRotationMatrix();
  };
  EXPECT_LT((p.poses.at(1).rotation - r(20, 1) * r(10, 0) * r(30, 2)).norm(), 1e-12);
  EXPECT_LT((p.poses.at(2).rotation - r(30, 2) * r(20, 1) * r(10, 0)).norm(), 1e-12);
}
TEST(CameraCsv, WhatIsWrongIsNamedByLine) {
  const test::Folder folder;
  const std::vector<std::pair<std::string, std::string>> cases = {
      {std::string(kHead) + "1,0,0,zero,0,0,0,XYZ,24,36,20\n", "line 2"},
      {std::string(kHead) + "1,0,0,nan,0,0,0,XYZ,24,36,20\n", "frame 1"},
      {std::string(kHead) + "1,0,0,0,0,0,0,XXZ,24,36,20\n", "order"},
      {std::string(kHead) + "1,0,0,0,0,0,0,XYZ,24,36,20\n1,0,0,0,0,0,0,XYZ,24,36,20\n", "twice"},
      {std::string(kHead) + "1,0,0,0,0,0,0,XYZ,24\n", "back_width_mm"},
      {"frame,x,y\n1,0,0\n", "column"},
      {"# nothing\n", "no frames"},
      {std::string(kHead) + "1.5,0,0,0,0,0,0,XYZ,24,36,20\n", "whole number"},
      {std::string(kHead) + "1,0,0,0,0,0,0,XYZ,-24,36,20\n", "focal length"}};
  for (const auto& [text, expected] : cases) {
    write(folder / "c.csv", text);
    const std::string said = errorOf([&] { camera::readCamera(folder / "c.csv", {}); });
    EXPECT_NE(said.find(expected), std::string::npos) << text << " -> " << said;
    EXPECT_NE(said.find("c.csv"), std::string::npos);
  }
}
TEST(CameraPath, GapsAreKnown) {
  auto p = somePath();
  p.poses.erase(1002);
  EXPECT_EQ(p.gaps({1000, 1004}), (std::vector{1000, 1002}));
  EXPECT_NE(errorOf([&] { p.at(1002, 100, 100); }).find("frame 1002"), std::string::npos);
}
TEST(CameraPath, AMirroredOrScaledRotationIsNoRotation) {
  auto p = somePath();
  p.poses[1001].rotation *= 1.1;
  EXPECT_FALSE(camera::problemsOf(p).empty());
  p.poses[1001].rotation = -Mat3::Identity();
  EXPECT_FALSE(camera::problemsOf(p).empty());
}
TEST(CameraGltf, NotGltfAndNoCameraAreSaid) {
  const test::Folder folder;
  write(folder / "a.gltf", "{\"asset\":{\"version\":\"2.0\"},\"nodes\":[{\"name\":\"a\"}]}");
  EXPECT_NE(errorOf([&] { camera::readCamera(folder / "a.gltf", {}); }).find("no perspective camera"),
            std::string::npos);
  write(folder / "b.gltf", "{\"asset\":{\"ver");
  EXPECT_NE(errorOf([&] { camera::readCamera(folder / "b.gltf", {}); }).find("not readable"), std::string::npos);
}
