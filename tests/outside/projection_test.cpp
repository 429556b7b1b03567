// Camera, lens and files against OpenCV, assimp and the Khronos sample structure; trade rules of thumb.
#include <gtest/gtest.h>

#include <assimp/scene.h>
#include <assimp/Importer.hpp>

#include <cmath>
#include <fstream>
#include <opencv2/calib3d.hpp>
#include <opencv2/imgproc.hpp>
#include <random>

#include "core/camera/camera_file.h"
#include "core/image/colour.h"
#include "core/lens/lens_file.h"
#include "core/map/resample.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

/// A world point as cv::projectPoints sees it; OpenCV looks along +Z with y down and puts the first pixel's centre at
/// 0.
Vec2 cvProject(const camera::Camera& c, const lens::Lens& l, const Vec3& world) {
  const Vec3 q = c.rotation.transpose() * (world - c.position);
  const std::vector<cv::Point3d> in = {{q.x(), -q.y(), -q.z()}};
  const cv::Mat k = (cv::Mat_<double>(3, 3) << c.fx, 0, c.cx - 0.5, 0, c.fy, c.cy - 0.5, 0, 0, 1),
                d = (cv::Mat_<double>(1, 5) << l.k1, l.k2, l.p1, l.p2, l.k3);
  std::vector<cv::Point2d> out;
  cv::projectPoints(in, cv::Vec3d(), cv::Vec3d(), k, d, out);
  return {out[0].x + 0.5, out[0].y + 0.5};
}

}  // namespace

// cv::projectPoints (OpenCV, Camera Calibration and 3D Reconstruction).
TEST(Outside, CameraAndLensProjectAsOpenCvDoes) {
  std::mt19937 random(7);
  std::uniform_real_distribution<double> u(-1, 1);
  double worst = 0;
  for (int trial = 0; trial < 200; ++trial) {
    camera::Camera c;
    c.fx = 1200 + 100 * u(random), c.fy = 1210 + 100 * u(random), c.cx = 640 + 9 * u(random),
    c.cy = 360 + 9 * u(random);
    c.position = Vec3(u(random), u(random), u(random));
    c.rotation = Eigen::AngleAxisd(3 * u(random), Vec3(u(random), u(random), 1.1).normalized()).toRotationMatrix();
    lens::Lens l;
    l.k1 = 0.12 * u(random), l.k2 = 0.03 * u(random), l.k3 = 0.01 * u(random), l.p1 = 0.002 * u(random),
    l.p2 = 0.002 * u(random);
    const Vec3 world = c.position + c.rotation * Vec3(0.45 * u(random), 0.25 * u(random), -1) * (3 + 2 * u(random));
    Vec2 s, p;
    ASSERT_TRUE(c.project(world, s));
    ASSERT_TRUE(lens::LensOnPixels(l, c.fx, c.fy, c.cx, c.cy).plateFromStraight(s, p));
    worst = std::max(worst, (p - cvProject(c, l, world)).norm());
  }
  EXPECT_LT(worst, 1e-6);
}
// cv::undistortPoints.
TEST(Outside, StraighteningIsOpenCvsUndistortPoints) {
  lens::Lens l;
  l.k1 = -0.1, l.k2 = 0.015, l.p1 = 1e-3;
  std::vector<cv::Point2d> in, out;
  for (int i = 0; i < 60; ++i) in.emplace_back(0.5 * std::cos(i * 1.3), 0.28 * std::sin(i * 2.1));
  const cv::Mat k = cv::Mat::eye(3, 3, CV_64F), distortion = (cv::Mat_<double>(1, 5) << l.k1, l.k2, l.p1, l.p2, l.k3);
  cv::undistortPoints(in, out, k, distortion, cv::noArray(), cv::noArray(),
                      cv::TermCriteria(cv::TermCriteria::COUNT | cv::TermCriteria::EPS, 200, 1e-14));
  for (size_t i = 0; i < in.size(); ++i) {
    Vec2 s;
    ASSERT_TRUE(l.straighten({in[i].x, in[i].y}, s));
    EXPECT_LT((s - Vec2(out[i].x, out[i].y)).norm() * 1234, 1e-6);
  }
}
// Calibration files as OpenCV's own FileStorage writes them.
TEST(Outside, OpenCvCalibrationFilesAreRead) {
  const test::Folder folder;
  for (const char* name : {"c.yml", "c.xml"}) {
    {
      cv::FileStorage out((folder / name).string(), cv::FileStorage::WRITE);
      out << "image_width" << 640 << "image_height" << 480 << "camera_matrix"
          << (cv::Mat_<double>(3, 3) << 500, 0, 321, 0, 505, 239, 0, 0, 1) << "distortion_coefficients"
          << (cv::Mat_<double>(5, 1) << -0.2, 0.05, 0.001, -0.002, 0.01);
    }
    const auto f = lens::readLens(folder / name);
    EXPECT_EQ(f.lens.k1, -0.2);
    EXPECT_EQ(f.lens.p1, 0.001);
    EXPECT_EQ(f.lens.k3, 0.01);
    EXPECT_EQ(f.centrePx->x(), 321.5);
    EXPECT_EQ(f.width, 640);
  }
}
// The intrinsics that OpenCV publishes with its chessboard pictures (package opencv-doc).
TEST(Outside, OpenCvsPublishedIntrinsicsAreRead) {
  const std::string file = "/usr/share/doc/opencv-doc/examples/data/left_intrinsics.yml";
  std::string found = file;
  if (!std::filesystem::exists(found)) {
    test::runCommand("dpkg -L opencv-doc | grep left_intrinsics.yml | head -1", &found);
    while (!found.empty() && std::isspace(static_cast<unsigned char>(found.back()))) found.pop_back();
  }
  if (found.ends_with(".gz")) {
    static const test::Folder folder;
    test::runCommand("gunzip -c " + found + " > " + (folder / "l.yml").string());
    found = (folder / "l.yml").string();
  }
  ASSERT_TRUE(std::filesystem::exists(found)) << "opencv-doc is not installed";
  const auto f = lens::readLens(found);
  // From the file itself: 5.3591573396163199e+02 and -2.6637260909660682e-01.
  EXPECT_NEAR(f.focalPx->x(), 535.91573396, 1e-6);
  EXPECT_NEAR(f.lens.k1, -0.26637260909, 1e-9);
}
// assimp reads the same glTF file: a camera under a turned, moved parent has its place, axes and angle of view.
TEST(Outside, ACameraOfAGltfFileStandsWhereAssimpPutsIt) {
  const test::Folder folder;
  const std::string file = (folder / "c.gltf").string();
  std::ofstream(file) << R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],
