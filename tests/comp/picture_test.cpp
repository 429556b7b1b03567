// A picture as a source: in the sentence, the file, the command, undo and the picture at once.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/edit/edits.h"
#include "core/edit/make.h"
#include "core/edit/set_word.h"
#include "core/image/write.h"
#include "core/shot/history.h"
#include "core/shot/shot_json.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using nlohmann::json;

namespace {

/// Red grows across, green down: where a pixel of it lands can be read off.
image::Picture sign(int w, int h) {
  image::Picture p(w, h, 4, 1.0f);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x)
      p.pixel(x, y)[0] = (x + 0.5f) / w, p.pixel(x, y)[1] = (y + 0.5f) / h, p.pixel(x, y)[2] = 0.5f;
  return p;
}

}  // namespace

TEST(PictureSource, IsLaidOnASurfaceWithItsOwnAspect) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 640, 360, -0.05);
  image::writePicture(folder / "sign.exr", sign(200, 100), {});
  set::Surface board;
  board.id = "s2", board.name = "board", board.position = Vec3(0.2, 1.4, 0.5), board.size = Vec3(1, 1, 1);
  s.surfaces.emplace_back(board);
  const shot::Shot before = s;
  comp::RenderCache w(size_t{100} << 20);
  const json made = edit::apply(s,
                                json::array({{{"element", "picture"},
                                              {"on", "s2"},
                                              {"as",
                                               {{"name", "sign"},
                                                {"source",
                                                 {{"kind", "picture"},
                                                  {"files",
                                                   {{"files", "sign.exr"},
                                                    {"width", 200},
                                                    {"height", 100},
                                                    {"range", {1, 1}},
                                                    {"colourSpace", "scene_linear"}}}}}}}}}),
                                {w, folder.path()});
  ASSERT_EQ(made[0], "e1");
  const std::string text = wording::textOf(wording::recipeOf(s, s.elements[0], 1001));
  EXPECT_EQ(text, "Put sign.exr on board shown everywhere.");
  // Twice as wide as high on a square board: its middle half, from 0.25 m below the middle to 0.25 m above.
  for (int f = 1001; f <= 1003; ++f) {
    const auto layer = test::buildLayer(s, s.elements[0], f, w, map::Filter::Sharp);
    const auto camera = s.cameraAt(f);
    const auto lens = s.lensAt(f);
    int on = 0, off = 0;
    for (double v = -0.48; v < 0.5; v += 0.04)
      for (double u = -0.48; u < 0.5; u += 0.04) {
        Vec2 straight, p;
        ASSERT_TRUE(camera.project(Vec3(0.2 + u, 1.4 + v, 0.5), straight) && lens.plateFromStraight(straight, p));
        const int x = static_cast<int>(p.x()), y = static_cast<int>(p.y());
        if (!layer.data.contains(x, y)) continue;
        const float* c = layer.pixel(x, y);
        if (std::abs(v) > 0.27) {
          EXPECT_EQ(c[3], 0) << u << " " << v;
          ++off;
        } else if (std::abs(v) < 0.22) {
          EXPECT_NEAR(c[0], u + 0.5, 0.006) << f;
          EXPECT_NEAR(c[1], 0.5 - 2 * v, 0.012) << f;
          ++on;
        }
      }
    EXPECT_GT(on, 100);
    EXPECT_GT(off, 100);
  }
  shot::save(s, folder / "a.zentil");
  EXPECT_TRUE(shot::load(folder / "a.zentil") == s);
  shot::History history(before);
  history.edit(s, "add a picture");
  history.undo();
  EXPECT_TRUE(history.shot() == before);
}

TEST(PictureSource, ASequenceIsHeldBeyondItsEndsAndReadFreshly) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 4);
  for (int f = 1001; f <= 1002; ++f) {
    image::Picture p(64, 64, 4, 1.0f);
    for (size_t i = 0; i < p.values.size(); i += 4) p.values[i] = f == 1001 ? 0.25f : 0.75f;
    image::writePicture(folder / fmt::format("seq.{}.exr", f), p, {});
  }
  const std::string id = edit::addFromFiles(s, "picture", (folder / "seq.1001.exr").string(), {{}, "s1"}, 1001);
  EXPECT_EQ(s.element(id)->name, "seq");
  EXPECT_EQ(s.element(id)->surface(), "s1");
  comp::RenderCache w(size_t{100} << 20);
  for (const auto& [f, red] : {std::pair{1001, 0.25}, {1002, 0.75}, {1004, 0.75}})
    EXPECT_NEAR(test::buildLayer(s, s.elements[0], f, w, map::Filter::Sharp).pixel(160, 90)[0], red, 1e-3) << f;
  edit::setWord(s, "elements." + id + ".source.beyond", "nothing", 1001);
  EXPECT_TRUE(test::buildLayer(s, s.elements[0], 1004, w, map::Filter::Sharp).empty());
  std::string all;
  for (const auto& p : shot::problemsOf(s, false)) all += p.text + "\n";
  EXPECT_NE(all.find("1001 to 1002 only"), std::string::npos) << all;
}
