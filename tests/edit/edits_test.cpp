// Edits by a list: what the window does, headless, all or nothing.
#include <gtest/gtest.h>

#include <fstream>

#include "core/edit/edits.h"
#include "core/image/write.h"
#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using nlohmann::json;

namespace {

struct Bench {
  test::Folder folder;
  shot::Shot shot = test::walkAlongWall(folder, 5);
  comp::RenderCache cache{size_t{100} << 20};
  json apply(const char* text) { return edit::apply(shot, json::parse(text), {cache, folder.path()}); }
  std::string error(const char* text) {
    const auto before = shot;
    const std::string said = test::errorOf([&] { apply(text); });
    EXPECT_TRUE(shot == before) << "all or nothing: " << text;
    return said;
  }
};

}  // namespace

TEST(Edits, AnElementIsMadeChangedKeyedCopiedOrderedAndRemoved) {
  Bench b;
  const auto made = b.apply(R"([
    {"element": "patch", "on": "s1", "frame": 1005, "as": {"name": "cover"}},
    {"shape": [[60, 40], [160, 40], [160, 120], [60, 120]], "frame": 1001, "element": "e1", "as": {"softPx": 9}},
    {"set": "elements.e1.look.merge", "to": "screen"},
    {"word": "elements.e1.look.opacity", "to": "50 %"},
    {"key": "elements.e1.look.opacity", "frame": 1001, "to": 1, "after": "smooth"},
    {"key": "elements.e1.look.opacity", "frame": 1004, "to": 0.2},
    {"moveKey": "elements.e1.look.opacity", "frame": 1004, "to": 1005},
    {"copy": "elements.e1"},
    {"move": "elements.e2", "to": 0}
  ])");
  EXPECT_EQ(made[0], "e1");
  ASSERT_EQ(b.shot.elements.size(), 2U);
  EXPECT_EQ(b.shot.elements[0].id, "e2");
  const auto& e = *b.shot.element("e1");
  EXPECT_EQ(e.look.merge, element::Merge::Screen);
  EXPECT_EQ(e.look.opacity.keys().all().size(), 2U);
  EXPECT_EQ(e.look.opacity.at(1005), 0.2);
  EXPECT_EQ(b.shot.matte(e.matte())->parts[0].softPx.constant(), 9);
  EXPECT_EQ(b.shot.matte(e.matte())->parts[0].follows, matte::Follows::Surface);
  b.apply(
      R"([{"unkey": "elements.e1.look.opacity", "frame": 1001}, {"remove": "elements.e2"}, {"remove": "mattes.m1"}])");
  EXPECT_EQ(b.shot.elements.size(), 1U);
  EXPECT_TRUE(b.shot.element("e1")->cover.empty()) << "what names a matte that goes lets it go";
}

TEST(Edits, SurfacesComeFromPointsInsideAnOutlineOrByNumbers) {
  Bench b;
  auto points = std::make_shared<std::vector<set::Point>>();
  for (int i = 0; i < 60; ++i)
    points->push_back({Vec3(-1 + 0.05 * i, 0.8 + 0.7 * std::fmod(0.37 * i, 1.0), i % 10 == 9 ? 0.6 : 0.0), 0.1, 5, i});
  b.shot.points = points;
  b.shot.surfaces.clear();
  const auto made = b.apply(R"([
    {"plane": {"inside": [[0, 0], [320, 0], [320, 180], [0, 180]], "frame": 1003}, "as": {"name": "all of it"}},
    {"plane": {"points": [0, 1, 2, 3, 4]}},
    {"add": "surfaces", "as": {"kind": "sphere", "name": "ball", "position": [0, 1, 1], "size": [0.5, 1, 1]}},
    {"set": "surfaces.s3.position.y", "to": 1.25},
    {"constraint": "scale", "points": [0, 10], "lengthM": 0.5}
  ])");
  EXPECT_LT(made[0].at("worstM").get<double>(), 1e-6);
  EXPECT_EQ(made[0].at("leftOut"), 5) << "a pipe stands off (its sixth point is outside the frame): left out, and said";
  EXPECT_LT(made[1].at("rmsM").get<double>(), 1e-9);
  EXPECT_NEAR(std::abs(b.shot.surfaces[1].at(1003).normal().z()), 1, 1e-6);
  EXPECT_EQ(b.shot.surfaces[2].kind, set::SurfaceKind::Sphere);
  EXPECT_EQ(b.shot.constraints.size(), 1U);
  const auto& p = *b.shot.points;
  EXPECT_NEAR((p[0].at - p[10].at).norm(), 0.5, 1e-9) << "the statement holds";
  // One of a kind, but for gauges; and a length that a set can have.
  b.apply(R"([{"constraint": "origin", "points": [3]}, {"constraint": "origin", "points": [7]},
              {"constraint": "scale", "points": [0, 20], "lengthM": 1}])");
  ASSERT_EQ(b.shot.constraints.size(), 3U);
  EXPECT_EQ(b.shot.constraints[1].points, std::vector<int>{7});
  EXPECT_LT((*b.shot.points)[7].at.norm(), 1e-9);
  EXPECT_NE(b.error(R"([{"constraint": "scale", "points": [0, 10], "lengthM": 0}])").find("100 000 m"),
            std::string::npos);
}

