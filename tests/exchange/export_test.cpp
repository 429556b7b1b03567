// What leaves a shot for other programs: axes, units and frames; every format's camera comes back; 2D from 3D.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <assimp/postprocess.h>
#include <assimp/scene.h>

#include <assimp/Importer.hpp>
#include <fstream>
#include <nlohmann/json.hpp>
#include <opencv2/imgproc.hpp>
#include <sstream>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/camera/camera_file.h"
#include "core/exchange/write.h"
#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

/// The walk along the wall with two spots on it and a few points.
shot::Shot withSpots(const test::Folder& folder) {
  auto s = test::walkAlongWall(folder);
  auto path = std::make_shared<camera::CameraPath>(*s.camera);
  path->centreOffsetPx = Vec2::Zero();
  s.camera = path;
  for (const auto& [id, at] : {std::pair("o1", Vec3(0.2, 1.6, 0)), {"o2", Vec3(-0.8, 1.1, 0)}}) {
    set::Spot spot;
    spot.id = id, spot.name = id + std::string(", a \"spot\""), spot.position = at, spot.frame = 1002;
    s.spots.push_back(spot);
  }
  s.points = std::make_shared<std::vector<set::Point>>(std::vector<set::Point>{{Vec3(1, 2, 0)}, {Vec3(0, 1, -1)}});
  return s;
}

TEST(HandOn, AxesHandsAndUnitsAreAsWorkedOutByHand) {
  // A place one metre right, two up, three towards the viewer.
  const Vec3 p(1, 2, 3);
  shot::ExportSettings h;
  EXPECT_EQ(exchange::placeOut(h, p), Vec3(1, 2, 3));
  h.up = shot::UpAxis::Z;
  EXPECT_EQ(exchange::placeOut(h, p), Vec3(1, -3, 2)) << "up is Z, and what came nearer goes to minus Y";
  h.hand = shot::Handedness::Left;
  EXPECT_EQ(exchange::placeOut(h, p), Vec3(1, 3, 2));
  h.up = shot::UpAxis::Y;
  EXPECT_EQ(exchange::placeOut(h, p), Vec3(1, 2, -3)) << "into the picture is plus Z";
  h.unitsPerM = 100;
  EXPECT_EQ(exchange::placeOut(h, p), Vec3(100, 200, -300));
  for (const auto up : {shot::UpAxis::Y, shot::UpAxis::Z})
    for (const auto hand : {shot::Handedness::Right, shot::Handedness::Left}) {
      h.up = up, h.hand = hand, h.unitsPerM = 1;
      EXPECT_EQ(exchange::axesOf(h).determinant(), hand == shot::Handedness::Right ? 1 : -1);
      // A camera that looks along -Z of the shot, turned by 90 degrees to its left, looks along -X.
      const Mat3 left = Eigen::AngleAxisd(M_PI / 2, Vec3::UnitY()).toRotationMatrix();
      const Mat3 r = exchange::turnOut(h, left);
      EXPECT_NEAR(r.determinant(), 1, 1e-12);
      const Vec3 sight = hand == shot::Handedness::Right ? Vec3(-r.col(2)) : Vec3(r.col(2));
      EXPECT_LT((sight - exchange::axesOf(h) * Vec3(-1, 0, 0)).norm(), 1e-12);
      EXPECT_LT((r.col(1) - exchange::axesOf(h) * Vec3(0, 1, 0)).norm(), 1e-12) << "its up is up";
      // Its right is where it was: a mirror does not change what is right on the picture.
      EXPECT_LT((r.col(0) - exchange::axesOf(h) * Vec3(0, 0, -1)).norm(), 1e-12);
    }
}

/// Largest distance between where both cameras put some places, pixels.
double apart(const shot::Shot& s, const camera::CameraPath& other) {
  double most = 0;
  for (const auto& [f, pose] : s.camera->poses) {
    const auto a = s.camera->at(f, s.width, s.height), b = other.at(f, s.width, s.height);
    for (const Vec3& p : {Vec3(0, 1, 0), Vec3(0.7, 2, -0.5), Vec3(-0.9, 1.4, 0.6)}) {
      Vec2 pa, pb;
      if (!a.project(p, pa) || !b.project(p, pb)) return 1e9;
      most = std::max(most, (pa - pb).norm());
    }
  }
  return most;
}

