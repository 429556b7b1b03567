// Shots of file version 1 open as what they were.
#include "core/shot/version1.h"

#include <gtest/gtest.h>

#include <fstream>

#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using nlohmann::json;

TEST(Version1, AShotOpensAsWhatItWas) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  std::ofstream(folder / "old.zentil") << R"({
    "type": "zentil-shot", "version": 1, "name": "old",
    "plate": {"files": "plate/walk.####.exr", "range": [1001, 1003], "fps": 25, "width": 320, "height": 180,
              "colourSpace": "scene_linear", "origin": [-4, 2]},
    "range": [1001, 1003],
    "lens": {"k1": -0.1, "k2": 0, "k3": 0, "p1": 0, "p2": 0, "source": "x",
             "keys": [{"frame": 1001, "k1k2k3p1p2": [-0.1, 0, 0, 0, 0]}, {"frame": 1003, "k1k2k3p1p2": [-0.2, 0, 0, 0, 0]}]},
    "camera": {"source": "c", "backMm": [24, 13.5], "centreOffsetPx": [1, 2], "poses": [
      {"frame": 1001, "position": [0, 1, 4], "rotation": [1, 0, 0, 0, 1, 0, 0, 0, 1], "focalMm": 24}]},
    "points": [[1, 2, 3, 0.5, 7, 4]],
    "surfaces": [{"id": "s1", "name": "wall", "kind": "plane", "position": [0, 1.5, 0], "turn": [1, 0, 0, 0, 1, 0, 0, 0, 1],
                  "size": [8, 6, 1], "blocks": false}],
    "mattes": [{"id": "m1", "name": "hole", "frame": 1002, "featherPx": 7, "rides": "surface", "surface": "s1", "inverted": true,
                "shapes": [{"adds": true, "points": [{"at": [1, 2], "in": [0, 0], "out": [3, 0], "featherPx": 2},
                                                      {"at": [9, 2], "in": [0, 0], "out": [0, 0]},
                                                      {"at": [9, 9], "in": [0, 0], "out": [0, 0]}]}],
                "pictures": {"files": "matte/m.####.png", "range": [1001, 1003], "fps": 24, "width": 320, "height": 180, "colourSpace": "raw"}}],
    "elements": [
      {"id": "e1", "name": "p", "kind": "patch", "on": true, "surface": "s1", "matte": "m1", "sourceFrame": 1003, "range": [1001, 1002],
       "opacity": 0.5, "merge": "screen", "gain": [1, 2, 3], "offset": [0, 0, 0.1], "picture": "clean.exr"},
      {"id": "e2", "name": "c", "kind": "checker", "on": false, "surface": "s1", "matte": "", "range": [1, 0], "squareM": 0.5, "lines": true, "sourceFrame": 1002},
      {"id": "e3", "name": "r", "kind": "cg", "surface": "", "matte": "", "range": [1, 0], "shadow": true, "shift": 3, "beyond": "hold",
       "render": {"files": "cg/r.####.exr", "range": [1, 5], "fps": 24, "width": 320, "height": 180, "colourSpace": "scene_linear"}}],
    "delivery": {"files": "out/o.####.exr", "half": false, "compression": "zip", "quality": 80},
    "track": {"count": 321, "notHere": "m1", "onlyHere": true}, "ask": {"k1": false, "k2": true, "centre": true},
    "solve": {"task": "refine", "kind": "tripod"}, "lines": [], "overscan": {"symmetric": false, "multiple": 8}})";
  const auto old = shot::load(folder / "old.zentil");
  for (const auto& n : old.notes) ADD_FAILURE() << n;
  EXPECT_EQ(old.width, 320);
  EXPECT_EQ(old.plate().fps, 25);
  EXPECT_EQ(old.plate().originX, -4);
  EXPECT_EQ(old.plate().pattern, s.plate().pattern);
  EXPECT_NEAR(old.lens.at(1002).k1, -0.15, 1e-12);
  EXPECT_EQ(old.camera->backHeightMm, 13.5);
  EXPECT_EQ((*old.points)[0].id, 4);
  EXPECT_FALSE(old.surfaces[0].occludes);
  const auto& m = old.mattes.at(0);
  ASSERT_EQ(m.parts.size(), 2U);
  EXPECT_TRUE(m.inverted);
  EXPECT_EQ(m.parts[0].softPx.constant(), 7);
  EXPECT_EQ(m.parts[0].surface, "s1");
  EXPECT_EQ(std::get<matte::RotoShapes>(m.parts[0].content).frame, 1002);
  EXPECT_EQ(std::get<matte::RotoShapes>(m.parts[0].content).shapes[0].points.constant()[0].featherPx, 2);
  EXPECT_EQ(std::get<matte::ImageMatte>(m.parts[1].content).files.colourSpace, "raw");
  const auto* patch = old.elements[0].from<element::Patch>();
  ASSERT_NE(patch, nullptr);
  EXPECT_EQ(patch->frame, 1003);
  EXPECT_EQ(patch->picture, (folder / "clean.exr").string());
  EXPECT_EQ(old.elements[0].look.opacity.constant(), 0.5);
  EXPECT_EQ(old.elements[0].look.merge, element::Merge::Screen);
  EXPECT_EQ(old.elements[0].look.gain.constant()[2], 3);
  EXPECT_EQ(old.elements[0].matte(), "m1");
  const auto* checker = old.elements[1].from<element::Checker>();
  ASSERT_NE(checker, nullptr);
  EXPECT_TRUE(checker->lines && checker->frame == 1002 && old.elements[1].cover.empty() && !old.elements[1].on);
  const auto* cg = old.elements[2].from<element::Cg>();
  ASSERT_NE(cg, nullptr);
  EXPECT_TRUE(cg->shadow && cg->shift == 3 && cg->beyond == element::Beyond::Hold && cg->files.range.last == 5);
  EXPECT_FALSE(old.delivery.half);
  EXPECT_EQ(old.tracking.follow.count, 321);
  EXPECT_TRUE(old.tracking.matte == "m1" && old.tracking.onlyInside);
  EXPECT_TRUE(!old.lensFromLines.k1 && old.lensFromLines.centre);
  EXPECT_EQ(old.solveSettings.task, solve::Task::Refine);
  EXPECT_EQ(old.overscan.multiple, 8);
  // Saved, it is of this version and the same.
  shot::save(old, folder / "new.zentil");
  EXPECT_TRUE(shot::load(folder / "new.zentil") == old);
}
