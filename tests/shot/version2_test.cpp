// Shots of file version 2 open as what they were: the demo's project as it was shipped then, and one setting of every
// kind that has another word since. Old words in edits are refused with the new one.
#include "core/shot/version2.h"

#include <gtest/gtest.h>

#include <fstream>

#include "core/base/files.h"
#include "core/edit/edits.h"
#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using nlohmann::json;

TEST(Version2, TheDemosProjectIsTheSameShot) {
  auto old = shot::fromJson(json::parse(readText(std::string(ZENTIL_OLD_SHOTS) + "/boathouse_2.zentil")), test::kDemo);
  for (const auto& n : old.notes) ADD_FAILURE() << n;
  const auto now = shot::load(test::kDemo + "/boathouse.zentil");
  // Its folder of exports was named anew when it was saved.
  EXPECT_EQ(old.exportSettings.folder, "handed");
  old.exportSettings.folder = now.exportSettings.folder;
  EXPECT_TRUE(old == now);
  EXPECT_EQ(shot::toJson(now, test::kDemo).at("version"), 3);
  // Nothing of it is kept as unknown.
  EXPECT_TRUE(old.unknown.text.empty()) << old.unknown.text;
  for (const auto& e : old.elements) EXPECT_TRUE(e.unknown.text.empty()) << e.unknown.text;
  for (const auto& m : old.mattes) EXPECT_TRUE(m.unknown.text.empty()) << m.unknown.text;
  // And gives the same frame, bit for bit.
  comp::RenderCache one(test::kBudget), other(test::kBudget);
  auto small = old, same = now;
  small.elements.erase(small.elements.begin(), small.elements.end() - 1);
  same.elements.erase(same.elements.begin(), same.elements.end() - 1);
  EXPECT_EQ(test::buildFrame(small, 1036, one).values, test::buildFrame(same, 1036, other).values);
}