TEST(HandOn, ACameraComesBackFromEveryFormat) {
  const test::Folder folder;
  const auto s = withSpots(folder);
  const auto scene = exchange::sceneOf(s);
  camera::CameraFileContext context;
  context.firstFrame = 1001, context.fps = scene.fps, context.range = s.range, context.backWidthMm = 24,
  context.aspect = s.aspect();
  const auto file = [&](const char* ending) { return folder / (std::string("c") + ending); };
  EXPECT_TRUE(exchange::writeGltf(scene, file(".gltf")).empty());
  EXPECT_TRUE(exchange::writeUsda(scene, file(".usda")).empty());
  EXPECT_TRUE(exchange::writeDae(scene, file(".dae")).empty());
  EXPECT_TRUE(exchange::writeCsv(scene, file(".csv")).empty());
  for (const char* ending : {".gltf", ".usda", ".dae", ".csv"}) {
    const double off = apart(s, camera::readCamera(file(ending), context));
    std::printf("%s: %.2g px\n", ending, off);
    EXPECT_LT(off, 1e-4) << ending;
  }
}

// assimp (an independent reader) finds the same camera, and the set, in COLLADA and glTF.
TEST(HandOn, AssimpReadsTheSameColladaAndGltf) {
  const test::Folder folder;
  const auto s = withSpots(folder);
  const auto scene = exchange::sceneOf(s);
  exchange::writeGltf(scene, folder / "c.gltf");
  exchange::writeDae(scene, folder / "c.dae");
  for (const char* name : {"c.gltf", "c.dae"}) {
    Assimp::Importer importer;
    const aiScene* read = importer.ReadFile((folder / name).string(), 0);
    ASSERT_TRUE(read) << name << ": " << importer.GetErrorString();
    ASSERT_EQ(read->mNumCameras, 1U) << name;
    ASSERT_EQ(read->mNumAnimations, 1U) << name;
    EXPECT_GE(read->mNumMeshes, 1U) << name;
    const aiNode* node = read->mRootNode->FindNode(read->mCameras[0]->mName);
    ASSERT_TRUE(node) << name;
    aiMatrix4x4 world = node->mTransformation;
    for (const aiNode* up = node->mParent; up; up = up->mParent) world = up->mTransformation * world;
    const auto& pose = s.camera->poses.at(1001);
    EXPECT_LT((Vec3(world.a4, world.b4, world.c4) - pose.position).norm(), 1e-5) << name;
    const auto* channel = read->mAnimations[0]->mChannels[0];
    ASSERT_EQ(channel->mNumPositionKeys, 5U) << name;
    const auto& last = channel->mPositionKeys[4].mValue;
    EXPECT_LT((Vec3(last.x, last.y, last.z) - s.camera->poses.at(1005).position).norm(), 1e-5) << name;
  }
}

TEST(HandOn, WhatAFormatCannotHoldIsSaid) {
  const test::Folder folder;
  auto s = withSpots(folder);
  auto path = std::make_shared<camera::CameraPath>(*s.camera);
  path->centreOffsetPx = Vec2(3, -2);
  path->poses.at(1004).focalMm = 30, path->readout = 0.6;
  s.camera = path;
  s.exportSettings.hand = shot::Handedness::Left;
  const auto said = exchange::exportShot(s, folder / "out").notes;
  const auto says = [&](const char* what) {
    return std::any_of(said.begin(), said.end(), [&](const auto& n) { return n.find(what) != std::string::npos; });
  };
  EXPECT_TRUE(says("glTF has one focal length"));
  EXPECT_TRUE(says("glTF has no optical centre"));
  EXPECT_TRUE(says("USD is always right-handed"));
  EXPECT_TRUE(says("straight picture"));
  EXPECT_TRUE(says("read over 60% of a frame"));
  // USD holds all of it.
  camera::CameraFileContext context;
  context.range = s.range, context.widthPx = s.width, context.heightPx = s.height;
  EXPECT_LT(apart(s, camera::readCamera(folder / "out/walk_camera.usda", context)), 1e-4);
  EXPECT_DOUBLE_EQ(camera::readCamera(folder / "out/walk_camera.csv", context).readout, 0.6);
  // Frame by frame by place and turn, which readers know best, the first frame before them.
  const std::string usda = readText(folder / "out/walk_camera.usda");
  for (const char* op : {"double3 xformOp:translate", "quatd xformOp:orient"})
    EXPECT_LT(usda.find(std::string(op) + " = "), usda.find(std::string(op) + ".timeSamples")) << op;
  EXPECT_EQ(usda.find("matrix4d"), std::string::npos);
  // Without a camera, without a place to write to: words.
  s.camera = std::make_shared<camera::CameraPath>();
  EXPECT_NE(test::errorOf([&] { exchange::sceneOf(s); }).find("no camera"), std::string::npos);
  EXPECT_NE(test::errorOf([&] { exchange::exportShot(withSpots(folder), "/proc/nowhere"); }), "");
}

