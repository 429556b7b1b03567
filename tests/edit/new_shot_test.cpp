// A shot that is begun from files, and what is said of a render that begins elsewhere.
#include <gtest/gtest.h>

#include <fstream>

#include "core/edit/move.h"
#include "core/edit/new_shot.h"
#include "core/edit/set_word.h"
#include "core/exchange/export_choices.h"
#include "core/image/jpeg_packets.h"
#include "core/image/write.h"
#include "core/shot/shot_json.h"
#include "core/wording/recipe.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

std::string sequenceIn(const std::filesystem::path& folder, const std::string& name, int first, int last) {
  std::filesystem::create_directories(folder);
  for (int f = first; f <= last; ++f)
    image::writePicture(folder / fmt::format("{}.{}.exr", name, f), image::Picture(16, 9, 4, 0.3f), {});
  return (folder / fmt::format("{}.{}.exr", name, first)).string();
}

TEST(NewShot, TakesThatAreCalledAlikeAreDeliveredApart) {
  const test::Folder folder;
  const auto a = edit::newShot({sequenceIn(folder / "takeA", "sh", 1001, 1002), {}, {}, {}, 0});
  const auto b = edit::newShot({sequenceIn(folder / "takeB", "sh", 1001, 1002), {}, {}, {}, 0});
  EXPECT_NE(a.delivery.pattern, b.delivery.pattern);
  EXPECT_NE(a.delivery.pattern.find("takeA"), std::string::npos);
}

TEST(NewShot, OnceItHasAFileItDeliversBesideThat) {
  const test::Folder folder;
  auto s = edit::newShot({sequenceIn(folder / "plates/takeA", "sh", 1001, 1002), {}, {}, {}, 0});
  EXPECT_TRUE(edit::deliverBeside(s, folder / "work/clean.zentil"));
  EXPECT_EQ(s.delivery.pattern, (folder / "work/deliver/clean.####.exr").string());
  s.delivery.pattern = "/chosen/by/hand.####.exr";
  EXPECT_FALSE(edit::deliverBeside(s, folder / "work/clean.zentil"));
  EXPECT_EQ(s.delivery.pattern, "/chosen/by/hand.####.exr");
}

TEST(NewShot, AShiftedRenderShowsWhereItHasFrames) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  element::Element e;
  e.id = "e1", e.name = "buoy";
  element::Cg r;
  r.files = image::openPlate(sequenceIn(folder / "cg", "cg", 1001, 1005));
  r.shift = 3;
  e.source = r, e.place = element::throughCamera();
  s.elements = {e};
  EXPECT_FALSE(e.showsSomething(1003));
  EXPECT_TRUE(e.showsSomething(1004));
  const auto said = shot::problemsOf(s, false);
  ASSERT_TRUE(std::any_of(said.begin(), said.end(), [](const auto& p) {
    return !p.grave && p.text ==
                           "\"buoy\" shows on frames 1004 to 1008 only (its frames 1001 to 1005, 3 later); the "
                           "shot is 1001 to 1005";
  })) << (said.empty() ? "" : said.front().text);
  EXPECT_TRUE(std::none_of(said.begin(), said.end(), [](const auto& p) { return p.grave; }));
}

bool grave(const shot::Shot& s) {
  const auto all = shot::problemsOf(s, true);
  return std::any_of(all.begin(), all.end(), [](const auto& p) { return p.grave; });
}