"nodes":[{"name":"dolly","children":[1],"translation":[1,2,3],"rotation":[0,0.2474039593,0,0.9689124217]},
{"name":"eye","camera":0,"translation":[0.5,-0.25,2],"rotation":[0.1305261922,0,0,0.9914448614]}],
"cameras":[{"name":"eye","type":"perspective","perspective":{"yfov":0.6,"aspectRatio":1.5,"znear":0.1,"zfar":100}}]})";
  Assimp::Importer importer;
  const aiScene* scene = importer.ReadFile(file, 0);
  ASSERT_TRUE(scene) << importer.GetErrorString();
  ASSERT_EQ(scene->mNumCameras, 1u);
  const aiNode* node = scene->mRootNode->FindNode(scene->mCameras[0]->mName);
  ASSERT_TRUE(node);
  aiMatrix4x4 world = node->mTransformation;
  for (const aiNode* up = node->mParent; up; up = up->mParent) world = up->mTransformation * world;

  camera::CameraFileContext context;
  context.range = {1001, 1003}, context.firstFrame = 1001;
  const auto path = camera::readCamera(file, context);
  const auto& pose = path.poses.at(1002);
  EXPECT_LT((pose.position - Vec3(world.a4, world.b4, world.c4)).norm(), 1e-5);
  Mat3 axes;
  axes << world.a1, world.a2, world.a3, world.b1, world.b2, world.b3, world.c1, world.c2, world.c3;
  EXPECT_LT((pose.rotation - axes).norm(), 1e-5);
  // What assimp 5.2 calls the angle across is the one upright times the aspect.
  const aiCamera& c = *scene->mCameras[0];
  EXPECT_NEAR(2 * std::atan(path.backHeightMm / 2 / pose.focalMm), c.mHorizontalFOV / c.mAspect, 1e-5);
}
// The structure of the Khronos sample for animated nodes (glTF 2.0 specification, Animations): a parent that moves, a
// camera child that turns, times in seconds, LINEAR and STEP, data in an embedded buffer.
TEST(Outside, AnAnimatedKhronosStructureIsReadWithItsTimes) {
  const test::Folder folder;
  // 3 times, 3 translations, 2 times, 2 rotations (0 and 90 degrees about Y).
  const float data[] = {0, 0.5f, 1, 0, 0, 0, 2, 0, 0, 2, 4, 0, 0, 1, 0, 0, 0, 1, 0, 0.70710678f, 0, 0.70710678f};
  std::ofstream(folder / "a.bin", std::ios::binary).write(reinterpret_cast<const char*>(data), sizeof data);
  std::ofstream(folder / "a.gltf") << R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],
