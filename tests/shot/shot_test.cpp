#include <fmt/format.h>
#include <gtest/gtest.h>

#include <fstream>

#include "core/base/files.h"
#include "core/edit/set_word.h"
#include "core/shot/shot_json.h"
#include "core/value/turn.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using test::errorOf;

TEST(Shot, SavedAndLoadedIsEqual) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1003, 1001, 40, 30, 120, 100, 7);
  test::drawn(s).shapes[0].points.each([](matte::ShapePoints& p) { p[1].featherPx = 3; });
  s.points = std::make_shared<std::vector<set::Point>>(std::vector<set::Point>{{Vec3(1, 2, 3), 0.25, 40}});
  s.elements[0].look.gain = element::Rgb{1.1, 1, 0.9};
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
  EXPECT_NE(moved.plate().pattern.find("moved"), std::string::npos);
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
TEST(Shot, AWrongEntryIsNamedAndLosesOnlyItself) {
  const test::Folder folder;
  const auto s = test::walkAlongWall(folder, 2);
  shot::save(s, folder / "a.zentil");
  auto j = nlohmann::json::parse(readText(folder / "a.zentil"));
  j["surfaces"][0]["size"] = {1, 2};
  j["surfaces"][0]["occludes"] = "perhaps";
  std::ofstream(folder / "b.zentil") << j;
  const auto read = shot::load(folder / "b.zentil");
  ASSERT_EQ(read.notes.size(), 2U);
  EXPECT_NE(read.notes[0].find("surfaces[0].size"), std::string::npos) << read.notes[0];
  EXPECT_NE(read.notes[1].find("surfaces[0].occludes"), std::string::npos) << read.notes[1];
  EXPECT_EQ(read.surfaces[0].position, s.surfaces[0].position);
  EXPECT_TRUE(*read.camera == *s.camera);
}
TEST(Shot, ANumberThatNoDoubleHoldsLosesOnlyItself) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder);
  s.name = "a \"quoted\" 1e999";
  shot::save(s, folder / "a.zentil");
  std::string text = readText(folder / "a.zentil");
  const size_t at = text.find("\"k1\":");
  ASSERT_NE(at, std::string::npos);
  text.replace(at, text.find_first_of(",\n", at) - at, "\"k1\": -1e400");
  std::ofstream(folder / "a.zentil") << text;
  const auto read = shot::load(folder / "a.zentil");
  ASSERT_FALSE(read.notes.empty());
  EXPECT_NE(read.notes[0].find("lens.k1"), std::string::npos) << read.notes[0];
  EXPECT_NE(read.notes[0].find("1e400"), std::string::npos) << read.notes[0];
  EXPECT_EQ(read.name, s.name);
  EXPECT_EQ(read.surfaces, s.surfaces);
}
TEST(Shot, UnknownKeysAreKeptAndWrittenBack) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1002, 1001, 40, 30, 120, 100);
  shot::save(s, folder / "a.zentil");
  auto j = nlohmann::json::parse(readText(folder / "a.zentil"));
  j["weather"] = {{"wind", 3}};
  j["elements"][0]["colourOfMusic"] = "blue";
  j["lens"]["coating"] = {1, 2};
  std::ofstream(folder / "b.zentil") << j;
  shot::save(shot::load(folder / "b.zentil"), folder / "c.zentil");
  EXPECT_EQ(nlohmann::json::parse(readText(folder / "c.zentil")), j);
}
TEST(Shot, ProblemsAreFoundAndNamed) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 4);
  test::addPatch(s, 1004, 1001, 40, 30, 120, 100);
  EXPECT_TRUE(shot::problemsOf(s, true).empty());
  std::filesystem::remove(s.plate().fileOf(1002));
  auto path = *s.camera;
  path.poses.erase(1003);
  s.camera = std::make_shared<camera::CameraPath>(path);
  s.elements[0].place = element::OnSurface{"gone"};
  s.elements.push_back(s.elements[0]);
  s.elements[1].place = element::OnSurface{"s1"}, test::held(s.elements[1]).picture = (folder / "none.exr").string();
  s.surfaces[0].size = Vec3(0, 1, 1);
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
  const auto before = test::recipeKey(s, 1001);
  auto t = s;
  t.name = "other", t.delivery.pattern = "/elsewhere/####.exr";
  EXPECT_EQ(test::recipeKey(t, 1001), before);
  test::part(t).softPx = 3.0;
  EXPECT_NE(test::recipeKey(t, 1001), before);
  t = s;
  t.elements[0].range = {1002, 1002};
  EXPECT_NE(test::recipeKey(t, 1001), before);
}
TEST(Recipe, ReadsAsASentence) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1002, 1001, 40, 30, 120, 100, 20);
  EXPECT_EQ(wording::textOf(wording::recipeOf(s, s.elements[0], 1001)),
            "Cover wall with frame 1002, inside outline softened 20 px.");
}
TEST(Recipe, EveryLiveWordCanBeSetToWhatItSays) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1002, 1001, 40, 30, 120, 100, 20);
  const auto before = s;
  for (const auto& sentence : {wording::recipeOf(s, s.elements[0], 1001), wording::detailsOf(s, s.elements[0], 1001)})
    for (const auto& w : sentence)
      if (w.kind == wording::Word::Kind::Choice)
        edit::setWord(s, w.key, w.chosen, 1001);
      else if (w.kind != wording::Word::Kind::Plain)
        edit::setWord(s, w.key, fmt::format("{}", w.value), 1001);
  s.elements[0].range = {};  // naming both ends of the whole shot says the same
  EXPECT_TRUE(s == before);
}
TEST(Recipe, SurfaceWordsGoThereAndBack) {
  shot::Shot s;
  set::Surface f;
  f.id = "s1";
  f.turn = value::turnFromDegrees({12, -34, 56});
  s.surfaces = {f};
  for (const auto& w : wording::recipeOf(s, s.surfaces[0], 1))
    if (w.kind == wording::Word::Kind::Number) edit::setWord(s, w.key, fmt::format("{:.15g}", w.value), 1);
  EXPECT_LT((value::turnDegrees(s.surfaces[0].turn.at(1)) - Vec3(12, -34, 56)).norm(), 1e-9);
}
TEST(Recipe, ValuesThatMakeNoSenseAreRefused) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1002, 1001, 40, 30, 120, 100);
  for (const auto& [key, value] : {std::pair{"elements.e1.look.opacity", "300"},
                                   {"elements.e1.look.opacity", "lots"},
                                   {"elements.e1.source.frame", "7"},
                                   {"elements.e1.place.surface", "s9"},
                                   {"elements.e1.look.merge", "blend"},
                                   {"elements.e1.covered", "m9"},
                                   {"mattes.m1.parts.p1.softPx", "-1"},
                                   {"elements.e1.nothing", "1"},
                                   {"elements.e9.look.opacity", "1"}}) {
    const auto before = s;
    EXPECT_FALSE(errorOf([&, k = key, v = value] { edit::setWord(s, k, v, 1001); }).empty()) << key;
    EXPECT_TRUE(s == before);
  }
}
TEST(Recipe, NumbersUnderstandSumsAndTheirUnit) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  test::addPatch(s, 1002, 1001, 40, 30, 120, 100);
  for (const auto& [text, value] : {std::pair{"12*2", 24.0}, {"1/4", 0.25}, {"(3 - 1) * 2.5", 5.0}, {" 7 px", 7.0}}) {
    edit::setWord(s, "mattes.m1.parts.p1.softPx", text, 1001);
    EXPECT_DOUBLE_EQ(test::part(s).softPx.at(1001), value) << text;
  }
  for (const char* text : {"12*", "1/0", "(3", "2 3", "0x10", "nan", "1e400"})
    EXPECT_NE(errorOf([&] { edit::setWord(s, "mattes.m1.parts.p1.softPx", text, 1001); }), "") << text;
}