TEST(HandOn, DamagedCameraFilesAreRefusedInWords) {
  const test::Folder folder;
  const auto scene = exchange::sceneOf(withSpots(folder));
  exchange::writeUsda(scene, folder / "c.usda");
  exchange::writeDae(scene, folder / "c.dae");
  camera::CameraFileContext context;
  context.range = {1001, 1005}, context.firstFrame = 1001;
  for (const char* ending : {".usda", ".dae"}) {
    const std::string whole = readText(folder / (std::string("c") + ending));
    const auto broken = folder / (std::string("b") + ending);
    // Cut anywhere, and with any one thing in it changed: a camera or a sentence, never a crash or a raw message.
    const auto tryIt = [&](const std::string& text) {
      writeText(broken, text);
      try {
        camera::readCamera(broken, context);
      } catch (const Error& e) {
        EXPECT_NE(std::string(e.what()).find(broken.string()), std::string::npos) << e.what();
      }
    };
    for (size_t at = 0; at < whole.size(); at += 1 + whole.size() / 97) tryIt(whole.substr(0, at));
    for (size_t at = 3; at + 9 < whole.size(); at += 1 + whole.size() / 211) {
      std::string changed = whole;
      changed[at] = "({[}])\"0-A#="[at % 13];
      tryIt(changed);
      changed = whole;
      changed.erase(at, 7);
      tryIt(changed);
    }
  }
  const auto why = [&](const std::string& text) {
    writeText(folder / "x.usda", text);
    return test::errorOf([&] { camera::readCamera(folder / "x.usda", context); });
  };
  EXPECT_NE(why("PXR-USDC"), "");
  EXPECT_NE(why("#usda 1.0\ndef Xform \"a\" {}\n").find("no camera"), std::string::npos);
  EXPECT_NE(why("#usda 1.0\ndef Camera \"c\" { double3 xformOp:rotateABC = (1, 2, 3)\nuniform token[] xformOpOrder = "
                "[\"xformOp:rotateABC\"]\n}\n")
                .find("not understood"),
            std::string::npos);
  EXPECT_NE(why("#usda 1.0\ndef Camera \"c\" { float focalLength.timeSamples = { 5: 35, 9: 35 } }\n").find("others"),
            std::string::npos);
}