TEST(Edits, TracksBeyondLimitsAreLeftOutAndLinesHaveIdsOfTheirOwn) {
  Bench b;
  EXPECT_NE(b.error(R"([{"cull": {}}])").find("not solved"), std::string::npos);
  auto tracks = std::make_shared<track::Tracks>(4);
  auto errors = std::make_shared<solve::Errors>();
  for (int i = 0; i < 4; ++i) {
    (*tracks)[static_cast<size_t>(i)].id = i + 1;
    solve::TrackError e;
    e.id = i + 1, e.meanPx = 0.1 + 0.2 * i, e.worstPx = 1, e.length = 5 + i;
    errors->tracks.push_back(e);
  }
  b.shot.tracks = tracks, b.shot.solved = errors;
  EXPECT_NE(b.error(R"([{"cull": {"meanPx": "little"}}])").find("meanPx"), std::string::npos);
  EXPECT_NE(b.error(R"([{"cull": {"worst": -3}}])").find("worst"), std::string::npos);
  EXPECT_NE(b.error(R"([{"cull": 7}])"), "");
  EXPECT_NE(b.error(R"([{"cull": {"leest": 6}}])").find("leest is no setting"), std::string::npos);
  EXPECT_EQ(b.apply(R"([{"cull": {"least": 6, "worst": 1}}])")[0], json({1, 3, 4}));
  for (const auto& t : *b.shot.tracks) EXPECT_EQ(t.on, t.id == 2);

  b.apply(R"([{"add": "lines", "as": {"frame": 1001, "points": [[10, 10], [60, 11], [110, 10]]}},
              {"add": "lines", "as": {"frame": 1001, "points": [[10, 90], [60, 91], [110, 90]]}}])");
  ASSERT_EQ(b.shot.lines.size(), 2U);
  EXPECT_NE(b.shot.lines[0].id, b.shot.lines[1].id);
}

TEST(Edits, MattesHaveParts) {
  Bench b;
  b.apply(R"([
    {"add": "mattes", "as": {"name": "people", "parts": [
      {"id": "p1", "name": "a", "follows": "screen", "content": {"kind": "shapes", "frame": 1001, "shapes": []}},
      {"id": "p2", "name": "b", "follows": "screen", "combine": "subtract", "content": {"kind": "shapes", "frame": 1001, "shapes": []}}]}},
    {"shape": [[20, 20], [120, 20], [120, 120], [20, 120]], "frame": 1001, "matte": "m1", "part": "p1"},
    {"shape": [[60, 60], [100, 60], [100, 100], [60, 100]], "frame": 1001, "matte": "m1", "part": "p2"},
    {"set": "tracking.matte", "to": "m1"},
    {"element": "patch", "on": "s1", "frame": 1001, "as": {"cover": [{"matte": "m1"}]}}
  ])");
  const auto m = test::matteAt(b.shot, b.shot.elements[0], 1003, b.shot.frameBox(), b.cache);
  EXPECT_EQ(*m.pixel(40, 40), 1.0f);
  EXPECT_EQ(*m.pixel(80, 80), 0.0f);
  EXPECT_EQ(*m.pixel(200, 80), 0.0f);
  b.apply(R"([{"set": "mattes.m1.parts.p2.combine", "to": "intersect"}, {"set": "mattes.m1.inverted", "to": true}])");
  const auto inverted = test::matteAt(b.shot, b.shot.elements[0], 1003, b.shot.frameBox(), b.cache);
  EXPECT_EQ(*inverted.pixel(40, 40), 1.0f);
  EXPECT_EQ(*inverted.pixel(80, 80), 0.0f);
}

