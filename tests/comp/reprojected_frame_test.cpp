// Another frame as this one's camera sees it: where camera and set hold it lies on this frame's own picture.
#include "core/comp/reprojected_frame.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/evaluate/shot_evaluator.h"
#include "core/shot/shot_json.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

/// RMS between a frame's own picture and another's brought there, where that shows it; how much it shows.
struct Against {
  double rms = 0, shown = 0;
};
Against against(const shot::Shot& s, int frame, int other, comp::RenderCache& w) {
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  const auto brought = comp::otherFrame(*evaluator, *evaluator->stage(frame), other, w, map::Filter::Sharp);
  const auto own = comp::finishedFrame(evaluator->at(frame), w, map::Filter::Sharp);
  double sum = 0;
  size_t n = 0;
  for (size_t i = 0; i < brought.values.size(); i += 4) {
    if (brought.values[i + 3] < 0.999f) continue;
    ++n;
    for (size_t c = 0; c < 3; ++c) sum += std::pow(brought.values[i + c] - own->values[i + c], 2) / 3;
  }
  return {std::sqrt(sum / static_cast<double>(n)),
          4.0 * static_cast<double>(n) / static_cast<double>(brought.values.size())};
}

}  // namespace

TEST(ReprojectedFrame, LiesOnTheOwnPictureWhereTheSetHolds) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addPatch(s, 1003, 1001, 90, 40, 220, 140);  // what is finished is compared, with all that was added
  comp::RenderCache w(test::kBudget);
  const auto held = against(s, 1005, 1001, w);
  EXPECT_LT(held.rms, 0.006);  // what is left is filtering
  EXPECT_GT(held.shown, 0.5);
  EXPECT_LT(held.shown, 0.999) << "the camera has walked on";
  EXPECT_LT(against(s, 1003, 1003, w).rms, 1e-4);
  // The wall a hand behind where it is: parallax shows.
  auto wrong = s;
  wrong.surfaces[0].position = Vec3(s.surfaces[0].position.constant() - Vec3(0, 0, 0.1));
  EXPECT_GT(against(wrong, 1005, 1001, w).rms, 5 * held.rms);
}

TEST(ReprojectedFrame, WhatStoodBeforeItThereIsNotTakenForIt) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  // A card before the wall: where it hides the wall on the other frame nothing is shown.
  const auto free = against(s, 1005, 1001, *std::make_unique<comp::RenderCache>(test::kBudget));
  const Vec3 eye = s.cameraAt(1001).position;
  s.surfaces.emplace_back(
      test::surface(set::SurfaceKind::Plane, Vec3(eye.x() + 0.3, eye.y(), eye.z() / 2), Vec3(0.2, 0.2, 1), "card"));
  comp::RenderCache w(test::kBudget);
  const auto hidden = against(s, 1005, 1001, w);
  EXPECT_LT(hidden.shown, free.shown - 0.005);
}

TEST(ReprojectedFrame, WithoutACameraItIsRefusedInWords) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  auto camera = std::make_shared<camera::CameraPath>(*s.camera);
  camera->poses.erase(1001);
  s.camera = camera;
  comp::RenderCache w(test::kBudget);
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  for (const auto& [frame, other] : {std::pair(1003, 1001), std::pair(1001, 1003)})
    EXPECT_NE(test::errorOf([&, f = frame, o = other] {
                comp::otherFrame(*evaluator, *evaluator->stage(f), o, w, map::Filter::Sharp);
              }).find("no camera on frame 1001"),
              std::string::npos);
}

TEST(ReprojectedFrame, TheCommandWritesItAndNeverOverAPlate) {
  const test::Folder folder;
  const auto s = test::walkAlongWall(folder, 3);
  const std::string shot = (folder / "s.zentil").string(), batch = ZENTIL_BATCH;
  shot::save(s, shot);
  const auto run = [&](const std::string& with, const std::filesystem::path& out, std::string* said) {
    return test::runCommand(batch + " compare " + shot + " --frame 1003 --with " + with + " --out " + out.string(),
                            said);
  };
  std::string said;
  EXPECT_EQ(run("1001", folder / "o.exr", &said), 0) << said;
  EXPECT_NE(said.find("frame 1001 shows"), std::string::npos) << said;
  EXPECT_TRUE(std::filesystem::exists(folder / "o.exr"));
  EXPECT_NE(run("1001", s.plate().fileOf(1001), &said), 0) << "a plate is not written over";
  EXPECT_NE(run("1001", folder / "o.JPG", &said), 0);
  EXPECT_NE(said.find("no alpha"), std::string::npos) << said;
  std::filesystem::copy(s.plate().fileOf(1002), folder / "theirs.exr");
  EXPECT_NE(run("1001", folder / "theirs.exr", &said), 0) << "nor what somebody else wrote";
  EXPECT_EQ(run("1001", folder / "o.exr", &said), 0) << "its own it may: " << said;
  EXPECT_NE(run("1009", folder / "p.exr", &said), 0);
  EXPECT_NE(said.find("1009"), std::string::npos) << said;
}