TEST(Version2, EverySettingThatHasAnotherWordIsFoundUnderIt) {
  const test::Folder folder;
  test::walkAlongWall(folder, 3);
  std::ofstream(folder / "old.zentil") << R"({
    "type": "zentil-shot", "version": 2, "name": "old", "width": 320, "height": 180, "range": [1001, 1003],
    "plates": [{"id": "f1", "name": "plate", "grain": {"together": [0.5, 0.25, 0.125]},
                "files": {"files": "plate/walk.####.exr", "range": [1001, 1003], "fps": 25, "width": 320, "height": 180,
                          "colourSpace": "scene_linear"}},
               {"id": "f2", "name": "depth",
                "files": {"files": "plate/walk.####.exr", "range": [1001, 1003], "fps": 25, "width": 320, "height": 180,
                          "colourSpace": "raw"}}],
    "workedOn": "f1", "trackedOn": "f2", "depthOn": "f2", "depthIs": "distances", "objectAwayM": 2.5,
    "solveFor": {"focal": "about", "giveMm": 0.75}, "tracking": {"follow": {"half": 9}},
    "handing": {"folder": "out", "hand": "left"}, "statements": [{"kind": "gauge", "lengthM": 2.0, "points": [1, 2]}],
    "lines": [{"id": "l1", "plumb": true, "points": [[1, 2], [3, 4]]}],
    "delivery": {"half": false, "onPlate": false, "sharper": false},
    "steady": {"mayEnlarge": 1.2, "eased": true},
    "surfaces": [{"id": "s1", "name": "wall", "kind": "plane", "blocks": false}],
    "mattes": [{"id": "m1", "name": "stand", "goes": true,
                "parts": [{"id": "p1", "how": "subtract", "rides": "screen",
                           "content": {"kind": "shapes", "frame": 1002, "shapes": []}}]}],
    "elements": [
      {"id": "e1", "source": {"kind": "held frame", "frame": 1003, "from": {"acrossM": 0.5, "upM": 0.25}},
       "place": {"kind": "surface", "surface": "s1"}, "cover": [{"matte": "m1", "how": "subtract"}]},
      {"id": "e2", "source": {"kind": "several frames", "frames": [1001, 1003], "together": "averaged", "evened": true,
                              "from": {"acrossM": 0.125}}, "place": {"kind": "surface", "surface": "s1"}},
      {"id": "e3", "source": {"kind": "shadow", "lets": {"keys": [[1001, [0.5, 0.5, 0.5], "linear"]]}, "laid": true},
       "place": {"kind": "surface", "surface": "s1"}},
      {"id": "e4", "source": {"kind": "paint", "frame": 1002, "brush": {"ink": "smear", "carries": 0.25},
                              "strokes": [{"id": "k1", "trace": [1, 2, 1, 3, 4, 1], "brush": {"ink": "colour"}}]},
       "place": {"kind": "surface", "surface": "s1"}}]})";
  const auto old = shot::load(folder / "old.zentil");
  for (const auto& n : old.notes) ADD_FAILURE() << n;
  EXPECT_TRUE(old.unknown.text.empty()) << old.unknown.text;
  EXPECT_EQ(old.plates[0].grain.together[1], 0.25);
  EXPECT_EQ(old.trackedPlate, "f2");
  EXPECT_EQ(old.depthPlate, "f2");
  EXPECT_EQ(old.depthEncoding, shot::DepthEncoding::Distances);
  EXPECT_EQ(old.objectDistanceM, 2.5);
  EXPECT_EQ(old.solveSettings.focalSigmaMm, 0.75);
  EXPECT_EQ(old.tracking.follow.half, 9);
  EXPECT_EQ(old.exportSettings.hand, shot::Handedness::Left);
  ASSERT_EQ(old.constraints.size(), 1U);
  EXPECT_EQ(old.constraints[0].kind, set::WorldConstraint::Kind::Scale);
  EXPECT_TRUE(old.lines.at(0).vertical);
  EXPECT_FALSE(old.delivery.half || old.delivery.overPlate || old.delivery.sharpFilter);
  EXPECT_TRUE(old.steady.dynamicZoom);
  EXPECT_EQ(old.steady.maxZoom, 1.2);
  EXPECT_FALSE(old.surfaces.at(0).occludes);
  const auto& m = old.mattes.at(0);
  EXPECT_TRUE(m.removal);
  EXPECT_EQ(m.parts.at(0).combine, matte::Combine::Subtract);
  EXPECT_EQ(m.parts.at(0).follows, matte::Follows::Screen);
  const auto& patch = std::get<element::Patch>(old.elements.at(0).source);
  EXPECT_EQ(patch.from.at(1001).x(), 0.5);
  EXPECT_EQ(old.elements[0].cover.at(0).combine, matte::Combine::Subtract);
  const auto& fill = std::get<element::Fill>(old.elements.at(1).source);
  EXPECT_EQ(fill.method, element::FillMethod::Averaged);
  EXPECT_TRUE(fill.equalise);
  EXPECT_EQ(fill.from.at(1001).x(), 0.125);
  const auto& shadow = std::get<element::Shadow>(old.elements.at(2).source);
  EXPECT_TRUE(shadow.add && shadow.transmission.keyed());
  const auto& paint = std::get<element::Paint>(old.elements.at(3).source);
  EXPECT_EQ(paint.brush.tool, element::BrushTool::Smear);
  EXPECT_EQ(paint.brush.smear, 0.25);
  EXPECT_EQ(paint.strokes.at(0).penPath.points().size(), 2U);
  // Saved it is of version 3, and the same again.
  shot::save(old, folder / "new.zentil");
  const std::string text = readText(folder / "new.zentil");
  for (const char* gone :
       {"\"goes\"", "\"rides\"", "\"lets\"", "\"laid\"", "\"held frame\"", "\"workedOn\"", "\"ink\""})
    EXPECT_EQ(text.find(gone), std::string::npos) << gone;
  auto again = shot::load(folder / "new.zentil");
  EXPECT_EQ(shot::toJson(again, folder.path()), shot::toJson(old, folder.path()));
}

TEST(Version2, OldWordsInEditsAreRefusedWithTheNewOnes) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1003, 1001, 60, 40, 240, 140);
  comp::RenderCache cache(test::kBudget);
  for (const auto& [edit, now] :
       {std::pair(R"([{"set": "mattes.m1.goes", "to": true}])", "\"goes\" is \"removal\" now"),
        {R"([{"element": "held frame", "on": "s1"}])", "\"held frame\" is \"patch\" now"},
        {R"([{"gatherAll": "e1", "frame": 1001}])", "\"gatherAll\" is \"fillFromAll\" now"},
        {R"([{"set": "solveFor.giveMm", "to": 1}])", "\"solveFor\" is \"solveSettings\" now"}}) {
    const auto before = s;
    const std::string said = test::errorOf([&] { edit::apply(s, json::parse(edit), {cache, {}}); });
    EXPECT_NE(said.find(now), std::string::npos) << edit << ": " << said;
    EXPECT_TRUE(s == before);
  }
}