TEST(Edits, WhatMakesNoSenseIsRefusedByItsNumberAndNothingIsDone) {
  Bench b;
  EXPECT_NE(
      b.error(R"([{"set": "surfaces.s1.name", "to": "w"}, {"set": "surfaces.s1.size.x", "to": -3}])").find("edit 2"),
      std::string::npos);
  EXPECT_NE(b.error(R"([{"set": "surfaces.s8.name", "to": "w"}])").find("surfaces.s8.name"), std::string::npos);
  EXPECT_NE(b.error(R"([{"element": "hologram", "on": "s1"}])").find("hologram"), std::string::npos);
  EXPECT_NE(b.error(R"([{"remove": "elements.e9"}])").find("e9"), std::string::npos);
  EXPECT_NE(b.error(R"([{"add": "surfaces", "as": {"colour": "red"}}])").find("colour"), std::string::npos);
  EXPECT_NE(b.error(R"([{"plane": {"points": [1, 2, 3]}}])").find("not in the set"), std::string::npos);
  EXPECT_NE(b.error(R"([{"key": "surfaces.s1.occludes", "frame": 1001}])").find("whole shot"), std::string::npos);
  EXPECT_NE(b.error(R"([{"dance": 1}])").find("dance"), std::string::npos);
  EXPECT_NE(b.error(R"({"set": "name", "to": "x"})").find("list"), std::string::npos);
  b.apply(R"([{"element": "checker", "on": "s1"}])");
  EXPECT_NE(b.error(R"([{"remove": "surfaces.s1"}])").find("lands on this surface"), std::string::npos);
}

TEST(Edits, TheCommandSavesAndAnswersInJson) {
  Bench b;
  const auto file = (b.folder / "a.zentil").string();
  shot::save(b.shot, file);
  std::ofstream(b.folder / "e.json")
      << R"([{"element": "checker", "on": "s1"}, {"set": "elements.e1.source.squareM", "to": 0.5}])";
  std::string printed;
  EXPECT_EQ(
      test::runCommand(std::string(ZENTIL_BATCH) + " edit " + file + " " + (b.folder / "e.json").string() + " --json",
                       &printed),
      0)
      << printed;
  EXPECT_EQ(json::parse(printed).at("answers").at(0), "e1");
  EXPECT_EQ(shot::load(file).elements[0].from<element::Checker>()->squareM, 0.5);
  std::ofstream(b.folder / "e.json") << R"([{"set": "elements.e1.source.squareM", "to": 1e9}])";
  EXPECT_EQ(
      test::runCommand(std::string(ZENTIL_BATCH) + " edit " + file + " " + (b.folder / "e.json").string(), &printed),
      2);
  EXPECT_NE(printed.find("squareM"), std::string::npos) << printed;
}

TEST(Edits, IdsAreTheOnesAskedForAndNeverTaken) {
  Bench b;
  b.apply(R"([{"add": "mattes", "as": {"id": "m5", "parts": [{"name": "one"}, {"name": "two"}]}}])");
  ASSERT_EQ(b.shot.mattes.back().parts.size(), 2U);
  EXPECT_FALSE(b.shot.mattes.back().parts[0].id.empty());
  EXPECT_NE(b.shot.mattes.back().parts[0].id, b.shot.mattes.back().parts[1].id);
  EXPECT_EQ(b.apply(R"([{"element": "patch", "on": "s1", "frame": 1001, "as": {"id": "e9"}}])")[0], "e9");
  EXPECT_NE(b.error(R"([{"element": "patch", "on": "s1", "frame": 1001, "as": {"id": "e9"}}])").find("already"),
            std::string::npos);
  EXPECT_EQ(b.apply(R"([{"spot": [160, 90], "frame": 1003, "as": {"id": "o7"}}])")[0]["id"], "o7");
  EXPECT_NE(b.error(R"([{"spot": [160, 90], "frame": 1003, "as": {"id": "o7"}}])").find("already"), std::string::npos);
}

TEST(Edits, APictureThatIsNamedAloneIsReadOrRefused) {
  Bench b;
  image::writePicture(b.folder / "sign.exr", image::Picture(30, 20, 4, 0.5f), {});
  b.apply(
      R"([{"element": "picture", "on": "s1", "as": {"source": {"kind": "picture", "files": {"files": "sign.exr"}}}}])");
  const auto& files = std::get<element::Picture>(b.shot.elements.back().source).files;
  EXPECT_EQ(files.width, 30);
  EXPECT_EQ(files.height, 20);
  EXPECT_NE(
      b.error(
           R"([{"element": "picture", "on": "s1", "as": {"source": {"kind": "picture", "files": {"files": "none.exr"}}}}])")
          .find("none.exr"),
      std::string::npos);
  // Files that are gone later, and none at all, are named and not delivered.
  const auto grave = [&] {
    const auto problems = shot::problemsOf(b.shot, false);
    return std::any_of(problems.begin(), problems.end(), [](const auto& p) { return p.grave; });
  };
  EXPECT_FALSE(grave());
  std::filesystem::remove(b.folder / "sign.exr");
  EXPECT_TRUE(grave());
  std::get<element::Picture>(b.shot.elements.back().source).files = {};
  EXPECT_TRUE(grave());
}