namespace {
element::Element cgElement(const image::Plate& render) {
  element::Element e;
  e.id = "e7", e.name = "ship";
  e.source = element::Cg{render};
  e.place = element::ThroughCamera{};
  return e;
}
}  // namespace

TEST(Shot, RendersLinesAndOverscanAreSavedToo) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  auto e = cgElement(s.plate());
  auto& r = test::render(e);
  r.files.originX = -40, r.files.originY = -24;
  r.premultiplied = false, r.shadow = true, r.shift = -12, r.beyond = element::Beyond::Loop;
  s.elements.push_back(e);
  s.lines = {{"l1", "", 1001, true, false, {Vec2(1.25, 2), Vec2(30, 4), Vec2(60.5, 5)}},
             {"l2", "", 1002, false, true, {Vec2(1, 20), Vec2(30, 40), Vec2(60, 50)}}};
  s.lensFromLines = {false, true, true};
  s.overscan = {false, 16};
  s.delivery.sharpFilter = false;
  shot::save(s, folder / "a.zentil");
  EXPECT_TRUE(shot::load(folder / "a.zentil") == s);
  // A shot saved before there were any is read as it was.
  auto j = nlohmann::json::parse(readText(folder / "a.zentil"));
  for (const char* later : {"lines", "lensFromLines", "overscan"}) j.erase(later);
  j["delivery"].erase("sharpFilter");
  j["elements"] = nlohmann::json::array();
  std::ofstream(folder / "old.zentil") << j;
  const auto old = shot::load(folder / "old.zentil");
  EXPECT_TRUE(old.lines.empty());
  EXPECT_EQ(old.overscan, shot::Overscan());
  EXPECT_TRUE(old.delivery.sharpFilter);
}