TEST(NewShot, OnePictureIsHeldForAsManyFramesAsAreWanted) {
  const test::Folder folder;
  image::writePicture(folder / "card.png", image::Picture(64, 36, 4, 0.5f), {});
  auto s = edit::newShot({(folder / "card.png").string(), {}, {}, {}, 25});
  ASSERT_TRUE(shot::isStill(s));
  edit::setWord(s, "plate.held", "48", 1);
  EXPECT_EQ(s.range, (FrameRange{1001, 1048}));
  EXPECT_EQ(s.plate().fileOf(1001), s.plate().fileOf(1048));
  EXPECT_FALSE(grave(s));
  shot::save(s, folder / "card.zentil");
  EXPECT_EQ(shot::load(folder / "card.zentil").range, s.range);
  EXPECT_NE(test::errorOf([&] { edit::holdStill(s, 0); }), "");
  auto walk = test::walkAlongWall(folder);
  EXPECT_FALSE(shot::isStill(walk));
  EXPECT_NE(test::errorOf([&] { edit::holdStill(walk, 10); }).find("one picture"), std::string::npos);
}
TEST(NewShot, WithoutAPlateItIsATransparentPictureOfOurs) {
  const test::Folder folder;
  const auto s = edit::blankShot(folder.path(), 320, 180, 20, 24);
  EXPECT_EQ(s.range, (FrameRange{1001, 1020}));
  EXPECT_EQ(s.plate().fps, 24);
  EXPECT_FALSE(grave(s));
  // Again into the same folder: it is ours. Something else of that name is not.
  EXPECT_EQ(test::errorOf([&] { edit::blankShot(folder.path(), 320, 180, 5, 24); }), "");
  image::writePicture(folder / "blank_64x36.exr", image::Picture(64, 36, 4, 0.5f), {});
  EXPECT_NE(test::errorOf([&] { edit::blankShot(folder.path(), 64, 36, 5, 24); }).find("did not write"),
            std::string::npos);
  EXPECT_NE(test::errorOf([&] { edit::blankShot(folder.path(), 0, 36, 5, 24); }).find("no size"), std::string::npos);
}
TEST(NewShot, AMoveIsUsedUntilTheCameraIsAnothers) {
  const test::Folder folder;
  const auto walk = test::walkAlongWall(folder, 9);
  shot::save(walk, folder / "walk.zentil");
  auto s = edit::blankShot(folder.path(), 320, 180, 20, 24);
  edit::takeMove(s, (folder / "walk.zentil").string());
  EXPECT_TRUE(shot::usesMove(s));
  EXPECT_EQ(s.camera->poses.size(), 20U);
  // What is said of the body stays when the move is changed.
  edit::setWord(s, "camera.backWidthMm", "20", 1001);
  edit::setWord(s, "move.speed", "50", 1001);
  EXPECT_EQ(s.camera->backWidthMm, 20);
  EXPECT_EQ(s.camera->poses.at(1003).position, walk.camera->poses.at(1002).position);
  // A solved or loaded camera is no move any more; a shot without a camera has none.
  s.camera = walk.camera;
  EXPECT_FALSE(shot::usesMove(s));
  auto bare = walk;
  bare.camera = std::make_shared<camera::CameraPath>();
  shot::save(bare, folder / "bare.zentil");
  EXPECT_NE(test::errorOf([&] { edit::takeMove(s, (folder / "bare.zentil").string()); }).find("no camera's move"),
            std::string::npos);
}
TEST(NewShot, WhatSaysThatItIsAllAroundIsTakenForASphere) {
  const test::Folder folder;
  const auto written = [&](const std::string& name, int width, bool sphere) {
    image::WriteOptions options;
    options.sphere = sphere;
    image::writePicture(folder / name, image::Picture(width, 64, 4, 0.5f), options);
    return edit::newShot({(folder / name).string(), {}, {}, {}, 0}).projection;
  };
  EXPECT_EQ(written("around.1001.exr", 128, true), shot::Projection::Sphere);
  EXPECT_EQ(written("wide.1001.exr", 128, false), shot::Projection::Camera) << "it may be a wide picture";
  EXPECT_EQ(written("half.1001.exr", 64, true), shot::Projection::Camera);
  // A JPEG with the packet that 2:1 viewers look for.
  image::writePicture(folder / "around.1001.jpg", image::Picture(128, 64, 4, 0.5f), {});
  const std::string xmp = "<GPano:ProjectionType>equirectangular</GPano:ProjectionType>";
  const size_t length = xmp.size() + 2;
  image::addPackets(folder / "around.1001.jpg",
                    std::string("\xff\xe1") + static_cast<char>(length >> 8) + static_cast<char>(length & 255) + xmp);
  EXPECT_EQ(edit::newShot({(folder / "around.1001.jpg").string(), {}, {}, {}, 0}).projection, shot::Projection::Sphere);
}
TEST(ExportSettings, ChoicesAreKeptByNameForAllShots) {
  const test::Folder folder;
  const auto file = folder / "settings/zentil/handing.json";
  EXPECT_EQ(exchange::exportChoices(file).size(), 4U) << "those that ship";
  shot::ExportSettings mine;
  mine.up = shot::UpAxis::Z, mine.frameOffset = -1000, mine.unit = true;
  exchange::keepExportChoices("layout", mine, file);
  const auto all = exchange::exportChoices(file);
  ASSERT_TRUE(all.count("layout"));
  EXPECT_EQ(all.at("layout"), mine);
  mine.folder = "elsewhere";
  EXPECT_EQ(exchange::nameOfChoices(mine, all), "layout") << "where to is the shot's own matter";
  EXPECT_NE(test::errorOf([&] { exchange::keepExportChoices("  ", mine, file); }), "");
  std::ofstream(file) << "[1, 2";
  EXPECT_EQ(exchange::exportChoices(file).size(), 4U) << "a damaged file has none";
  EXPECT_NE(test::errorOf([&] { exchange::keepExportChoices("again", mine, file); }).find("Move it away"),
            std::string::npos);
  // The folder's pattern.
  shot::Shot s;
  s.name = "hall", s.exportSettings.folder = "out/{shot}_v{version}";
  EXPECT_EQ(exchange::exportFolder(s, folder / "hall_v012.zentil"), folder / "out/hall_v012");
  EXPECT_NE(test::errorOf([&] { exchange::exportFolder(s, folder / "hall.zentil"); }).find("has none"),
            std::string::npos);
}

}  // namespace
}  // namespace zentil