TEST(HandOn, PinsAndMatricesMoveThePictureAsOpenCvDoes) {
  const test::Folder folder;
  auto s = withSpots(folder);
  s.lens = {};  // the plate is straight then; so is the wall below
  s.exportSettings.straight = true;
  const auto track = exchange::trackOf(s, s.spots[0]);
  ASSERT_EQ(track.frames.size(), 5U);
  EXPECT_EQ(track.reference, 1002);
  for (const auto& at : track.frames) {
    // By hand: where the camera puts the place.
    Vec2 p;
    s.cameraAt(at.frame).project(s.spots[0].position, p);
    EXPECT_LT((p - at.look.at).norm(), 1e-9);
    // The matrix takes the reference frame's corners to this one's, by OpenCV.
    std::vector<cv::Point2f> from, to;
    for (const auto& a : track.frames)
      if (a.frame == track.reference)
        for (const auto& c : a.look.corners) from.emplace_back(static_cast<float>(c.x()), static_cast<float>(c.y()));
    cv::Mat m(3, 3, CV_64F);
    for (int i = 0; i < 9; ++i) m.at<double>(i / 3, i % 3) = at.matrix(i / 3, i % 3);
    cv::perspectiveTransform(from, to, m);
    for (size_t i = 0; i < 4; ++i)
      EXPECT_LT(std::hypot(to[i].x - at.look.corners[i].x(), to[i].y - at.look.corners[i].y()), 1e-3) << at.frame;
  }
  // And our own patch of the wall, from the reference frame, lands where the matrix says: within a tenth of a pixel.
  test::addPatch(s, 1002, 1002, 150, 70, 200, 110);
  comp::RenderCache w(test::kBudget);
  const auto ride = test::plateToPlate(s, "s1", 1005, 1002, false, w);
  const Mat3 back = track.frames.back().matrix.inverse();
  for (const Vec2& p : {Vec2(140, 80), Vec2(180, 100), Vec2(160, 60)}) {
    Vec2 mine;
    ASSERT_TRUE(map::through(*ride, p, mine));
    const Vec3 q = back * Vec3(p.x(), p.y(), 1);
    EXPECT_LT((q.head<2>() / q.z() - mine).norm(), 0.1);
  }
}

TEST(HandOn, WhatIsOlderThanTheShotIsSaid) {
  const test::Folder folder;
  auto s = withSpots(folder);
  EXPECT_TRUE(exchange::changedSince(s, folder / "out").empty()) << "never exported";
  exchange::exportShot(s, folder / "out");
  EXPECT_TRUE(exchange::changedSince(s, folder / "out").empty());
  // Saved and opened again, it is the same.
  shot::save(s, folder / "s.zentil");
  EXPECT_TRUE(exchange::changedSince(shot::load(folder / "s.zentil"), folder / "out").empty());
  auto path = std::make_shared<camera::CameraPath>(*s.camera);
  path->poses.at(1002).position.x() += 1e-4;
  s.camera = path;
  s.spots[0].position.y() += 0.1;
  EXPECT_THAT(exchange::changedSince(s, folder / "out"), testing::ElementsAre("the camera", "the spots"));
  exchange::exportShot(s, folder / "out");
  EXPECT_TRUE(exchange::changedSince(s, folder / "out").empty());
  std::ofstream(folder / "out/walk_export.json") << "{ cut";
  EXPECT_NO_THROW(exchange::changedSince(s, folder / "out"));
}

TEST(HandOn, NumbersCountAsWasChosen) {
  const test::Folder folder;
  auto s = withSpots(folder);
  const auto plain = exchange::trackOf(s, s.spots[0]).frames[2];
  s.exportSettings.from = shot::FromEdge::Bottom, s.exportSettings.frameOffset = -1000;
  const auto up = exchange::trackOf(s, s.spots[0]).frames[2];
  EXPECT_EQ(up.frame, 3);
  EXPECT_NEAR(up.look.at.y(), 180 - plain.look.at.y(), 1e-9);
  s.exportSettings.unit = true;
  const auto unit = exchange::trackOf(s, s.spots[0]).frames[2];
  EXPECT_NEAR(unit.look.at.x() * 320, plain.look.at.x(), 1e-9);
  EXPECT_NEAR(unit.look.at.y() * 180, 180 - plain.look.at.y(), 1e-9);
  // Read as anybody would: a header, then rows; names in quotes where they need it.
  exchange::writeTracksCsv(exchange::tracksOf(s), folder / "t.csv");
  std::istringstream in(readText(folder / "t.csv"));
  std::string line;
  std::getline(in, line);
  EXPECT_EQ(line, "frame,name,x,y,scale,turn,inside");
  std::getline(in, line);
  EXPECT_TRUE(line.starts_with("1,\"o1, a \"\"spot\"\"\",0.")) << line;
  exchange::writeTracksJson(s, exchange::tracksOf(s), folder / "t.json");
  const auto j = nlohmann::json::parse(readText(folder / "t.json"));
  EXPECT_EQ(j["spots"].size(), 2U);
  EXPECT_EQ(j["from"], "bottom");
}

}  // namespace
}  // namespace zentil