TEST(Shot, LinesAndOverscanDoNotMakeDeliveriesStale) {
  const test::Folder folder;
  const auto s = test::walkAlongWall(folder, 2);
  auto drawn = s;
  drawn.lines = {{"l1", "", 1001, true, false, {Vec2(1, 2), Vec2(30, 4), Vec2(60, 5)}}};
  drawn.overscan.multiple = 8;
  EXPECT_EQ(test::recipeKey(s, 1001), test::recipeKey(drawn, 1001));
}

TEST(Shot, AMovedCameraMakesWhatItSeesStaleAndNothingElse) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1003, 1001, 40, 30, 120, 100);
  auto moved = s;
  auto path = std::make_shared<camera::CameraPath>(*s.camera);
  path->poses.at(1002).position.x() += 1e-6;
  moved.camera = path;
  EXPECT_NE(test::recipeKey(s, 1002), test::recipeKey(moved, 1002));
  EXPECT_EQ(test::recipeKey(s, 1003), test::recipeKey(moved, 1003)) << "neither this frame nor its source moved";
}

TEST(Recipe, ARenderReadsAsASentenceAndEveryWordCanBeSet) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  s.elements = {cgElement(s.plate())};
  const std::string text = wording::textOf(wording::recipeOf(s, s.elements[0], 1001));
  EXPECT_EQ(text.find("Redistort "), 0U) << text;
  EXPECT_NE(text.find("a picture, shown everywhere."), std::string::npos) << text;
  const std::string at = "elements.e7.";
  for (const auto& [key, value] : std::vector<std::pair<std::string, std::string>>{{"source.shadow", "1"},
                                                                                   {"source.premultiplied", "0"},
                                                                                   {"source.shift", "-7"},
                                                                                   {"source.beyond", "hold"},
                                                                                   {"look.merge", "plus"}})
    edit::setWord(s, at + key, value, 1001);
  const auto& r = test::render(s.elements[0]);
  EXPECT_TRUE(r.shadow);
  EXPECT_FALSE(r.premultiplied);
  EXPECT_EQ(r.shift, -7);
  EXPECT_EQ(r.beyond, element::Beyond::Hold);
  EXPECT_NE(wording::textOf(wording::recipeOf(s, s.elements[0], 1001)).find("a shadow pass"), std::string::npos);
  EXPECT_NE(errorOf([&] { edit::setWord(s, at + "source.beyond", "sideways", 1001); }).find("sideways"),
            std::string::npos);
  EXPECT_NE(errorOf([&] { edit::setWord(s, at + "source.shift", "soon", 1001); }).find("not a number"),
            std::string::npos);
}

TEST(Recipe, ADeliveryNamesItsFilter) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 2);
  EXPECT_NE(wording::textOf(wording::deliveryRecipe(s)).find("elements on the plate, read sharper"), std::string::npos);
  edit::setWord(s, "delivery.sharpFilter", "0", 1001);
  EXPECT_FALSE(s.delivery.sharpFilter);
}
