#include "core/edit/plates.h"

#include <gtest/gtest.h>

#include "core/edit/new_shot.h"
#include "core/shot/history.h"
#include "core/shot/shot_json.h"
#include "tests/support/synthetic.h"

using namespace zentil;
namespace fs = std::filesystem;

TEST(Relink, AnotherPlateIsAnEditThatLosesNothing) {
  const test::Folder folder, other;
  shot::Shot s = test::walkAlongWall(folder);
  s.elements.push_back({});
  s.elements.back().id = "e1";
  const auto take = test::walkAlongWall(other);
  shot::History history(s);
  shot::Shot next = s;
  edit::relinkPlate(next, next.worked().id, take.plate().fileOf(1002));
  EXPECT_EQ(next.plate().pattern, take.plate().pattern);
  EXPECT_EQ(next.elements, s.elements);
  EXPECT_EQ(*next.camera, *s.camera);
  EXPECT_EQ(next.range, s.range);
  history.edit(next, "replace the plate");
  history.undo();
  EXPECT_EQ(history.shot(), s);
}

TEST(Relink, FramesOfOtherNumbersStandWhereTheOldOnesStood) {
  const test::Folder folder, other;
  shot::Shot s = test::walkAlongWall(folder);
  const auto take = test::walkAlongWall(other);
  for (int f = 1; f <= 7; ++f)
    fs::copy_file(take.plate().fileOf(1001 + std::min(f - 1, 4)), other / ("again." + std::to_string(f) + ".exr"));
  edit::relinkPlate(s, s.worked().id, (other / "again.1.exr").string());
  EXPECT_EQ(s.plate().range, (FrameRange{1, 7}));
  EXPECT_EQ(s.worked().range(), (FrameRange{1001, 1007}));
  // All of the old one was worked on: now all of the new one, which is longer.
  EXPECT_EQ(s.range, (FrameRange{1001, 1007}));
  shot::Shot part = test::walkAlongWall(folder);
  part.range = {1002, 1003};
  edit::relinkPlate(part, part.worked().id, take.plate().fileOf(1001));
  EXPECT_EQ(part.range, (FrameRange{1002, 1003}));
}

TEST(Relink, AnotherSizeIsRefusedWhereThingsAreKeptInPixels) {
  const test::Folder folder, other;
  shot::Shot s = test::walkAlongWall(folder);
  const auto small = test::walkAlongWall(other, 5, 160, 90);
  const shot::Shot before = s;
  const std::string said = test::errorOf([&] { edit::relinkPlate(s, s.worked().id, small.plate().fileOf(1001)); });
  EXPECT_NE(said.find("160 x 90"), std::string::npos) << said;
  EXPECT_EQ(s, before);
  // A shot that has nothing yet takes any.
  shot::Shot bare = edit::newShot({before.plate().fileOf(1001), {}, {}, {}, 0});
  edit::relinkPlate(bare, bare.worked().id, small.plate().fileOf(1001));
  EXPECT_EQ(bare.width, 160);
  EXPECT_EQ(bare.height, 90);
}

TEST(Relink, APlateThatWasMovedIsFoundBelowTheShot) {
  const test::Folder folder;
  shot::Shot s = test::walkAlongWall(folder);
  const auto plate = s.worked();
  EXPECT_FALSE(edit::isAway(plate));
  EXPECT_TRUE(fs::exists(folder / "plate"));
  // One frame that is gone is a frame that is gone.
  fs::rename(plate.files.fileOf(1001), folder / "kept.exr");
  EXPECT_FALSE(edit::isAway(plate));
  fs::rename(folder / "kept.exr", plate.files.fileOf(1001));
  fs::create_directories(folder / "scans/take");
  fs::rename(folder / "plate", folder / "scans/take/plate");
  EXPECT_TRUE(edit::isAway(plate));
  const auto found = edit::lookForPlate(plate, folder.path());
  ASSERT_TRUE(found);
  edit::relinkPlate(s, plate.id, *found);
  EXPECT_FALSE(edit::isAway(s.worked()));
  EXPECT_EQ(s.range, (FrameRange{1001, 1005}));
  EXPECT_FALSE(edit::lookForPlate(plate, folder / "scans/nowhere"));
}