"nodes":[{"name":"dolly","children":[1]},{"name":"eye","camera":0,"translation":[0,1,0]}],
"cameras":[{"type":"perspective","perspective":{"yfov":0.6,"aspectRatio":1.7777778,"znear":0.1}}],
"buffers":[{"uri":"a.bin","byteLength":88}],
"bufferViews":[{"buffer":0,"byteOffset":0,"byteLength":12},{"buffer":0,"byteOffset":12,"byteLength":36},{"buffer":0,"byteOffset":48,"byteLength":8},{"buffer":0,"byteOffset":56,"byteLength":32}],
"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"SCALAR","min":[0],"max":[1]},{"bufferView":1,"componentType":5126,"count":3,"type":"VEC3"},
{"bufferView":2,"componentType":5126,"count":2,"type":"SCALAR","min":[0],"max":[1]},{"bufferView":3,"componentType":5126,"count":2,"type":"VEC4"}],
"animations":[{"samplers":[{"input":0,"output":1,"interpolation":"LINEAR"},{"input":2,"output":3,"interpolation":"LINEAR"}],
"channels":[{"sampler":0,"target":{"node":0,"path":"translation"}},{"sampler":1,"target":{"node":1,"path":"rotation"}}]}]})";
  camera::CameraFileContext context;
  context.firstFrame = 101, context.fps = 24, context.range = {101, 130};
  const auto path = camera::readCamera(folder / "a.gltf", context);
  EXPECT_EQ(path.range(), (FrameRange{101, 125})) << "a second of animation is 25 frames, and a gap after it";
  EXPECT_LT((path.poses.at(101 + 6).position - Vec3(1, 1, 0)).norm(), 1e-6);
  EXPECT_LT((path.poses.at(101 + 18).position - Vec3(2, 3, 0)).norm(), 1e-6);
  EXPECT_LT((path.poses.at(101 + 12).rotation - Eigen::AngleAxisd(M_PI / 4, Vec3::UnitY()).toRotationMatrix()).norm(),
            1e-6);
  EXPECT_NEAR(2 * std::atan(path.backHeightMm / 2 / path.poses.at(101).focalMm), 0.6, 1e-7);
}
// Common practice, no source: 36 mm seen at 101.24 degrees is a focal length of 14.77 mm; half the focal length shows
// twice the width.
TEST(Outside, TheRuleOfThumbForTheAngleOfViewHolds) {
  camera::CameraPath p;
  p.backWidthMm = 36, p.backHeightMm = 20.25;
  p.poses[1].focalMm = 14.77;
  const auto c = p.at(1, 1920, 1080);
  const double angle = std::acos(c.unproject({0, 540}).dot(c.unproject({1920, 540}))) * 180 / M_PI;
  EXPECT_NEAR(angle, 101.24, 0.02);
  const auto widthAt10m = [&](double focal) {
    p.poses[1].focalMm = focal;
    const auto k = p.at(1, 1920, 1080);
    return 10 * 1920 / k.fx;
  };
  EXPECT_NEAR(widthAt10m(17.5), 2 * widthAt10m(35), 1e-9);
}
// IEC 61966-2-1:1999: 0.0031308 is where the curve's two pieces meet; 18% grey is 0.4614 (from memory). ITU-R BT.709-6:
// 0.018 is its meeting point. Cineon printing density: code 685 of 1023 is 1.0, code 445 about 18% grey is 0.1497 (from
// memory: 0.15).
TEST(Outside, ColourCurvesAreTheStandardOnes) {
  EXPECT_NEAR(image::ViewTable::exactly(0.18f, 0, 1), 0.4614, 2e-4);
  EXPECT_NEAR(image::ViewTable::exactly(0.0031308f, 0, 1), 0.04045, 1e-4);
  const auto linear = [](float v, const char* space) {
    image::Picture p(1, 1, 4, v);
    image::toSceneLinear(p, space);
    return p.values[0];
  };
  EXPECT_NEAR(linear(0.081f, "rec709"), 0.018, 2e-4);
  EXPECT_NEAR(linear(685.0f / 1023, "film_log"), 1.0, 1e-4);
  EXPECT_NEAR(linear(445.0f / 1023, "film_log"), 0.15, 0.01);
}
// cv::remap, bilinear; it rounds positions to 1/32 px, so an even slope may be off by that.
TEST(Outside, ResamplingAgreesWithOpenCvsRemap) {
  image::Picture p(400, 300, 4);
  for (int y = 0; y < 300; ++y)
    for (int x = 0; x < 400; ++x)
      for (int c = 0; c < 4; ++c) p.pixel(x, y)[c] = static_cast<float>(test::texture(x * 0.01 + c, y * 0.01));
  lens::Lens l;
  l.k1 = -0.12;
  const lens::LensOnPixels lens(l, 380, 380, 200, 150);
  const map::Redistort bend(lens);
  cv::Mat mx(300, 400, CV_32F), my(300, 400, CV_32F), out;
  for (int y = 0; y < 300; ++y)
    for (int x = 0; x < 400; ++x) {
      Vec2 at;
      map::through(bend, {x + 0.5, y + 0.5}, at);
      mx.at<float>(y, x) = static_cast<float>(at.x() - 0.5), my.at<float>(y, x) = static_cast<float>(at.y() - 0.5);
    }
  cv::remap(cv::Mat(300, 400, CV_32FC4, p.values.data()), out, mx, my, cv::INTER_LINEAR);
  const auto ours = map::resample(p, bend, p.data, p.display, map::Filter::Draft);
  double worst = 0;
  for (int y = 4; y < 296; ++y)
    for (int x = 4; x < 396; ++x)
      worst = std::max(worst, static_cast<double>(std::abs(out.at<cv::Vec4f>(y, x)[0] - ours.pixel(x, y)[0])));
  EXPECT_LT(worst, 0.01);
}
