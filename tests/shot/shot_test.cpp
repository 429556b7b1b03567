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

namespace {
element::Element cgElement(const image::Plate& render) {
  element::Element e;
  e.id = "e7", e.name = "ship", e.kind = element::Kind::Cg;
  e.render = render;
  return e;
}
}  // namespace

TEST(Shot, RendersLinesAndOverscanAreSavedToo) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  auto e = cgElement(s.plate);
  e.render.originX = -40, e.render.originY = -24;
  e.premultiplied = false, e.shadow = true, e.shift = -12, e.beyond = element::Beyond::Loop;
  s.elements.push_back(e);
  s.lines = {{"l1", 1001, true, {Vec2(1.25, 2), Vec2(30, 4), Vec2(60.5, 5)}},
             {"l2", 1002, false, {Vec2(1, 20), Vec2(30, 40), Vec2(60, 50)}}};
  s.question = {false, true, true};
  s.overscan = {false, 16};
  s.delivery.sharper = false;
  shot::save(s, folder / "a.zentil");
  EXPECT_TRUE(shot::load(folder / "a.zentil") == s);
  // A shot saved before there were any is read as it was.
  auto j = nlohmann::json::parse(readText(folder / "a.zentil"));
  for (const char* later : {"lines", "ask", "overscan"}) j.erase(later);
  j["delivery"].erase("sharper");
  j["elements"] = nlohmann::json::array();
  std::ofstream(folder / "old.zentil") << j;
  const auto old = shot::load(folder / "old.zentil");
  EXPECT_TRUE(old.lines.empty());
  EXPECT_EQ(old.overscan, shot::Overscan());
  EXPECT_TRUE(old.delivery.sharper);
}

TEST(Shot, LinesAndOverscanDoNotMakeDeliveriesStaleAndAFilterDoes) {
  const test::Folder folder;
  const auto s = test::walkAlongWall(folder, 2);
  auto drawn = s;
  drawn.lines = {{"l1", 1001, true, {Vec2(1, 2), Vec2(30, 4), Vec2(60, 5)}}};
  drawn.overscan.multiple = 8;
  EXPECT_EQ(shot::picturesHash(s), shot::picturesHash(drawn));
  auto filtered = s;
  filtered.delivery.sharper = false;
  EXPECT_NE(shot::picturesHash(s), shot::picturesHash(filtered));
  auto moved = s;
  auto path = std::make_shared<camera::CameraPath>(*s.camera);
  path->poses.begin()->second.position.x() += 1e-6;
  moved.camera = path;
  EXPECT_NE(shot::picturesHash(s), shot::picturesHash(moved))
      << "the camera's own hash is kept by its path, not by chance";
}

TEST(Recipe, ARenderReadsAsASentenceAndEveryWordCanBeSet) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  s.elements = {cgElement(s.plate)};
  auto& e = s.elements[0];
  const std::string text = shot::textOf(shot::recipeOf(s, e));
  EXPECT_EQ(text.find("Bend "), 0U) << text;
  EXPECT_NE(text.find("a picture, onto the plate, seen everywhere, laid over it."), std::string::npos) << text;
  for (const auto& [key, value] : std::vector<std::pair<std::string, std::string>>{
           {"shadow", "1"}, {"premultiplied", "0"}, {"shift", "-7"}, {"beyond", "hold"}, {"merge", "plus"}})
    shot::setWord(s, e, key, value);
  EXPECT_TRUE(e.shadow);
  EXPECT_FALSE(e.premultiplied);
  EXPECT_EQ(e.shift, -7);
  EXPECT_EQ(e.beyond, element::Beyond::Hold);
  EXPECT_NE(shot::textOf(shot::recipeOf(s, e)).find("a shadow pass"), std::string::npos);
  EXPECT_NE(errorOf([&] { shot::setWord(s, e, "beyond", "sideways"); }).find("sideways"), std::string::npos);
  EXPECT_NE(errorOf([&] { shot::setWord(s, e, "shift", "soon"); }).find("not a number"), std::string::npos);
}

TEST(Recipe, ADeliveryNamesItsFilter) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  EXPECT_NE(shot::textOf(shot::recipeOf(s.delivery, s.range)).find("elements read sharper"), std::string::npos);
  shot::setWord(s, "sharper", "0");
  EXPECT_FALSE(s.delivery.sharper);
}
