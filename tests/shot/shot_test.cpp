#include <fmt/format.h>
#include <gtest/gtest.h>

#include <fstream>

#include "core/base/files.h"
#include "core/shot/recipe.h"
#include "core/shot/shot_json.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using test::errorOf;

TEST(Shot, SavedAndLoadedIsEqual) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1003, 1001, 40, 30, 120, 100, 7);
  s.mattes[0].shapes[0].points[1].featherPx = 3;
  s.points = std::make_shared<std::vector<set::Point>>(std::vector<set::Point>{{Vec3(1, 2, 3), 0.25, 40}});
  s.elements[0].gain = {1.1, 1, 0.9};
  shot::save(s, folder / "a.zentil");
  EXPECT_TRUE(shot::load(folder / "a.zentil") == s);
  EXPECT_EQ(readText(folder / "a.zentil").find(folder.path().string()), std::string::npos) << "names are relative";
}
TEST(Shot, AMovedFolderStillFindsItsPlate) {
  const test::Folder folder;
  const auto s = test::walkAlongWall(folder, 2);
  shot::save(s, folder / "a.zentil");
  const test::Folder other;
  std::filesystem::copy(folder.path(), other / "moved", std::filesystem::copy_options::recursive);
  const auto moved = shot::load(other / "moved/a.zentil");
  EXPECT_TRUE(shot::problemsOf(moved, true).empty());
  EXPECT_NE(moved.plate.pattern.find("moved"), std::string::npos);
}
TEST(Shot, EveryCutOfTheFileIsRefusedByName) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1002, 1001, 40, 30, 120, 100);
  shot::save(s, folder / "a.zentil");
  const std::string text = readText(folder / "a.zentil");
  for (size_t n = 0; n + 2 < text.size(); n += 97) {
    std::ofstream(folder / "cut.zentil", std::ios::trunc) << text.substr(0, n);
    EXPECT_NE(errorOf([&] { shot::load(folder / "cut.zentil"); }).find("cut.zentil"), std::string::npos) << n;
  }
}
TEST(Shot, ANewerVersionAndForeignJsonAreSaid) {
  const test::Folder folder;
  std::ofstream(folder / "n.zentil") << R"({"type":"zentil-shot","version":99})";
  EXPECT_NE(errorOf([&] { shot::load(folder / "n.zentil"); }).find("newer"), std::string::npos);
  std::ofstream(folder / "f.zentil") << R"({"type":"recipe for soup"})";
  EXPECT_NE(errorOf([&] { shot::load(folder / "f.zentil"); }).find("not a shot"), std::string::npos);
}
TEST(Shot, AWrongEntryIsNamed) {
  const test::Folder folder;
  shot::save(test::walkAlongWall(folder, 2), folder / "a.zentil");
  auto j = nlohmann::json::parse(readText(folder / "a.zentil"));
  j["surfaces"][0]["size"] = {1, 2};
  std::ofstream(folder / "b.zentil") << j;
  EXPECT_NE(errorOf([&] { shot::load(folder / "b.zentil"); }).find("surfaces[0]"), std::string::npos);
}
TEST(Shot, ProblemsAreFoundAndNamed) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 4);
  test::addPatch(s, 1004, 1001, 40, 30, 120, 100);
  EXPECT_TRUE(shot::problemsOf(s, true).empty());
  std::filesystem::remove(s.plate.fileOf(1002));
  auto path = *s.camera;
  path.poses.erase(1003);
  s.camera = std::make_shared<camera::CameraPath>(path);
  s.elements[0].surface = "gone";
  s.elements.push_back(s.elements[0]);
  s.elements[1].surface = "s1", s.elements[1].picture = (folder / "none.exr").string();
  s.surfaces[0].size.x() = 0;
  std::string all;
  for (const auto& p : shot::problemsOf(s, false)) all += p.text + "\n";
  for (const char* expected : {"1002", "1003", "no surface", "none.exr", "no size"})
    EXPECT_NE(all.find(expected), std::string::npos) << expected << "\n" << all;
}
TEST(Shot, ALensThatFoldsIsAProblem) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  s.lens.k1 = -2;
  ASSERT_FALSE(shot::problemsOf(s, false).empty());
  EXPECT_NE(shot::problemsOf(s, false)[0].text.find("folds over"), std::string::npos);
}
TEST(Shot, WhatDoesNotTouchPixelsDoesNotChangeTheRecipe) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1002, 1001, 40, 30, 120, 100);
  const auto before = shot::recipeHash(s, 1001);
  auto t = s;
  t.name = "other", t.delivery.pattern = "/elsewhere/####.exr";
  EXPECT_EQ(shot::recipeHash(t, 1001), before);
  t.mattes[0].featherPx = 3;
  EXPECT_NE(shot::recipeHash(t, 1001), before);
  t = s;
  t.elements[0].range = {1002, 1002};
  EXPECT_NE(shot::recipeHash(t, 1001), before);
}
TEST(Recipe, ReadsAsASentence) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1002, 1001, 40, 30, 120, 100, 20);
  EXPECT_EQ(
      shot::textOf(shot::recipeOf(s, s.elements[0])),
      "Cover what stands before wall with frame 1002, inside outline softened 20 px, as it is, laid over the plate.");
}
TEST(Recipe, EveryLiveWordCanBeSetToWhatItSays) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1002, 1001, 40, 30, 120, 100, 20);
  const auto before = s;
  for (const auto& sentence : {shot::recipeOf(s, s.elements[0]), shot::detailsOf(s, s.elements[0])})
    for (const auto& w : sentence)
      if (w.kind == shot::Word::Kind::Choice)
        shot::setWord(s, s.elements[0], w.key, w.chosen);
      else if (w.kind != shot::Word::Kind::Plain)
        shot::setWord(s, s.elements[0], w.key, fmt::format("{}", w.value));
  s.elements[0].range = {};  // naming both ends of the whole shot says the same
  EXPECT_TRUE(s == before);
}
TEST(Recipe, SurfaceWordsGoThereAndBack) {
  set::Surface f;
  f.turn = shot::turnFromDegrees({12, -34, 56});
  for (const auto& w : shot::recipeOf(f))
    if (w.kind == shot::Word::Kind::Number) shot::setWord(f, w.key, fmt::format("{:.15g}", w.value));
  EXPECT_LT((shot::turnDegrees(f.turn) - Vec3(12, -34, 56)).norm(), 1e-9);
}
TEST(Recipe, ValuesThatMakeNoSenseAreRefused) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1002, 1001, 40, 30, 120, 100);
  for (const auto& [key, value] : {std::pair{"opacity", "300"},
                                   {"opacity", "lots"},
                                   {"sourceFrame", "7"},
                                   {"surface", "s9"},
                                   {"merge", "blend"},
                                   {"feather", "-1"},
                                   {"nothing", "1"}}) {
    const auto before = s;
    EXPECT_FALSE(errorOf([&, k = key, v = value] { shot::setWord(s, s.elements[0], k, v); }).empty()) << key;
    EXPECT_TRUE(s == before);
  }
}
